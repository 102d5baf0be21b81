import { encodeUncertainty, UNKNOWN_UNCERTAINTY } from './uncertainty';

/** A bracket made ready for the merge, longest exposure first. */
export interface Stack {
  codes: readonly (Uint8Array | Uint16Array)[];
  /** Exposures, longest first. */
  x: Float64Array;
  /** Linear value of a code, one table a channel. */
  tables: readonly Float32Array[];
  rounding: readonly Float32Array[];
  /** First code of each channel that counts as clipped. */
  clipCodes: readonly number[];
  inverseWell: number;
  readVariance: number;
}

/** Samples worked on at a time: what the merge keeps of them stays in the nearest cache. */
export const CHUNK = 3 * 512;

/** One byte a pixel from the green sample: its weight is the inverse of its variance. */
export function noteUncertainty(into: Uint8Array, weights: Float32Array, out: Float32Array, clipped: Uint8Array, from: number, n: number): void {
  for (let i = 1; i < n; i += 3) {
    const pixel = ((from + i) / 3) | 0;
    into[pixel] = clipped[pixel] ? UNKNOWN_UNCERTAINTY : encodeUncertainty(1 / (Math.sqrt(weights[i]) * out[from + i]));
  }
}
