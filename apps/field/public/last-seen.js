/* global document, innerWidth, location */
// What this device showed last of the day stands until the program has drawn it anew. Kept by data/lastSeen.ts.
(() => {
  try {
    const seen = JSON.parse(localStorage.getItem('tawny.last-seen.1'));
    const here = location.pathname + location.search;
    if (!seen || seen.here !== here || seen.width !== innerWidth || seen.theme !== localStorage.getItem('tawny.theme'))
      return;
    const fonts = document.createElement('style');
    fonts.textContent = seen.fonts;
    document.head.append(fonts);
    document.documentElement.style.backgroundColor = seen.ground;
    const still = document.createElement('div');
    still.id = 'last-seen';
    still.inert = true;
    still.style.cssText = `position: fixed; inset: 0; z-index: 1; display: flex; overflow: hidden; background: ${seen.ground}`;
    still.attachShadow({ mode: 'closed' }).innerHTML = seen.html;
    document.body.append(still);
  } catch {
    // Damaged or of another version: the program draws all of it.
    localStorage.removeItem('tawny.last-seen.1');
  }
})();
