import { removeGlare, type GlareCurve, type Lens, type RgbImage } from '@tawny/core';

export interface GlareInput {
  image: RgbImage;
  lens: Lens;
  curve: GlareCurve;
}

/** In a thread: takes measured glare out of a merged view (shared memory); returns the mean share that was taken. */
export function removeGlareTask({ image, lens, curve }: GlareInput): number {
  return removeGlare(image, lens, curve);
}
