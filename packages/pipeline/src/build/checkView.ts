import { RELATIVE_REC709, pixelSolidAngle, type Curve, type Lens, type RgbImage } from '@tawny/core';
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
  /** Solid angle over which even the shortest frame is cut off. */
  clippedSr: number;
}

/** A bracket is looked at with about this many pixels on its long side. */
const GLANCE_SIDE = 1000;

/** Merges a thinned bracket: enough to say while still at the station whether the view holds. `shakePx` is in pixels of the frames. */
export async function checkViewTask({ frames, width, height, rig, curve }: CheckViewInput): Promise<CheckViewOutput> {
  const step = Math.max(1, Math.round(Math.max(width, height) / GLANCE_SIDE));
  const decoded = (await decodeBracket(frames, width, height)).map((f) => ({ ...f, ...thinned(f, step) }));
  const { width: w, height: h } = decoded[0];
  const image: RgbImage = { ...RELATIVE_REC709, width: w, height: h, data: new Float32Array(3 * w * h) };
  const clipped = new Uint8Array(w * h);
  const facts = mergeDecoded(decoded, {
    width: w,
    height: h,
    curve,
    takeOut: true,
    align: true,
    pixels: image.data,
    clipped,
  });
  return {
    ...facts,
    shakePx: facts.shakePx * step,
    clippedSr: solidAngleOf(
      clipped,
      w,
      lensesOf(rig, image, () => undefined),
    ),
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

function solidAngleOf(flags: Uint8Array, width: number, lenses: readonly Lens[]): number {
  let sum = 0;
  flags.forEach((flag, i) => {
    if (flag) for (const lens of lenses) sum += pixelSolidAngle(lens, (i % width) + 0.5, Math.floor(i / width) + 0.5);
  });
  return sum;
}
