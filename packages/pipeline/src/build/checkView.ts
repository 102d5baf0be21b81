import {
  clipCodeOf,
  decodeUncertainty,
  decodingTable,
  LEAST_HELD_LEVEL,
  LIMITS,
  NOTABLE_CLIPPED_SR,
  RELATIVE_REC709,
  pixelSolidAngle,
  usualSaturation,
  viewDetail,
  type Curve,
  type RgbImage,
  type ViewDetail,
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
  idle: IdleFrames;
  detail: ViewDetail;
  /** The same of each frame alone, where the frames of the view differ so much that one of them may be another view's; null elsewhere. */
  frameDetails: ViewDetail[] | null;
}

/** Frames of a view that add nothing to it. */
export interface IdleFrames {
  /** Shortest frames beyond the first that cuts nothing off. */
  shortest: number;
  /** Longest frames that are white all over what the lens sees. */
  longest: number;
}

/** A bracket is looked at with about this many pixels on its long side. */
const GLANCE_SIDE = 1000;
/** A frame that is cut off over this share of what the lens sees holds nothing. */
const WHITE_SHARE = 0.998;

/**
 * Merges a thinned bracket: enough to say while still at the station whether the view holds. Lights are looked for in every pixel, for the smallest
 * that matter are smaller than what thinning leaves. `shakePx` is in pixels of the frames.
 */
export async function checkViewTask({ frames, width, height, rig, curve }: CheckViewInput): Promise<CheckViewOutput> {
  const step = Math.max(1, Math.round(Math.max(width, height) / GLANCE_SIDE));
  const whole = await decodeBracket(frames, width, height);
  const decoded = whole.map((f) => ({ ...f, ...thinned(f, step) }));
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
  const omega = Float32Array.from({ length: w * h }, (_, i) =>
    lenses.reduce((sum, lens) => sum + pixelSolidAngle(lens, (i % w) + 0.5, Math.floor(i / w) + 0.5), 0),
  );
  const held = heldBy(omega, clipped, uncertainty);
  const shakePx = facts.shakePx * step;
  const detail = viewDetail(
    image,
    (p) => omega[p] > 0 && clipped[p] === 0 && decodeUncertainty(uncertainty[p]) < LIMITS.noise.lost,
  );
  const frameDetails =
    facts.movedFraction > LIMITS.movedInView.lost ? decoded.map((f) => detailOf(f, curve, (p) => omega[p] > 0)) : null;
  // Floats have no code that is their last: what the merge says of them stands.
  if (whole.some((f) => f.bits === 32))
    return {
      ...facts,
      shakePx,
      clippedSr: held.cut,
      darkShare: held.dark / held.seen,
      idle: { shortest: 0, longest: 0 },
      detail,
      frameDetails,
    };
  const cut = whole.map((f) => cutOffSr(f, curve, { omega, width: w, height: h, step }));
  const firstWhole = cut.findIndex((sr) => sr <= NOTABLE_CLIPPED_SR);
  const notWhite = cut.findIndex((sr) => sr < WHITE_SHARE * held.seen);
  return {
    ...facts,
    shakePx,
    clippedSr: cut[cut.length - 1],
    darkShare: held.dark / held.seen,
    idle: {
      shortest: firstWhole < 0 ? 0 : cut.length - 1 - firstWhole,
      longest: Math.max(0, notWhite),
    },
    detail,
    frameDetails,
  };
}

/** Detail of one frame, of what it holds. */
function detailOf({ codes, width, height, bits }: DecodedFrame, curve: Curve, seen: (pixel: number) => boolean) {
  const image: RgbImage = { ...RELATIVE_REC709, width, height, data: new Float32Array(codes.length) };
  const table = bits === 32 ? null : decodingTable(curve, bits === 8 ? 255 : 65535);
  const last = table ? table[clipCodeOf(table, usualSaturation([table], bits !== 8))] : Infinity;
  image.data.forEach((_, i) => (image.data[i] = table ? table[codes[i]] : codes[i]));
  return viewDetail(image, (p) => {
    const [r, g, b] = image.data.subarray(3 * p, 3 * p + 3);
    return seen(p) && g > LEAST_HELD_LEVEL && Math.max(r, g, b) < last;
  });
}

/** What a view sees, cuts off and holds as noise only, in steradians. What lies beside the image circle is no part of the sphere: neither dark nor cut off. */
function heldBy(
  omega: Float32Array,
  clipped: Uint8Array,
  uncertainty: Uint8Array,
): { seen: number; cut: number; dark: number } {
  let [seen, cut, dark] = [0, 0, 0];
  for (let i = 0; i < clipped.length; i++) {
    seen += omega[i];
    if (clipped[i] !== 0) cut += omega[i];
    else if (!(decodeUncertainty(uncertainty[i]) < LIMITS.noise.lost)) dark += omega[i];
  }
  return { seen: Math.max(seen, Number.MIN_VALUE), cut, dark };
}

/** Solid angles of the pixels of a thinned picture. */
interface Thinned {
  omega: Float32Array;
  width: number;
  height: number;
  step: number;
}

/** Steradians that one frame cuts off in some channel, every pixel looked at; each has its share of the thinned picture's pixel that it lies in. */
function cutOffSr({ codes, width, bits }: DecodedFrame, curve: Curve, thin: Thinned): number {
  const table = decodingTable(curve, bits === 8 ? 255 : 65535);
  const last = clipCodeOf(table, usualSaturation([table], bits !== 8));
  let sr = 0;
  for (let i = 0, p = 0; i < codes.length; i += 3, p++)
    if (codes[i] >= last || codes[i + 1] >= last || codes[i + 2] >= last) {
      const x = Math.min(thin.width - 1, Math.floor((p % width) / thin.step));
      const y = Math.min(thin.height - 1, Math.floor(p / width / thin.step));
      sr += thin.omega[y * thin.width + x];
    }
  return sr / (thin.step * thin.step);
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
