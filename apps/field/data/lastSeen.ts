const KEY = 'tawny.last-seen.1';
/** So many screens are kept: nobody scrolls farther before the program is there. */
const SCREENS = 2;
const MOST_CHARACTERS = 1_000_000;

/** Copies an element with what stands in it above a line, pixels from the top of the window. */
function above(element: Element, lineY: number): Node {
  const copy = element.cloneNode(false);
  for (const child of element.childNodes) {
    if (!(child instanceof Element)) copy.appendChild(child.cloneNode(false));
    else if (child.getBoundingClientRect().top < lineY) copy.appendChild(above(child, lineY));
  }
  return copy;
}

/** Keeps what stands on the screen, for `public/last-seen.js` to show at once when the same address is opened again. */
export function keepLastSeen(store: Pick<Storage, 'getItem' | 'setItem' | 'removeItem'>): void {
  const root = document.getElementById('root');
  if (!root) return;
  const rules = [...document.styleSheets].flatMap((sheet) => [...sheet.cssRules]);
  const [fonts, styles] = [true, false].map((wanted) =>
    rules
      .filter((rule) => rule instanceof CSSFontFaceRule === wanted)
      .map((rule) => rule.cssText)
      .join('\n'),
  );
  const holder = document.createElement('div');
  holder.appendChild(above(root, SCREENS * window.innerHeight));
  const seen = JSON.stringify({
    here: window.location.pathname + window.location.search,
    width: window.innerWidth,
    theme: store.getItem('tawny.theme'),
    ground: document.documentElement.style.backgroundColor,
    fonts,
    html: `<style>${styles}</style>${holder.innerHTML}`,
  });
  try {
    if (seen.length <= MOST_CHARACTERS) store.setItem(KEY, seen);
    else store.removeItem(KEY);
  } catch {
    // The device is full: drafts of takes need the room more.
    store.removeItem(KEY);
  }
}

/** The program has drawn the screen itself. */
export const dropLastSeen = (): void => document.getElementById('last-seen')?.remove();
