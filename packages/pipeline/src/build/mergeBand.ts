import { mergeBracket, type Curve } from '@tawny/core';

export interface MergeBandInput {
  /** Rows of every frame, shared memory. */
  codes: (Uint8Array | Uint16Array)[];
  exposures: number[];
  width: number;
  height: number;
  curve: Curve;
  pixels: Float32Array;
  clipped: Uint8Array;
}

/** Merges a band of rows into shared memory. */
export function mergeBandTask({ codes, exposures, width, height, curve, pixels, clipped }: MergeBandInput): void {
  mergeBracket(
    codes.map((c, k) => ({ codes: c, exposure: exposures[k] })),
    { width, height, curve, into: { pixels, clipped } },
  );
}
