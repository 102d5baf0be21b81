import { DataUtils } from 'three';

/** Largest value that CONVENTIONS.md section 6 lets a half file hold. */
export const HALF_LIMIT = 32768;

/** IEEE 754 half bits of a number, rounded; values beyond half are the caller's concern. */
export function toHalf(v: number): number {
  return DataUtils.toHalfFloat(v);
}

/** Number of half bits. */
export function fromHalf(bits: number): number {
  return DataUtils.fromHalfFloat(bits);
}
