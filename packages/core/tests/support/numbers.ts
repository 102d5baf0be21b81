/** The largest difference of two rows of numbers: a picture is judged once, not by every pixel. NaN where either is not a number. */
export function farthest(a: ArrayLike<number>, b: ArrayLike<number> | number): number {
  let most = 0;
  for (let i = 0; i < a.length; i++) {
    const off = Math.abs(a[i] - (typeof b === 'number' ? b : b[i]));
    if (!(off <= most)) most = off;
  }
  return typeof b === 'number' || a.length === b.length ? most : NaN;
}
