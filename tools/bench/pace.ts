/** Milliseconds that a fixed piece of arithmetic takes now: a machine that is shared is half as fast at one time as at another. */
export function paceMs(): number {
  const started = performance.now();
  let sum = 0;
  for (let i = 0; i < 5e7; i++) sum += Math.sqrt(i);
  if (!(sum > 0)) throw new Error('a sum of roots is above zero');
  return performance.now() - started;
}
