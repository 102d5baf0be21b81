import { CHUNK, noteUncertainty, type Stack } from './stack';

/** Frames this many times darker than the best one add under 2 % to the weight and are left out. */
const DARKEST_USED = 40;

/**
 * The 16-bit merge: the longest unclipped frame gives a first estimate, from it follows every frame's weight.
 * Returns how many green samples no frame holds above its noise.
 */
export function mergeWide({ codes, x, tables, rounding, clipCodes, inverseWell, readVariance }: Stack, out: Float32Array, clipped: Uint8Array, uncertainty: Uint8Array | null): number {
  const count = codes.length;
  const table = tables[0];
  const round = rounding[0];
  const clipCode = clipCodes[0];
  // The usual straight line needs no look-up, and its rounding is the same for every code.
  const step = isStraight(table) ? table[1] : 0;
  const inverse = x.map((v) => 1 / v);
  const square = x.map((v) => v * v);
  const slope = x.map((v) => v * inverseWell);
  // One past the darkest frame that still counts when a frame is the longest that holds.
  const until = Uint8Array.from(x, (longest) => x.filter((v) => v * DARKEST_USED >= longest).length);
  const copy = new Uint16Array(count * CHUNK);
  const weights = new Float32Array(CHUNK);
  let starved = 0;
  for (let from = 0; from < out.length; from += CHUNK) {
    const n = Math.min(CHUNK, out.length - from);
    for (let k = 0; k < count; k++) copy.set(codes[k].subarray(from, from + n), k * CHUNK);
    for (let i = 0; i < n; i++) {
      let k = 0;
      let at = i;
      while (k < count && copy[at] >= clipCode) {
        k++;
        at += CHUNK;
      }
      if (k === count) {
        weights[i] = 0;
        out[from + i] = table[copy[at - CHUNK]] * inverse[count - 1];
        clipped[((from + i) / 3) | 0] = 1;
        continue;
      }
      const estimate = (step > 0 ? copy[at] * step : table[copy[at]]) * inverse[k];
      const end = until[k];
      let w = 0;
      let p = 0;
      for (; k < end; k++, at += CHUNK) {
        const code = copy[at];
        const weight = square[k] / (estimate * slope[k] + readVariance + (step > 0 ? round[1] : round[code]));
        w += weight;
        p += weight * (step > 0 ? code * step : table[code]) * inverse[k];
      }
      weights[i] = w;
      out[from + i] = p / w;
    }
    for (let i = 1; i < n; i += 3) {
      const code = copy[i];
      if (code >= clipCode) continue;
      const signal = table[code];
      if (signal * signal < 9 * (signal * inverseWell + readVariance + round[code])) starved++;
    }
    if (uncertainty) noteUncertainty(uncertainty, weights, out, clipped, from, n);
  }
  return starved;
}

function isStraight(table: Float32Array): boolean {
  const top = table[table.length - 1];
  for (let i = 1; i < table.length; i += 997) if (Math.abs(table[i] - (i * top) / (table.length - 1)) > 1e-7 * top) return false;
  return table[0] === 0;
}
