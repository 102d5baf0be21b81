import { DataUtils } from 'three';

/** Largest value that CONVENTIONS.md section 6 lets a half file hold. */
export const HALF_LIMIT = 32768;

const single = new Float32Array(1);
const bits = new Uint32Array(single.buffer);
/** Half of what a half's last bit is worth, in bits of a single. */
const HALF_ULP = 0x1000;

/** IEEE 754 half bits of a number, rounded to nearest; values beyond half are the caller's concern. */
export function toHalf(v: number): number {
  // The library cuts off, which would darken everything by a quarter of a thousandth.
  single[0] = v;
  bits[0] += HALF_ULP;
  return DataUtils.toHalfFloat(single[0]);
}

/** Number of half bits. */
export function fromHalf(bits: number): number {
  return DataUtils.fromHalfFloat(bits);
}
