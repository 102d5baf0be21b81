import type { RgbImage } from '../image/image';
import { median, spreadOfResiduals, spreadOfQuartiles } from '../estimate/robust';
import type { PatchColour } from '../colour/match';
import { rowSolidAngle } from '../sphere/latlong';
import type { ChartLayout } from './chart';
import { fitHomography, inverseHomography, mapPoint, type Homography, type Point } from './homography';

/** Of a cell's side, what is taken about its middle: the edges of patches are blurred, and corners are marked by hand. */
const INNER = 0.5;
/** Values farther out than so many robust standard deviations are dust, scratches, highlights. */
const OUTLIER = 3.5;
/** Grain and demosaicing join neighbours: so many pixels count as one. */
const PIXELS_AS_ONE = 4;
const LEAST_PIXELS = 4;
/** Overlaps and resampling average noise: a pixel's own may be so many times what its neighbours' scatter shows (two to four on rendered rounds). */
const AVERAGED = 4;

/**
 * Corners of the whole field of patches in pixels: of the first patch, the end of its row, the last patch, the first of the last row.
 */
export type Corners = readonly [Point, Point, Point, Point];

export interface Sampling {
  /** 1 where a pixel is cut off (`clippedPixels`); left out, none is. */
  clipped?: Uint8Array | null;
  /** Relative standard uncertainty of every pixel, NaN where nobody knows. */
  uncertainty?: ArrayLike<number> | null;
  /** The picture is a latitude-longitude panorama. */
  latlong?: boolean;
}

/** Cells of the layout (0..columns, 0..rows) to pixels. @throws RangeError when the corners are no quadrilateral */
export function chartPlane(corners: Corners, { columns, rows }: ChartLayout): Homography {
  const turns = corners.map((p, k) => {
    const [q, r] = [corners[(k + 1) % 4], corners[(k + 2) % 4]];
    return (q[0] - p[0]) * (r[1] - q[1]) - (q[1] - p[1]) * (r[0] - q[0]);
  });
  if (!turns.every((t) => t > 0) && !turns.every((t) => t < 0))
    throw new RangeError('the four corners do not go round a convex field: state them in their order, clockwise from the first');
  return fitHomography(
    [
      [0, 0],
      [columns, 0],
      [columns, rows],
      [0, rows],
    ],
    corners,
  );
} // prettier-ignore

/**
 * Means of a chart's patches: robust over the inner half of each cell, with the standard error of the mean and the share that is clipped.
 * @returns patches named "1" .. row by row
 * @throws RangeError when the corners are no quadrilateral, leave the picture or hold too few pixels
 */
export function sampleChart(image: RgbImage, corners: Corners, layout: ChartLayout, how: Sampling = {}): PatchColour[] {
  const { columns, rows } = layout;
  if (corners.some(([x, y]) => !(x >= 0 && y >= 0 && x <= image.width && y <= image.height)))
    throw new RangeError(`corners: one lies outside of the picture (${image.width} x ${image.height} pixels)`);
  const plane = chartPlane(corners, layout);
  const back = inverseHomography(plane);
  return Array.from({ length: columns * rows }, (_, k) =>
    sampleCell(image, plane, back, [k % columns, Math.floor(k / columns)], String(k + 1), how),
  );
}

/** A card by its four corners: one patch. @throws RangeError see `sampleChart` */
export const sampleCard = (image: RgbImage, corners: Corners, how: Sampling = {}): PatchColour => ({
  ...sampleChart(image, corners, { columns: 1, rows: 1 }, how)[0],
  name: 'card',
});

function sampleCell(
  image: RgbImage,
  plane: Homography,
  back: Homography,
  [column, row]: Point,
  name: string,
  how: Sampling,
): PatchColour {
  const edge = (1 - INNER) / 2;
  const [u0, u1, v0, v1] = [column + edge, column + 1 - edge, row + edge, row + 1 - edge];
  const outline = ([[u0, v0], [u1, v0], [u1, v1], [u0, v1]] as Point[]).map((p) => mapPoint(plane, p)); // prettier-ignore
  const [xs, ys] = [0, 1].map((k) => outline.map((p) => p[k]));
  const inside: number[] = [];
  for (let y = Math.max(0, Math.floor(Math.min(...ys))); y < Math.min(image.height, Math.ceil(Math.max(...ys))); y++)
    for (let x = Math.max(0, Math.floor(Math.min(...xs))); x < Math.min(image.width, Math.ceil(Math.max(...xs))); x++) {
      const [u, v] = mapPoint(back, [x + 0.5, y + 0.5]);
      if (u >= u0 && u <= u1 && v >= v0 && v <= v1) inside.push(y * image.width + x);
    }
  if (inside.length < LEAST_PIXELS)
    throw new RangeError(
      `patch ${name} is only ${inside.length} pixels large within its edges: the chart is too small`,
    );
  return patchOf(image, inside, name, how);
}

/** Robust mean of some pixels; in a latitude-longitude panorama each counts by its solid angle (CONVENTIONS.md section 2). */
function patchOf(
  image: RgbImage,
  pixels: readonly number[],
  name: string,
  { clipped, uncertainty, latlong }: Sampling,
): PatchColour {
  const bright = Float64Array.from(pixels, (p) => image.data[3 * p] + image.data[3 * p + 1] + image.data[3 * p + 2]);
  const middle = median(bright);
  // Grain has a spread even where most values are alike.
  const spread = Math.max(
    spreadOfResiduals(bright.map((v) => Math.abs(v - middle))),
    spreadOfQuartiles(bright),
    1e-3 * Math.abs(middle),
  );
  const kept = pixels.filter((_, k) => Math.abs(bright[k] - middle) <= OUTLIER * spread);
  const used = kept.length >= LEAST_PIXELS ? kept : pixels;
  const weights = used.map((p) =>
    latlong ? rowSolidAngle(Math.floor(p / image.width), image.width, image.height) : 1,
  );
  const total = weights.reduce((s, w) => s + w, 0);
  const means = [0, 1, 2].map((c) => used.reduce((s, p, k) => s + weights[k] * image.data[3 * p + c], 0) / total);
  const sigma = means.map((m, c) => {
    const variance = used.reduce((s, p) => s + (image.data[3 * p + c] - m) ** 2, 0) / Math.max(1, used.length - 1);
    return Math.sqrt((variance * PIXELS_AS_ONE) / used.length);
  });
  return {
    name,
    rgb: means as unknown as PatchColour['rgb'],
    sigma: sigma as unknown as PatchColour['sigma'],
    clippedShare: clipped ? pixels.reduce((s, p) => s + clipped[p], 0) / pixels.length : 0,
    commonSigma: uncertainty ? commonSigma(image, used, uncertainty) : 0,
  };
}

/** What pixels have in common of their uncertainty: all of it that noise, as their own scatter shows it, does not explain, relative. */
function commonSigma(image: RgbImage, pixels: readonly number[], uncertainty: ArrayLike<number>): number {
  const known = pixels.map((p) => uncertainty[p]).filter(Number.isFinite);
  if (known.length === 0) return 0;
  const bright = Float64Array.from(pixels, (p) => image.data[3 * p] + image.data[3 * p + 1] + image.data[3 * p + 2]);
  const middle = median(bright);
  const scatter = spreadOfResiduals(bright.map((v) => Math.abs(v - middle))) / Math.abs(middle);
  return Math.sqrt(Math.max(0, median(known) ** 2 - (AVERAGED * scatter) ** 2));
}

/** A free region. @throws RangeError when it leaves the picture or holds fewer than four pixels */
export function sampleRegion(
  image: RgbImage,
  { name, x, y, width, height }: { name: string; x: number; y: number; width: number; height: number },
  how: Sampling = {},
): PatchColour {
  const [left, top, right, bottom] = [x, y, x + width, y + height].map(Math.round);
  if (left < 0 || top < 0 || right > image.width || bottom > image.height)
    throw new RangeError(`${name}: the region lies partly outside of the picture (${image.width} x ${image.height})`);
  const pixels: number[] = [];
  for (let j = top; j < bottom; j++) for (let i = left; i < right; i++) pixels.push(j * image.width + i);
  if (pixels.length < LEAST_PIXELS) throw new RangeError(`${name}: the region holds only ${pixels.length} pixels`);
  return patchOf(image, pixels, name, how);
}
