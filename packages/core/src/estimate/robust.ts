import quickselect from 'quickselect';

/** Standard deviation of a normal variable over its median absolute deviation. */
const MAD_TO_SIGMA = 1.4826;
/** Distance of the quartiles of a normal variable over its standard deviation. */
const QUARTILES = 1.349;

/** Where Tukey's weight ends, in robust standard deviations: 95 % as good as least squares on clean data. */
const TUKEY_CUT = 4.685;

/** So few are sorted sooner than one of them is picked. */
const FEW = 50;

/** The value that half of the others exceed (the upper one of an even count). NaN of nothing. */
export function median(values: ArrayLike<number>): number {
  return quantile(values, 0.5);
}

/** The value below which a share of the others lies, without interpolation. NaN of nothing. */
export function quantile(values: ArrayLike<number>, share: number): number {
  // Not `from`: that asks a typed array for one value at a time.
  const sorted = new Float64Array(values);
  if (sorted.length === 0) return NaN;
  const at = Math.min(sorted.length - 1, Math.floor(share * sorted.length));
  // Only sorting knows where NaN goes: last.
  if (sorted.length < FEW || sorted.includes(NaN)) sorted.sort();
  // It reads and swaps by index; its types speak of arrays alone.
  else quickselect(sorted as unknown as number[], at);
  return sorted[at];
}

/** Robust standard deviation of residuals about zero (Hampel 1974). */
export function spreadOfResiduals(absolute: ArrayLike<number>): number {
  return MAD_TO_SIGMA * median(absolute);
}

/**
 * Location of values that may hold outliers: the median, half the width of the middle 68 % as its spread, and the
 * standard error of a median of normal values.
 */
export function robustLocation(values: ArrayLike<number>): { value: number; spread: number; sigma: number } {
  const sorted = Float64Array.from(values).sort();
  const at = (share: number) => sorted[Math.floor(sorted.length * share)];
  const spread = (at(0.84) - at(0.16)) / 2;
  return { value: sorted[sorted.length >> 1], spread, sigma: (1.25 * spread) / Math.sqrt(sorted.length) };
}

/** Standard deviation by the distance of the quartiles: a quarter of the values may be anything. */
export const spreadOfQuartiles = (values: ArrayLike<number>): number =>
  (quantile(values, 0.75) - quantile(values, 0.25)) / QUARTILES;

/** The residual at which Tukey's weight reaches zero, for a robust standard deviation. */
export const tukeyCut = (spread: number): number => TUKEY_CUT * spread;

/** Tukey's biweight of a residual over its cut: 1 at zero, 0 from 1 on. */
export function tukeyWeight(u: number): number {
  if (Math.abs(u) >= 1) return 0;
  const rest = 1 - u * u;
  return rest * rest;
}
