import { halfWidth95 } from '../estimate/confidence';
import type { RgbImage } from '../image/image';
import { luminance } from '../colour/primaries';

/** A marked rectangle in pixels: left, top inclusive; right, bottom exclusive; may cross the panorama's seam (left > right). */
export interface PatchRect {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

export interface PatchMeasure {
  rgb: [number, number, number];
  luminance: number;
  /** One-sigma relative uncertainty of the mean, from how the patch varies across a 3 x 3 grid. */
  relativeSigma: number;
  pixels: number;
  /** Share of pixels that are clipped in any channel. */
  clippedShare: number;
}

/** How a patch is named in messages. */
type PatchOwner = 'plate' | 'panorama';

/**
 * Mean of a patch of a picture.
 * @param clipped pixels of the picture that count as clipped; left out, none do
 * @throws RangeError when the patch leaves the picture, is smaller than 3 x 3 pixels or holds no light
 */
export function measurePatch(image: RgbImage, rect: PatchRect, owner: PatchOwner, clipped?: Uint8Array): PatchMeasure {
  const left = Math.round(rect.left);
  const top = Math.round(rect.top);
  const bottom = Math.round(rect.bottom);
  const wraps = owner === 'panorama' && rect.right < rect.left;
  const right = Math.round(rect.right) + (wraps ? image.width : 0);
  const width = right - left;
  const height = bottom - top;
  if (left < 0 || top < 0 || bottom > image.height || (!wraps && right > image.width) || left >= image.width) {
    throw new RangeError(
      `the card marked in the ${owner} lies partly outside the picture (${image.width} x ${image.height})`,
    );
  }
  if (width < 3 || height < 3) {
    throw new RangeError(`the card marked in the ${owner} is only ${width} x ${height} pixels: mark at least 3 x 3`);
  }
  const cells = Array.from({ length: 9 }, () => ({ sum: [0, 0, 0], n: 0 }));
  let clippedPixels = 0;
  for (let y = 0; y < height; y++) {
    const cy = Math.floor((3 * y) / height);
    for (let x = 0; x < width; x++) {
      const cell = cells[3 * cy + Math.floor((3 * x) / width)];
      const p = (top + y) * image.width + ((left + x) % image.width);
      const i = 3 * p;
      const r = image.data[i];
      const g = image.data[i + 1];
      const b = image.data[i + 2];
      if (clipped?.[p]) clippedPixels++;
      cell.sum[0] += r;
      cell.sum[1] += g;
      cell.sum[2] += b;
      cell.n++;
    }
  }
  const pixels = width * height;
  const rgb = [0, 1, 2].map((c) => cells.reduce((s, k) => s + k.sum[c], 0) / pixels) as [number, number, number];
  const mean = luminance(...rgb, image.space);
  if (!(mean > 0)) throw new RangeError(`the card marked in the ${owner} holds no light`);
  const means = cells.map((k) => luminance(k.sum[0] / k.n, k.sum[1] / k.n, k.sum[2] / k.n, image.space));
  const variance = means.reduce((s, m) => s + (m - mean) ** 2, 0) / 8;
  return {
    rgb,
    luminance: mean,
    relativeSigma: Math.sqrt(variance / 9) / mean,
    pixels,
    clippedShare: clippedPixels / pixels,
  };
}

export interface CardGain {
  /** Plate value = gain x panorama value, in stops (luminance) and per channel. */
  gainStops: number;
  /** Half width of the 95 % interval. */
  uncertaintyStops: number;
  channelStops: [number, number, number];
}

/** Markings of a card's edge, stray light and the evenness of both pictures, one sigma in stops: over sixty rendered rounds (docs/accuracy.md). */
const MARKING_STOPS = 0.013;

/** Relative gain from a grey card seen in both pictures. CONVENTIONS.md section 3. @throws RangeError when a patch is clipped. */
export function gainFromCard(plate: PatchMeasure, panorama: PatchMeasure): CardGain {
  if (plate.clippedShare > 0.01)
    throw new RangeError('the card is clipped in the plate: its gain cannot be measured there');
  if (panorama.clippedShare > 0.01)
    throw new RangeError('the card is clipped in the panorama: its gain cannot be measured there');
  const sigma = Math.hypot(plate.relativeSigma, panorama.relativeSigma) / Math.LN2;
  return {
    gainStops: Math.log2(plate.luminance / panorama.luminance),
    // What its own texture does not show.
    uncertaintyStops: halfWidth95(sigma, MARKING_STOPS),
    channelStops: [0, 1, 2].map((c) => Math.log2(plate.rgb[c] / panorama.rgb[c])) as [number, number, number],
  };
}

/** 95 % half widths in stops of what engravings promise: T-stop, EI, shutter and ND together, for each camera. */
const METADATA_STOPS = 0.3;

/** Gain that metadata alone predicts: both pictures linear with 1 at saturation, the panorama divided by its exposures. */
export function gainFromMetadata(plateExposure: number): { gainStops: number; uncertaintyStops: number } {
  if (!(plateExposure > 0)) throw new RangeError(`plate exposure ${plateExposure} is not positive`);
  return { gainStops: Math.log2(plateExposure), uncertaintyStops: Math.hypot(METADATA_STOPS, METADATA_STOPS) };
}
