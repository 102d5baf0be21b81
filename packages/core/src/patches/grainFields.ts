import type { RgbImage } from '../image/image';

/** What a small field of a plate says of its grain, once its own slope is taken off. */
export interface FieldStatistics {
  /** Mean of the channels. */
  level: number;
  /** Mean square of a channel about the field's plane: short by what the plane took of it (`lostShare`). */
  variance: number;
  pixels: number;
  /** Covariance of neighbours 1, 2, ... pixels apart, mean of both directions and the channels. */
  lags: number[];
  /** Mean correlation of two channels. */
  correlation: number;
}

/** Neighbours up to so many pixels apart. */
const LAGS = 6;

/**
 * Variance, covariance of neighbours and of channels in a square field about the plane that fits it best; of the difference of two frames over the
 * root of two where there are two.
 * @returns null where a channel is cut off or empty
 */
export function fieldStatistics(
  image: RgbImage,
  pair: RgbImage | null,
  left: number,
  top: number,
  side: number,
): FieldStatistics | null {
  const n = side * side;
  const rests: Float64Array[] = [];
  let level = 0;
  const half = (side - 1) / 2;
  let square = 0;
  for (let i = 0; i < side; i++) square += (i - half) ** 2 * side;
  for (let c = 0; c < 3; c++) {
    const rest = new Float64Array(n);
    let [sum, sx, sy, own] = [0, 0, 0, 0];
    for (let j = 0; j < side; j++)
      for (let i = 0; i < side; i++) {
        const at = 3 * ((top + j) * image.width + left + i) + c;
        const v = pair ? (image.data[at] - pair.data[at]) / Math.SQRT2 : image.data[at];
        if (!Number.isFinite(v)) return null;
        rest[j * side + i] = v;
        own += image.data[at];
        sum += v;
        sx += v * (i - half);
        sy += v * (j - half);
      }
    level += own / n / 3;
    const [m, gx, gy] = [sum / n, sx / square, sy / square];
    let variance = 0;
    for (let j = 0; j < side; j++)
      for (let i = 0; i < side; i++) {
        const k = j * side + i;
        rest[k] -= m + gx * (i - half) + gy * (j - half);
        variance += rest[k] ** 2;
      }
    // A channel without any grain is cut off or clipped.
    if (!(variance > 0)) return null;
    rests.push(rest);
  }
  const variances = rests.map((r) => r.reduce((s, v) => s + v * v, 0) / n);
  const covariance = (a: Float64Array, b: Float64Array) => a.reduce((s, v, k) => s + v * b[k], 0) / n;
  const lags = Array.from({ length: LAGS }, (_, k) => {
    const lag = k + 1;
    if (lag >= side) return 0;
    let sum = 0;
    for (const r of rests)
      for (let j = 0; j < side; j++)
        for (let i = 0; i + lag < side; i++)
          sum += r[j * side + i] * r[j * side + i + lag] + r[i * side + j] * r[(i + lag) * side + j];
    return sum / (6 * side * (side - lag));
  });
  const pairs = [[0, 1], [1, 2], [0, 2]] as const; // prettier-ignore
  return {
    level,
    variance: (variances[0] + variances[1] + variances[2]) / 3,
    pixels: n,
    lags,
    correlation:
      pairs.reduce((s, [a, b]) => s + covariance(rests[a], rests[b]) / Math.sqrt(variances[a] * variances[b]), 0) / 3,
  };
}

/** Unknowns of a plane. */
const PLANE = 3;

/**
 * Grain's autocorrelation over some fields, and the share of its variance that the fields' planes took with them: coarse grain looks like a slope to a
 * small field. Both depend on each other, so they are worked out in turn; the grain is taken to be alike in both directions.
 */
export function autocorrelation(fields: readonly FieldStatistics[]): { at: number[]; lostShare: number } {
  const mean = (of: (f: FieldStatistics) => number) => fields.reduce((s, f) => s + of(f) / f.variance, 0) / fields.length;
  const raw = fields[0].lags.map((_, k) => mean((f) => f.lags[k]));
  const pixels = fields.reduce((s, f) => s + f.pixels, 0) / fields.length;
  const end = raw.findIndex((v) => v < 0.03);
  const seen = end < 0 ? raw.length : end;
  let lost = PLANE / pixels;
  let at = raw;
  for (let pass = 0; pass < 5; pass++) {
    at = raw.map((v) => v * (1 - lost) + lost);
    const reach = 1 + 2 * at.slice(0, seen).reduce((s, v) => s + v, 0);
    lost = Math.min(0.5, (PLANE * reach * reach) / pixels);
  }
  return { at, lostShare: lost };
} // prettier-ignore

/** How much wider than that of independent pixels the spread of fields' own deviations is when grain is coarse: a factor of at least 1. */
export function correlatedSpread(fields: readonly FieldStatistics[]): number {
  const sum = fields.reduce((s, f) => s + f.lags[0] / f.variance, 0) / fields.length;
  return 1 + 0.25 * Math.max(0, Math.min(1, sum));
}
