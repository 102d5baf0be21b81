import { halfWidth95 } from '../estimate/confidence';
import type { RgbImage } from '../image/image';
import { luminance } from '../colour/primaries';
import { sampleChart, type Corners, type Sampling } from '../patches/sample';
import { DEG } from '../sphere/direction';

export interface PatchMeasure {
  rgb: [number, number, number];
  luminance: number;
  /** One-sigma relative uncertainty of the mean: how the patch varies across a 3 x 3 grid, and what its pixels' own uncertainties have in common. */
  relativeSigma: number;
  /** Share of pixels that are clipped in any channel. */
  clippedShare: number;
}

/** How a patch is named in messages. */
type PatchOwner = 'plate' | 'panorama';

/** A card is measured in so many parts: how they vary is its uncertainty. */
const PARTS = { columns: 3, rows: 3 };
/** Its sides are at least so long, pixels: each part has some within its edges. */
const LEAST_SIDE_PX = 12;

/**
 * A card by its four corners: mean of the inner halves of its nine parts.
 * @throws RangeError when a corner leaves the picture, the card is too small or holds no light
 */
export function measureCard(image: RgbImage, corners: Corners, owner: PatchOwner, how: Sampling = {}): PatchMeasure {
  if (corners.some(([x, y]) => !(x >= 0 && y >= 0 && x <= image.width && y <= image.height)))
    throw new RangeError(
      `the card marked in the ${owner} lies partly outside the picture (${image.width} x ${image.height})`,
    );
  const sides = corners.map(([x, y], k) => Math.hypot(x - corners[(k + 1) % 4][0], y - corners[(k + 1) % 4][1]));
  if (Math.min(...sides) < LEAST_SIDE_PX)
    throw new RangeError(
      `the card marked in the ${owner} is only ${Math.min(...sides).toFixed(0)} pixels high or wide: mark at least ${LEAST_SIDE_PX} x ${LEAST_SIDE_PX}`,
    );
  const parts = sampleChart(image, corners, PARTS, how);
  const mean = (of: readonly number[]) => of.reduce((s, v) => s + v, 0) / of.length;
  const rgb = [0, 1, 2].map((c) => mean(parts.map((p) => p.rgb[c]))) as [number, number, number];
  const light = luminance(...rgb, image.space);
  if (!(light > 0)) throw new RangeError(`the card marked in the ${owner} holds no light`);
  const variance = parts.reduce((s, p) => s + (luminance(...p.rgb, image.space) - light) ** 2, 0) / (parts.length - 1);
  return {
    rgb,
    luminance: light,
    relativeSigma: Math.hypot(Math.sqrt(variance / parts.length) / light, mean(parts.map((p) => p.commonSigma ?? 0))),
    clippedShare: mean(parts.map((p) => p.clippedShare)),
  };
}

/** A value in stops with its 95 % half width. */
export interface UncertainStops {
  stops: number;
  uncertaintyStops: number;
}

/** Share of the natural falloff (cos^4) that a lens shows: pupils that grow sideways take some of it back, mounts and stops add to it. */
const SHOWN_FALLOFF = 0.5;

/** What a lens of which nobody measured the falloff darkens so far from its axis, stops: none to all of the natural falloff. */
export function expectedFalloff(offAxisDeg: number): UncertainStops {
  const natural = 4 * Math.log2(Math.cos(offAxisDeg * DEG));
  return { stops: SHOWN_FALLOFF * natural, uncertaintyStops: Math.abs(SHOWN_FALLOFF * natural) };
}

export interface CardGain {
  /** Plate value = gain x panorama value, in stops (luminance) and per channel. */
  gainStops: number;
  /** Half width of the 95 % interval. */
  uncertaintyStops: number;
  channelStops: [number, number, number];
}

const NO_FALLOFF: UncertainStops = { stops: 0, uncertaintyStops: 0 };

/** Markings of a card's edge, stray light and the evenness of both pictures, one sigma in stops: over sixty rendered rounds (docs/accuracy.md). */
const MARKING_STOPS = 0.019;

/**
 * Relative gain from a grey card seen in both pictures. CONVENTIONS.md section 3.
 * @param falloff what the plate's lens takes where the card is: the gain is that of the plate's middle
 * @throws RangeError when a patch is clipped
 */
export function gainFromCard(
  plate: PatchMeasure,
  panorama: PatchMeasure,
  falloff: UncertainStops = NO_FALLOFF,
): CardGain {
  if (plate.clippedShare > 0.01)
    throw new RangeError('the card is clipped in the plate: its gain cannot be measured there');
  if (panorama.clippedShare > 0.01)
    throw new RangeError('the card is clipped in the panorama: its gain cannot be measured there');
  const sigma = Math.hypot(plate.relativeSigma, panorama.relativeSigma) / Math.LN2;
  return {
    gainStops: Math.log2(plate.luminance / panorama.luminance) - falloff.stops,
    // What its own texture does not show.
    uncertaintyStops: Math.hypot(halfWidth95(sigma, MARKING_STOPS), falloff.uncertaintyStops),
    channelStops: [0, 1, 2].map((c) => Math.log2(plate.rgb[c] / panorama.rgb[c]) - falloff.stops) as [
      number,
      number,
      number,
    ],
  };
}

/** 95 % half widths in stops of what engravings promise: T-stop, EI, shutter and ND together, for each camera. */
const METADATA_STOPS = 0.3;

/** Gain that metadata alone predicts: both pictures linear with 1 at saturation, the panorama divided by its exposures. */
export function gainFromMetadata(plateExposure: number): { gainStops: number; uncertaintyStops: number } {
  if (!(plateExposure > 0)) throw new RangeError(`plate exposure ${plateExposure} is not positive`);
  return { gainStops: Math.log2(plateExposure), uncertaintyStops: Math.hypot(METADATA_STOPS, METADATA_STOPS) };
}
