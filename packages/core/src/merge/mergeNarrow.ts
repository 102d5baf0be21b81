import { kernelRoom } from './kernels';
import { CHUNK, finishChunk, type Stack } from './stack';

/** Frames looked up in one go; short brackets are padded with frames that weigh nothing. */
const GROUP = 8;
/** Weight and weight times value of 256 codes. */
const TABLE = 512;

/**
 * The 8-bit merge: rounding rules there, so the weight of a code in a frame is a number looked up, and so is its product with the value.
 * Clipped codes weigh nothing. Returns how many green samples no frame holds above its noise.
 */
export function mergeNarrow(
  stack: Stack,
  out: Float32Array,
  clipped: Uint8Array,
  uncertainty: Uint8Array | null,
): number {
  const { codes, tables, rounding, inverseWell, readVariance } = stack;
  const count = codes.length;
  // Channels of one curve share their tables and are gone through together.
  const alike = tables[0] === tables[1] && tables[1] === tables[2];
  const channels = alike ? [0] : [0, 1, 2];
  const groups = Math.ceil(count / GROUP);
  const tableBytes = 4 * GROUP * TABLE;
  const { kernels, at, buffer } = kernelRoom({
    tables: groups * channels.length * tableBytes,
    codes: GROUP * CHUNK,
    weights: 4 * CHUNK,
    sums: 4 * CHUNK,
  });
  const tableAt = (g: number, c: number) => at.tables + (g * channels.length + c) * tableBytes;
  for (let g = 0; g < groups; g++)
    for (const c of channels) fillTables(new Float32Array(buffer, tableAt(g, c), GROUP * TABLE), stack, g * GROUP, c);
  const copy = new Uint8Array(buffer, at.codes, GROUP * CHUNK);
  const weights = new Float32Array(buffer, at.weights, CHUNK);
  const sums = new Float32Array(buffer, at.sums, CHUNK);
  for (let from = 0; from < out.length; from += CHUNK) {
    const n = Math.min(CHUNK, out.length - from);
    for (let g = 0; g < groups; g++) {
      for (let k = g * GROUP; k < Math.min(count, (g + 1) * GROUP); k++)
        copy.set(codes[k].subarray(from, from + n), (k - g * GROUP) * CHUNK);
      for (const c of channels)
        kernels.addNarrow(at.codes, CHUNK, tableAt(g, c), c, channels.length, n, g > 0, at.weights, at.sums);
    }
    const holes = kernels.settle(at.weights, at.sums, (n + 3) & ~3) !== 0;
    finishChunk(stack, { weights, means: sums, from, n, holes }, out, clipped, uncertainty);
  }
  const longest = codes[0];
  const starvedBelow = tables[1].findIndex(
    (v, code) => v * v >= 9 * (v * inverseWell + readVariance + rounding[1][code]),
  );
  let starved = 0;
  for (let i = 1; i < longest.length; i += 3) if (longest[i] < starvedBelow) starved++;
  return starved;
}

/** Weights and products of one channel for a group of frames from `first` on; zero beyond the last frame. */
function fillTables(
  into: Float32Array,
  { codes, x, tables, rounding, clipCodes, inverseWell, readVariance }: Stack,
  first: number,
  c: number,
): void {
  into.fill(0);
  for (let k = first; k < Math.min(codes.length, first + GROUP); k++) {
    for (let code = 0; code < clipCodes[c]; code++) {
      const value = tables[c][code];
      const w = (x[k] * x[k]) / (value * inverseWell + readVariance + rounding[c][code]);
      into[(k - first) * TABLE + 2 * code] = w;
      into[(k - first) * TABLE + 2 * code + 1] = (w * value) / x[k];
    }
  }
}
