import { encodeInformation, RELATIVE_VARIANCE, UNKNOWN_UNCERTAINTY } from '../merge/uncertainty';
import { DEG } from '../sphere/direction';
import { CLIPPED, COVERED, MOVED, UNSEEN } from '../sphere/mask';
import {
  lookUp,
  makeColumns,
  newPlaces,
  nodeSpacing,
  placeRow,
  prepareView,
  type PreparedView,
  type RowPlaces,
} from './project';
import type { WholeRegion } from './regions';
import type { View } from './view';

/** A block of panorama rows being filled. */
export interface Strip {
  /** First row, 0-based. */
  y0: number;
  y1: number;
  /** Panorama width; its height is half of it. */
  width: number;
  /** Interleaved RGB, (y1 - y0) * width * 3. */
  rgb: Float32Array;
  /** COVERED, CLIPPED, UNSEEN or MOVED; one byte a pixel. */
  mask: Uint8Array;
  /** Receives the relative standard uncertainty of every pixel (see `encodeUncertainty`) when the views have theirs. */
  uncertainty?: Uint8Array;
}

/** Views fade over this share of their frame towards its border. */
const BORDER_FADE = 0.06;
/** Views below this share of the strongest are left out. */
const LEAST_SHARE = 0.02;
/** How fast views hand over: broad, or within some degrees when `matchViews` has brought their broad differences together. */
const BROAD = 8;
const SHARP = 48;

/**
 * Projects merged views onto rows of a latitude-longitude panorama (CONVENTIONS.md section 2) and blends them.
 *
 * Every output pixel averages an n x n grid of bilinear samples, n from the ratio of resolutions, so that it holds the
 * mean over its footprint. Views weigh by their angle from the axis and fade at their borders; inside a `WholeRegion`
 * only the named view counts. Views with a `blend` map are multiplied by its smooth ratios (the low band) and hand over
 * within some degrees (the high band). Linear in radiance: no clamping anywhere, and factors near one cannot make halos.
 */
export function composeRows(views: readonly View[], regions: readonly WholeRegion[], strip: Strip): void {
  const { width, y0, y1 } = strip;
  const height = width / 2;
  const apart = nodeSpacing(width, views);
  const prepared = views.map((view) => prepareView(view, width, view.blend ? SHARP : BROAD));
  const finest = Math.max(...prepared.map((p) => p.grid));
  const columns = Array.from({ length: finest + 1 }, (_, sub) => makeColumns(width, Math.max(1, sub), apart));
  const centres = prepared.map(() => newPlaces(width));
  const places = newPlaces(width * finest * finest);
  const weights = prepared.map(() => new Float64Array(width));
  const cosines = prepared.map(() => new Float64Array(width));
  const best = new Float64Array(width);
  const own = new Float64Array(width);
  const used = new Uint8Array(width / apart);
  const sums = newSums(width);
  const pixel = (2 * Math.PI) / width;
  for (let y = y0; y < y1; y++) {
    const elevation = (0.5 - (y + 0.5) / height) * Math.PI;
    best.fill(0);
    const seen = prepared.map((p, v) => {
      placeRow(p, columns[1], elevation, null, centres[v], 0);
      return weighRow(p, centres[v], views.length === 1, weights[v], cosines[v]);
    });
    prepared.forEach((p, v) => {
      if (seen[v] && p.view.blend) limitRow(p.view.blend, y, width, weights[v]);
    });
    for (const r of regions) {
      if (!seen[r.view]) continue;
      own.set(weights[r.view]);
      prepared.forEach((_, v) => v !== r.view && seen[v] && keepOut(r, elevation, width, own, weights[v]));
    }
    prepared.forEach((_, v) => seen[v] && raiseTo(best, weights[v]));
    clearSums(sums);
    prepared.forEach((p, v) => {
      if (!seen[v] || !segmentsUsed(weights[v], best, apart, used)) return;
      const { grid } = p;
      // A single sample lies where the weights were asked.
      for (let j = 0; grid > 1 && j < grid; j++)
        placeRow(p, columns[grid], elevation + ((j + 0.5) / grid - 0.5) * pixel, used, places, j * width * grid);
      sampleRow(p, y, width, apart, used, weights[v], best, cosines[v], grid > 1 ? places : centres[v], sums);
    });
    storeRow(sums, strip, (y - y0) * width);
  }
}

/** Weights of one view along a row; false where it sees nothing of it. Linear interpolation of places is exact enough for smooth weights. */
function weighRow(
  { lens, cosLimit, worth }: PreparedView,
  { x: px, y: py, cos }: RowPlaces,
  single: boolean,
  weights: Float64Array,
  cosines: Float64Array,
): boolean {
  const latlong = lens.projection === 'latlong';
  const perX = 1 / (BORDER_FADE * lens.width);
  const perY = 1 / (BORDER_FADE * lens.height);
  let any = false;
  for (let x = 0; x < weights.length; x++) {
    const c = cos[x];
    cosines[x] = c;
    if (latlong) {
      weights[x] = 1;
      any = true;
      continue;
    }
    weights[x] = 0;
    if (c <= cosLimit) continue;
    const fadeX = (px[x] < lens.width - px[x] ? px[x] : lens.width - px[x]) * perX;
    const fadeY = (py[x] < lens.height - py[x] ? py[x] : lens.height - py[x]) * perY;
    let fade = fadeX < fadeY ? fadeX : fadeY;
    if (fade <= 0) continue;
    any = true;
    // A lone view keeps its pixels to the very border; blended ones fade.
    if (single) weights[x] = 1;
    else {
      if (fade > 1) fade = 1;
      weights[x] = lookUp(worth, c) * fade * fade;
    }
  }
  return any;
}

/** How much a view counts in every cell of a panorama when views hand over broadly: 0 where it does not see. */
export function weighView(view: View, width: number): Float32Array {
  const height = width / 2;
  const p = prepareView(view, width, BROAD);
  const columns = makeColumns(width, 1, nodeSpacing(width, [view]));
  const centre = newPlaces(width);
  const weights = new Float64Array(width);
  const cosines = new Float64Array(width);
  const out = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    placeRow(p, columns, (0.5 - (y + 0.5) / height) * Math.PI, null, centre, 0);
    if (weighRow(p, centre, false, weights, cosines)) out.set(weights, y * width);
  }
  return out;
}

/** Views that are not a region's own count for nothing inside it, where its own sees, and fade in from one to two radii. */
function keepOut(
  { direction, radiusDeg }: WholeRegion,
  elevation: number,
  width: number,
  own: Float64Array,
  weights: Float64Array,
): void {
  const inner = Math.cos(radiusDeg * DEG);
  const outer = Math.cos(2 * radiusDeg * DEG);
  const flat = Math.cos(elevation);
  if (Math.cos(elevation - Math.asin(Math.max(-1, Math.min(1, direction[1])))) < outer) return;
  const up = Math.sin(elevation) * direction[1];
  for (let x = 0; x < width; x++) {
    if (weights[x] === 0 || own[x] === 0) continue;
    const azimuth = ((x + 0.5) / width) * 2 * Math.PI;
    const c = flat * (Math.sin(azimuth) * direction[0] - Math.cos(azimuth) * direction[2]) + up;
    if (c >= inner) weights[x] = 0;
    else if (c > outer) weights[x] *= (inner - c) / (inner - outer);
  }
}

function raiseTo(best: Float64Array, weights: Float64Array): void {
  for (let x = 0; x < best.length; x++) if (weights[x] > best[x]) best[x] = weights[x];
}

/** Marks the segments between nodes where a view is worth its samples; false when there are none. */
function segmentsUsed(weights: Float64Array, best: Float64Array, apart: number, used: Uint8Array): boolean {
  let any = false;
  for (let s = 0; s < used.length; s++) {
    used[s] = 0;
    for (let x = s * apart; x < (s + 1) * apart; x++) {
      if (weights[x] <= LEAST_SHARE * best[x]) continue;
      used[s] = 1;
      any = true;
      break;
    }
  }
  return any;
}

interface Sums {
  r: Float64Array;
  g: Float64Array;
  b: Float64Array;
  weight: Float64Array;
  clipped: Float64Array;
  moved: Float64Array;
  variance: Float64Array;
  /** Relative errors that all views share, weighted. */
  doubt: Float64Array;
}

const newSums = (n: number): Sums => ({
  r: new Float64Array(n),
  g: new Float64Array(n),
  b: new Float64Array(n),
  weight: new Float64Array(n),
  clipped: new Float64Array(n),
  moved: new Float64Array(n),
  variance: new Float64Array(n),
  doubt: new Float64Array(n),
});

function clearSums(s: Sums): void {
  for (const plane of [s.r, s.g, s.b, s.weight, s.clipped, s.moved, s.variance, s.doubt]) plane.fill(0);
}

/** Column of a map under a column of a row: where it starts and how far to the next. */
const mapColumn = (x: number, width: number, mapWidth: number): number => ((x + 0.5) * mapWidth) / width - 0.5;

/** Four numbers of a blend map along a panorama row, still at the map's own columns. */
function mapRow(map: NonNullable<View['blend']>, y: number, width: number): Float64Array {
  const fy = Math.max(0, Math.min(map.height - 1, ((y + 0.5) * map.height) / (width / 2) - 0.5));
  const a = 4 * map.width * Math.floor(fy);
  const b = 4 * map.width * Math.min(map.height - 1, Math.floor(fy) + 1);
  const t = fy - Math.floor(fy);
  const row = new Float64Array(4 * map.width);
  for (let i = 0; i < row.length; i++) row[i] = map.data[a + i] * (1 - t) + map.data[b + i] * t;
  return row;
}

/** A view counts for less where its blend map says that another shows what moved. */
function limitRow(map: NonNullable<View['blend']>, y: number, width: number, weights: Float64Array): void {
  const row = mapRow(map, y, width);
  for (let x = 0; x < width; x++) {
    if (weights[x] === 0) continue;
    const fx = mapColumn(x, width, map.width);
    const a = Math.floor(fx);
    const t = fx - a;
    weights[x] *=
      row[4 * (a < 0 ? map.width - 1 : a) + 3] * (1 - t) + row[4 * (a + 1 >= map.width ? 0 : a + 1) + 3] * t;
  }
}

/** Adds one view's part of a row: means over the footprint, weighted. */
function sampleRow(
  p: PreparedView,
  y: number,
  width: number,
  apart: number,
  used: Uint8Array,
  weights: Float64Array,
  best: Float64Array,
  cosines: Float64Array,
  places: RowPlaces,
  sums: Sums,
): void {
  const { view, lens, grid, scale, doubt, astray } = p;
  const { data } = view.image;
  const { clipped, uncertainty, moved, blend } = view;
  const w = lens.width;
  const h = lens.height;
  const wrap = lens.projection === 'latlong';
  const below = 3 * w;
  // Places are held just inside the picture, so that its border repeats and no index leaves it.
  const lastX = w - 1 - 1e-7;
  const lastY = h - 1 - 1e-7;
  const inverse = 1 / (grid * grid);
  const ratios = blend ? mapRow(blend, y, width) : null;
  const mapWidth = blend ? blend.width : 0;
  for (let s = 0; s < used.length; s++) {
    if (used[s] === 0) continue;
    for (let x = s * apart; x < (s + 1) * apart; x++) {
      // Subtracting keeps the hand-over continuous where a view's share becomes too small to be worth its samples.
      const weight = weights[x] - LEAST_SHARE * best[x];
      if (weight <= 0) continue;
      let r = 0;
      let g = 0;
      let b = 0;
      let cut = 0;
      let middle = 0;
      for (let j = 0; j < grid; j++) {
        const first = (j * width + x) * grid;
        for (let i = first; i < first + grid; i++) {
          let fx = places.x[i] - 0.5;
          let fy = places.y[i] - 0.5;
          fy = fy < 0 ? 0 : fy > lastY ? lastY : fy;
          if (wrap) fx -= w * Math.floor(fx / w);
          else fx = fx < 0 ? 0 : fx > lastX ? lastX : fx;
          const xa = fx | 0;
          const ya = fy | 0;
          const tx = fx - xa;
          const ty = fy - ya;
          const aa = 3 * (ya * w + xa);
          const ab = wrap && xa === w - 1 ? aa - 3 * xa : aa + 3;
          const ba = aa + below;
          const bb = ab + below;
          const wbb = tx * ty;
          const wab = tx - wbb;
          const wba = ty - wbb;
          const waa = 1 - tx - wba;
          r += waa * data[aa] + wab * data[ab] + wba * data[ba] + wbb * data[bb];
          g += waa * data[aa + 1] + wab * data[ab + 1] + wba * data[ba + 1] + wbb * data[bb + 1];
          b += waa * data[aa + 2] + wab * data[ab + 2] + wba * data[ba + 2] + wbb * data[bb + 2];
          middle = (ty < 0.5 ? 0 : w) + ya * w + (tx < 0.5 ? xa : wrap && xa === w - 1 ? 0 : xa + 1);
          cut += clipped[middle];
        }
      }
      const share = weight * inverse * lookUp(scale, cosines[x]);
      if (ratios) {
        const fx = mapColumn(x, width, mapWidth);
        const a = Math.floor(fx);
        const t = fx - a;
        const left = 4 * (a < 0 ? mapWidth - 1 : a);
        const right = 4 * (a + 1 >= mapWidth ? 0 : a + 1);
        r *= ratios[left] * (1 - t) + ratios[right] * t;
        g *= ratios[left + 1] * (1 - t) + ratios[right + 1] * t;
        b *= ratios[left + 2] * (1 - t) + ratios[right + 2] * t;
      }
      sums.r[x] += share * r;
      sums.g[x] += share * g;
      sums.b[x] += share * b;
      sums.weight[x] += weight;
      sums.clipped[x] += weight * cut * inverse;
      if (moved && moved[middle]) sums.moved[x] += weight;
      if (doubt) sums.doubt[x] += weight * lookUp(doubt, cosines[x]);
      if (astray) {
        const unsure = weight * strayedShare(view, places.x[x * grid], places.y[x * grid], lookUp(astray, cosines[x]));
        sums.variance[x] += unsure * unsure;
      }
      // Averaging over the footprint helps as far as it spans pixels; neighbours are taken as independent.
      if (uncertainty) sums.variance[x] += (weight * weight * RELATIVE_VARIANCE[uncertainty[middle]]) / p.sourcePixels;
    }
  }
}

/**
 * By what share of itself a place in a picture may be wrong because the lens puts it too far out or in by so many pixels (one sigma): its differences
 * to what lies that far outwards and inwards.
 */
function strayedShare({ image, lens }: View, x: number, y: number, sigmaPx: number): number {
  const [dx, dy] = [x - lens.centreX, y - lens.centreY];
  const far = Math.sqrt(dx * dx + dy * dy);
  if (far < 1) return 0;
  const reach = Math.max(1, sigmaPx) / far;
  const here = brightnessAt(image, x, y);
  if (!(here > 0)) return 0;
  const outward = brightnessAt(image, x + dx * reach, y + dy * reach) - here;
  const inward = brightnessAt(image, x - dx * reach, y - dy * reach) - here;
  return (Math.sqrt((outward * outward + inward * inward) / 2) / here) * Math.min(1, sigmaPx);
}

/** Sum of the channels of the pixel at a place, at the border's for places beyond. */
function brightnessAt({ width, height, data }: View['image'], x: number, y: number): number {
  const column = Math.max(0, Math.min(width - 1, Math.floor(x)));
  const row = Math.max(0, Math.min(height - 1, Math.floor(y)));
  const i = 3 * (row * width + column);
  return data[i] + data[i + 1] + data[i + 2];
}

function storeRow(
  { r, g, b, weight, clipped, moved, variance, doubt }: Sums,
  { rgb, mask, uncertainty }: Strip,
  at: number,
): void {
  for (let x = 0; x < r.length; x++) {
    const i = at + x;
    const total = weight[x];
    if (total > 0) {
      rgb[3 * i] = r[x] / total;
      rgb[3 * i + 1] = g[x] / total;
      rgb[3 * i + 2] = b[x] / total;
      mask[i] = clipped[x] > 0.5 * total ? CLIPPED : moved[x] > 0.5 * total ? MOVED : COVERED;
      if (uncertainty)
        uncertainty[i] =
          mask[i] === CLIPPED
            ? UNKNOWN_UNCERTAINTY
            : encodeInformation((total * total) / (variance[x] + doubt[x] * doubt[x]));
    } else {
      mask[i] = UNSEEN;
      if (uncertainty) uncertainty[i] = UNKNOWN_UNCERTAINTY;
    }
  }
}
