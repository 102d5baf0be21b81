import {
  decodeUncertainty,
  LIMITS,
  RELATIVE_REC709,
  pixelSolidAngle,
  type Curve,
  type Lens,
  type RgbImage,
} from '@tawny/core';
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
  const lenses = lensesOf(rig, image, () => undefined);
  return { ...facts, shakePx: facts.shakePx * step, ...heldBy(lenses, clipped, uncertainty, w) };
}

/** What a view cuts off, in steradians, and the share of what it sees that is noise only. What lies beside the image circle is no part of the sphere: neither dark nor cut off. */
function heldBy(
  lenses: readonly Lens[],
  clipped: Uint8Array,
  uncertainty: Uint8Array,
  width: number,
): Pick<CheckViewOutput, 'clippedSr' | 'darkShare'> {
  let [seen, cut, dark] = [0, 0, 0];
  for (let i = 0; i < clipped.length; i++) {
    const [x, y] = [(i % width) + 0.5, Math.floor(i / width) + 0.5];
    const omega = lenses.reduce((sum, lens) => sum + pixelSolidAngle(lens, x, y), 0);
    seen += omega;
    if (clipped[i] !== 0) cut += omega;
    else if (!(decodeUncertainty(uncertainty[i]) < LIMITS.noise.lost)) dark += omega;
  }
  return { clippedSr: cut, darkShare: seen > 0 ? dark / seen : 0 };
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
