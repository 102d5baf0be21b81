import { decodeUncertainty, RELATIVE_REC709, pixelSolidAngle, type Curve, type Lens, type RgbImage } from '@tawny/core';
import type { DecodedFrame } from '@tawny/formats';
import { decodeBracket } from './decodeBracket';
import { mergeDecoded, type MergeViewInput, type MergeViewOutput } from './mergeView';
import { lensesOf } from './placeViews';
import type { Rig } from './rig';

export interface CheckViewInput extends Pick<MergeViewInput, 'frames' | 'width' | 'height'> {
  rig: Rig;
  curve: Curve;
}

export interface CheckViewOutput extends MergeViewOutput {
  /** Share of the sphere that the lens sees of which even the longest frame is nothing but noise. */
  darkShare: number;
  /** Solid angle over which even the shortest frame is cut off. */
  clippedSr: number;
}

/** A value that is known no better than to a third of itself is noise. */
const NOISE_ONLY = 1 / 3;
/** A bracket is looked at with about this many pixels on its long side. */
const GLANCE_SIDE = 1000;

/** Merges a thinned bracket: enough to say while still at the station whether the view holds. `shakePx` is in pixels of the frames. */
export async function checkViewTask({ frames, width, height, rig, curve }: CheckViewInput): Promise<CheckViewOutput> {
  const step = Math.max(1, Math.round(Math.max(width, height) / GLANCE_SIDE));
  const decoded = (await decodeBracket(frames, width, height)).map((f) => ({ ...f, ...thinned(f, step) }));
  const { width: w, height: h } = decoded[0];
  const image: RgbImage = { ...RELATIVE_REC709, width: w, height: h, data: new Float32Array(3 * w * h) };
  const clipped = new Uint8Array(w * h);
  const uncertainty = new Uint8Array(w * h);
  const facts = mergeDecoded(decoded, {
    width: w,
    height: h,
    curve,
    takeOut: true,
    align: true,
    pixels: image.data,
    clipped,
    uncertainty,
  });
  // What lies beside the image circle is no part of the sphere: it is neither dark nor cut off.
  const lenses = lensesOf(rig, image, () => undefined);
  const dark = (i: number) => clipped[i] === 0 && !(decodeUncertainty(uncertainty[i]) < NOISE_ONLY);
  return {
    ...facts,
    shakePx: facts.shakePx * step,
    clippedSr: solidAngleOf((i) => clipped[i] !== 0, w, h, lenses),
    darkShare: solidAngleOf(dark, w, h, lenses) / solidAngleOf(() => true, w, h, lenses),
  };
}

function thinned(frame: DecodedFrame, step: number): DecodedFrame {
  if (step === 1) return frame;
  const [width, height] = [Math.floor(frame.width / step), Math.floor(frame.height / step)];
  const codes = new (frame.codes.constructor as new (n: number) => typeof frame.codes)(3 * width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      for (let c = 0; c < 3; c++)
        codes[3 * (y * width + x) + c] = frame.codes[3 * (y * step * frame.width + x * step) + c];
    }
  }
  return { ...frame, width, height, codes };
}

function solidAngleOf(
  counts: (pixel: number) => boolean,
  width: number,
  height: number,
  lenses: readonly Lens[],
): number {
  let sum = 0;
  for (let i = 0; i < width * height; i++)
    if (counts(i))
      for (const lens of lenses) sum += pixelSolidAngle(lens, (i % width) + 0.5, Math.floor(i / width) + 0.5);
  return sum;
}
