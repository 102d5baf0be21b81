import { luminance } from '../colour/primaries';
import type { RgbImage } from '../image/image';
import { median } from '../estimate/robust';
import { LIMITS } from '../sphere/limits';

/**
 * What a view shows that its surroundings do not tell: stops by which each cell of a grid is brighter than the cells around it, row by row; NaN where
 * the view holds too little. Sky, water and the fall of a lens's light are alike in every view of a round; what stands where is not.
 */
export type ViewDetail = Float32Array;

export const DETAIL_SIDE = 48;
/** Cells to each side that count as around. */
const AROUND = 2;
/** A cell, and what is around it, says something when this share of it is held. */
const LEAST_HELD = 0.8;
/** Stops beyond which more detail counts no more: one lamp must not speak for a whole view. */
const MOST_STOPS = 1.5;
/** Fewer common cells than this say nothing. */
const LEAST_CELLS = 100;
/** Root mean square of the detail, stops, below which a view is as good as even: fog, a bare wall. */
const LEAST_DETAIL = 0.05;
/** What all views share counts up to here only: where a head never turned, every view shows the same. */
const MOST_COMMON = 0.7;

/**
 * @param held whether a pixel is part of what the lens sees and neither cut off nor noise
 * @throws RangeError when the picture is smaller than the grid
 */
export function viewDetail(image: RgbImage, held: (pixel: number) => boolean): ViewDetail {
  const { width, height, data } = image;
  if (width < DETAIL_SIDE || height < DETAIL_SIDE)
    throw new RangeError(`a picture of ${width} x ${height} pixels is too small to look at`);
  const sums = new Float64Array(DETAIL_SIDE * DETAIL_SIDE);
  const seen = new Float64Array(sums.length);
  const all = new Float64Array(sums.length);
  for (let y = 0; y < height; y++) {
    const row = Math.floor((y * DETAIL_SIDE) / height) * DETAIL_SIDE;
    for (let x = 0; x < width; x++) {
      const p = y * width + x;
      const cell = row + Math.floor((x * DETAIL_SIDE) / width);
      all[cell]++;
      if (!held(p)) continue;
      seen[cell]++;
      sums[cell] += luminance(data[3 * p], data[3 * p + 1], data[3 * p + 2], image.space);
    }
  }
  const stops = sums.map((s, i) => (seen[i] >= LEAST_HELD * all[i] && s > 0 ? Math.log2(s / seen[i]) : NaN));
  return Float32Array.from(stops, (s, i) => {
    if (Number.isNaN(s)) return NaN;
    const near = around(stops, i);
    return near.length >= LEAST_HELD * (2 * AROUND + 1) ** 2
      ? Math.max(-MOST_STOPS, Math.min(MOST_STOPS, s - median(near)))
      : NaN;
  });
}

function around(stops: Float64Array, cell: number): number[] {
  const [column, row] = [cell % DETAIL_SIDE, Math.floor(cell / DETAIL_SIDE)];
  const out: number[] = [];
  for (let y = Math.max(0, row - AROUND); y <= Math.min(DETAIL_SIDE - 1, row + AROUND); y++)
    for (let x = Math.max(0, column - AROUND); x <= Math.min(DETAIL_SIDE - 1, column + AROUND); x++) {
      const s = stops[y * DETAIL_SIDE + x];
      if (!Number.isNaN(s)) out.push(s);
    }
  return out;
}

/** Share of their detail, from -1 to 1, that two views have in common: their correlation. Null when too few cells are held by both, or one has no detail to speak of. */
export function sharedDetail(a: ViewDetail, b: ViewDetail): number | null {
  let [ab, aa, bb, n] = [0, 0, 0, 0];
  for (let i = 0; i < a.length; i++) {
    if (Number.isNaN(a[i]) || Number.isNaN(b[i])) continue;
    ab += a[i] * b[i];
    aa += a[i] * a[i];
    bb += b[i] * b[i];
    n++;
  }
  return n < LEAST_CELLS || Math.min(aa, bb) < n * LEAST_DETAIL ** 2 ? null : ab / Math.sqrt(aa * bb);
}

/** What most pairs of a round's views share: what stands in every view (legs of the tripod, the horizon, falloff in fog) tells nothing of two. */
export function commonDetail(details: readonly ViewDetail[]): number {
  const all = details.flatMap((a, i) => details.slice(0, i).map((b) => sharedDetail(a, b))).filter((s) => s !== null);
  return all.length < 3 ? 0 : Math.max(0, Math.min(MOST_COMMON, median(all)));
}

/** Whether two views show the same, where so much of their detail is common to all views. */
export function showTheSame(a: ViewDetail, b: ViewDetail, common: number): boolean {
  const share = sharedDetail(a, b);
  return share !== null && (share - common) / (1 - common) > LIMITS.samePicture.good;
}

/** For each view of a round the first view before it that it shows again, by index; null for the others. */
export function repeatedViews(details: readonly ViewDetail[]): (number | null)[] {
  const common = commonDetail(details);
  return details.map((a, i) => {
    const at = details.slice(0, i).findIndex((b) => showTheSame(a, b, common));
    return at < 0 ? null : at;
  });
}
