import { CHUNK, noteUncertainty, type Stack } from './stack';

/** Frames looked up in one go; short brackets are padded with frames that weigh nothing. */
const GROUP = 8;
/** Weight and weight times value of 256 codes. */
const TABLE = 512;

/**
 * The 8-bit merge: rounding rules there, so the weight of a code in a frame is a number looked up, and so is its product with the value.
 * Clipped codes weigh nothing. Returns how many green samples no frame holds above its noise.
 */
export function mergeNarrow(stack: Stack, out: Float32Array, clipped: Uint8Array, uncertainty: Uint8Array | null): number {
  const { codes, x, tables, rounding, inverseWell, readVariance } = stack;
  const count = codes.length;
  // Channels of one curve share their tables and are gone through together.
  const alike = tables[0] === tables[1] && tables[1] === tables[2];
  const channels = alike ? [0] : [0, 1, 2];
  const groups = Array.from({ length: Math.ceil(count / GROUP) }, (_, g) => channels.map((c) => groupTable(stack, g * GROUP, c)));
  // A copy of the chunk: one array for all frames of a group is read far faster than several.
  const copy = new Uint8Array(GROUP * CHUNK);
  const weights = new Float32Array(CHUNK);
  const last = codes[count - 1];
  for (let from = 0; from < out.length; from += CHUNK) {
    const n = Math.min(CHUNK, out.length - from);
    groups.forEach((group, g) => {
      for (let k = g * GROUP; k < Math.min(count, (g + 1) * GROUP); k++) copy.set(codes[k].subarray(from, from + n), (k - g * GROUP) * CHUNK);
      for (const c of channels) addGroup(copy, group[c], c, channels.length, n, g > 0, weights, out, from);
    });
    for (let i = 0; i < n; i++) {
      const w = weights[i];
      if (w > 0) out[from + i] /= w;
      else {
        out[from + i] = tables[(from + i) % 3][last[from + i]] / x[count - 1];
        clipped[((from + i) / 3) | 0] = 1;
      }
    }
    if (uncertainty) noteUncertainty(uncertainty, weights, out, clipped, from, n);
  }
  const longest = codes[0];
  const starvedBelow = tables[1].findIndex((v, code) => v * v >= 9 * (v * inverseWell + readVariance + rounding[1][code]));
  let starved = 0;
  for (let i = 1; i < longest.length; i += 3) if (longest[i] < starvedBelow) starved++;
  return starved;
}

/** Weights and products of one channel for a group of frames from `first` on; zero beyond the last frame. */
function groupTable({ codes, x, tables, rounding, clipCodes, inverseWell, readVariance }: Stack, first: number, c: number): Float64Array {
  const out = new Float64Array(GROUP * TABLE);
  for (let k = first; k < Math.min(codes.length, first + GROUP); k++) {
    for (let code = 0; code < clipCodes[c]; code++) {
      const value = tables[c][code];
      const w = (x[k] * x[k]) / (value * inverseWell + readVariance + rounding[c][code]);
      out[(k - first) * TABLE + 2 * code] = w;
      out[(k - first) * TABLE + 2 * code + 1] = (w * value) / x[k];
    }
  }
  return out;
}

/** Sums of a group for every `step`th sample of the chunk; the innermost loop, unrolled. */
function addGroup(copy: Uint8Array, t: Float64Array, first: number, step: number, n: number, more: boolean, weights: Float32Array, out: Float32Array, from: number): void {
  for (let i = first; i < n; i += step) {
    const a = 2 * copy[i];
    const b = TABLE + 2 * copy[CHUNK + i];
    const c = 2 * TABLE + 2 * copy[2 * CHUNK + i];
    const d = 3 * TABLE + 2 * copy[3 * CHUNK + i];
    const e = 4 * TABLE + 2 * copy[4 * CHUNK + i];
    const f = 5 * TABLE + 2 * copy[5 * CHUNK + i];
    const g = 6 * TABLE + 2 * copy[6 * CHUNK + i];
    const h = 7 * TABLE + 2 * copy[7 * CHUNK + i];
    const w = t[a] + t[b] + t[c] + t[d] + t[e] + t[f] + t[g] + t[h];
    const p = t[a + 1] + t[b + 1] + t[c + 1] + t[d + 1] + t[e + 1] + t[f + 1] + t[g + 1] + t[h + 1];
    weights[i] = more ? weights[i] + w : w;
    out[from + i] = more ? out[from + i] + p : p;
  }
}
