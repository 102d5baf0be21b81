import { z } from 'zod';
import type { Distortion } from '@tawny/core';

const size = z.number().positive();

/** `<lens>` of the verbs' input files: OpenCV's model, ideal to distorted, centres from the corner of the picture. */
export const lensSchema = z.strictObject({
  k1: z.number(),
  k2: z.number(),
  p1: z.number(),
  p2: z.number(),
  k3: z.number(),
  focalLengthXPx: size,
  focalLengthYPx: size,
  centreXPx: z.number(),
  centreYPx: z.number(),
  widthPx: size,
  heightPx: size,
});
export type LensFile = z.infer<typeof lensSchema>;

/** A lens on a picture of its own shape, wherever it was measured. @throws RangeError when the shapes differ */
export function onPicture(lens: LensFile, widthPx: number, heightPx: number) {
  const scale = widthPx / lens.widthPx;
  if (Math.abs(heightPx / lens.heightPx / scale - 1) > 0.01)
    throw new RangeError(
      `lens: it was measured on ${lens.widthPx} x ${lens.heightPx} pixels, whose shape is not that of ${widthPx} x ${heightPx}`,
    );
  const distortion: Distortion = [lens.k1, lens.k2, lens.p1, lens.p2, lens.k3];
  return {
    focalXPx: lens.focalLengthXPx * scale,
    focalYPx: lens.focalLengthYPx * scale,
    centreXPx: lens.centreXPx * scale,
    centreYPx: lens.centreYPx * scale,
    distortion: distortion.some((k) => k !== 0) ? distortion : null,
  };
}
