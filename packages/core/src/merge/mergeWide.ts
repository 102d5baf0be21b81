import { kernelRoom } from './kernels';
import { CHUNK, finishChunk, type Stack } from './stack';

/** Floats that the kernel wants to know of a frame. */
const FACTS = 4;

/**
 * The 16-bit merge: the longest unclipped frame gives a first estimate, from it follows the weight of every frame that is not clipped.
 * Returns how many green samples no frame holds above its noise.
 */
export function mergeWide(
  stack: Stack,
  out: Float32Array,
  clipped: Uint8Array,
  uncertainty: Uint8Array | null,
): number {
  const { codes, x, tables, rounding, clipCodes, inverseWell, readVariance } = stack;
  const count = codes.length;
  const table = tables[0];
  const round = rounding[0];
  const clip = table[clipCodes[0]];
  // The usual straight line needs no look-up, and its rounding is the same for every code.
  const straight = isStraight(table);
  const { kernels, at, buffer } = kernelRoom({
    frames: 4 * FACTS * count,
    codes: 2 * CHUNK,
    light: 4 * CHUNK * count,
    rounds: straight ? 16 : 4 * CHUNK * count,
    weights: 4 * CHUNK,
    sums: 4 * CHUNK,
    table: straight ? 0 : 4 * table.length,
    rounding: straight ? 0 : 4 * round.length,
  });
  new Float32Array(buffer, at.frames, FACTS * count).set([...x].flatMap((v) => [1 / v, v * v, v * inverseWell, 0]));
  if (straight) new Float32Array(buffer, at.rounds, 4).fill(round[1]);
  else {
    new Float32Array(buffer, at.table, table.length).set(table);
    new Float32Array(buffer, at.rounding, round.length).set(round);
  }
  const copy = new Uint16Array(buffer, at.codes, CHUNK);
  const weights = new Float32Array(buffer, at.weights, CHUNK);
  const sums = new Float32Array(buffer, at.sums, CHUNK);
  for (let from = 0; from < out.length; from += CHUNK) {
    const n = Math.min(CHUNK, out.length - from);
    const padded = (n + 3) & ~3;
    for (let k = 0; k < count; k++) {
      copy.set(codes[k].subarray(from, from + n));
      const plane = 4 * k * padded;
      if (straight) kernels.straighten(at.codes, table[1], padded, at.light + plane);
      else kernels.lookUp(at.codes, at.table, at.rounding, padded, at.light + plane, at.rounds + plane);
    }
    kernels.addWide(
      at.light,
      at.rounds,
      straight ? 0 : 4,
      at.frames,
      count,
      clip,
      readVariance,
      padded,
      at.weights,
      at.sums,
    );
    const holes = kernels.settle(at.weights, at.sums, padded) !== 0;
    finishChunk(stack, { weights, means: sums, from, n, holes }, out, clipped, uncertainty);
  }
  let starved = 0;
  const longest = codes[0];
  const starvedBelow = table.findIndex((v, code) => v * v >= 9 * (v * inverseWell + readVariance + round[code]));
  for (let i = 1; i < longest.length; i += 3) if (longest[i] < starvedBelow) starved++;
  return starved;
}

function isStraight(table: Float32Array): boolean {
  const top = table[table.length - 1];
  for (let i = 1; i < table.length; i += 997)
    if (Math.abs(table[i] - (i * top) / (table.length - 1)) > 1e-7 * top) return false;
  return table[0] === 0;
}
