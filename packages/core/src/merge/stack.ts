import { encodeInformation, UNKNOWN_UNCERTAINTY } from './uncertainty';

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

/** `n` merged samples from `from` on: their means, and weights that are the inverse of the variance; `holes` when some weigh nothing. */
export interface MergedChunk {
  weights: Float32Array;
  means: Float32Array;
  from: number;
  n: number;
  holes: boolean;
}

/** Puts merged samples where they belong. Where all frames clip the shortest one's value stands and the pixel is marked. */
export function finishChunk(
  { codes, x, tables }: Stack,
  { weights, means, from, n, holes }: MergedChunk,
  out: Float32Array,
  clipped: Uint8Array,
  uncertainty: Uint8Array | null,
): void {
  if (holes) {
    const shortest = codes.length - 1;
    for (let i = 0; i < n; i++) {
      if (weights[i] > 0) continue;
      means[i] = tables[(from + i) % 3][codes[shortest][from + i]] / x[shortest];
      clipped[((from + i) / 3) | 0] = 1;
    }
  }
  out.set(means.subarray(0, n), from);
  if (!uncertainty) return;
  // One byte a pixel from the green sample.
  for (let i = 1; i < n; i += 3) {
    const pixel = ((from + i) / 3) | 0;
    uncertainty[pixel] = clipped[pixel] ? UNKNOWN_UNCERTAINTY : encodeInformation(weights[i] * means[i] * means[i]);
  }
}
