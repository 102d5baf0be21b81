import { DataUtils } from 'three';

/** Largest value that CONVENTIONS.md section 6 lets a half file hold. */
export const HALF_LIMIT = 32768;

const single = new Float32Array(1);
const bits = new Uint32Array(single.buffer);
const SUBNORMAL = 2 ** -14;
const SMALLEST = 2 ** -24;

const even = (v: number) => {
  const low = Math.floor(v);
  const part = v - low;
  return part > 0.5 || (part === 0.5 && low % 2 === 1) ? low + 1 : low;
};

/** IEEE 754 half bits of a number, rounded to nearest, ties to even, subnormals too; values beyond half are the caller's concern. */
export function toHalf(v: number): number {
  // The library cuts off, which would darken everything by a quarter of a thousandth.
  const size = Math.abs(v);
  if (size < SUBNORMAL) return (v < 0 ? 0x8000 : 0) | even(size / SMALLEST);
  single[0] = v;
  // Half of the last bit, less one where the pattern below is even already.
  bits[0] += 0x0fff + ((bits[0] >>> 13) & 1);
  return DataUtils.toHalfFloat(single[0]);
}

/** Number of half bits. */
export function fromHalf(bits: number): number {
  return DataUtils.fromHalfFloat(bits);
}
