/**
 * Diameter in pixels of a centred, bright image circle on a black surround, or null when the picture
 * is lit into its corners (no circle inside the frame).
 *
 * The radius is the median over 180 spokes of the outermost pixel above `threshold`, taken over the spokes
 * that end inside the frame; a circle is accepted when at least a third of the spokes end inside and agree within 3 %.
 * @param level linear or coded brightness, row-major, one value a pixel, of the longest exposure
 */
export function detectImageCircle(
  level: ArrayLike<number>,
  width: number,
  height: number,
  threshold: number,
): number | null {
  const cx = width / 2;
  const cy = height / 2;
  const radii: number[] = [];
  let spokes = 0;
  for (let k = 0; k < 180; k++) {
    const a = (k * 2 + 1) * (Math.PI / 180);
    const c = Math.cos(a);
    const s = Math.sin(a);
    const reach =
      Math.min(Math.abs(c) < 1e-9 ? Infinity : cx / Math.abs(c), Math.abs(s) < 1e-9 ? Infinity : cy / Math.abs(s)) - 1;
    spokes++;
    let r = reach;
    while (r > 4) {
      const i = Math.floor(cy + s * r) * width + Math.floor(cx + c * r);
      if (level[i] > threshold) break;
      r -= 0.5;
    }
    if (r < reach - 2 && r > 4) radii.push(r);
  }
  if (radii.length < spokes / 3) return null;
  radii.sort((a, b) => a - b);
  const median = radii[radii.length >> 1];
  const agreeing = radii.filter((r) => Math.abs(r / median - 1) < 0.03).length;
  return agreeing >= radii.length * 0.8 ? 2 * median : null;
}
