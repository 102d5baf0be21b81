/** Variance (linear units squared) that rounding to whole codes adds: step^2 / 12, from the slope of the table at each code. */
export function quantisationVariance(table: Float32Array): Float32Array {
  const out = new Float32Array(table.length);
  for (let i = 0; i < table.length; i++) {
    const lo = table[Math.max(0, i - 1)];
    const hi = table[Math.min(table.length - 1, i + 1)];
    const step = (hi - lo) / (Math.min(table.length - 1, i + 1) - Math.max(0, i - 1));
    out[i] = (step * step) / 12;
  }
  return out;
}
