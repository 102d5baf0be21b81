import { lensRadius, unprojectPixel } from '../optics/lens';
import { toMatrix } from '../orient/quaternion';
import { DEG, dot, type Vec3 } from '../sphere/direction';
import { encodeUncertainty, RELATIVE_VARIANCE, UNKNOWN_UNCERTAINTY } from '../merge/uncertainty';
import { logVignetting, throughPupil, type View } from './view';

/** A part of the sphere that is taken whole from one view: never a seam through the sun. */
export interface WholeRegion {
  direction: Vec3;
  radiusDeg: number;
  view: number;
}

/** A block of panorama rows being filled. */
export interface Strip {
  /** First row, 0-based. */
  y0: number;
  y1: number;
  /** Panorama width; its height is half of it. */
  width: number;
  /** Interleaved RGB, (y1 - y0) * width * 3. */
  rgb: Float32Array;
  /** 0 covered, 1 clipped, 2 no view sees it; one byte a pixel. */
  mask: Uint8Array;
  /** Receives the relative standard uncertainty of every pixel (see `encodeUncertainty`) when the views have theirs. */
  uncertainty?: Uint8Array;
}

/** Views fade over this share of their frame towards its border. */
const BORDER_FADE = 0.06;
/** Views below this share of the strongest are left out. */
const LEAST_SHARE = 0.02;

/**
 * Projects merged views onto rows of a latitude-longitude panorama (CONVENTIONS.md section 2) and blends them.
 *
 * Every output pixel averages an n x n grid of bilinear samples, n from the ratio of resolutions, so that it holds the
 * mean over its footprint. Views weigh by their angle from the axis and fade at their borders; inside a `WholeRegion`
 * only the named view counts. Linear in radiance: no clamping anywhere.
 */
export function composeRows(views: readonly View[], regions: readonly WholeRegion[], strip: Strip): void {
  const { width, y0, y1, rgb, mask, uncertainty } = strip;
  const height = width / 2;
  const prepared = views.map((view) => {
    const m = toMatrix(view.attitude);
    const step = (2 * Math.PI * view.lens.focalPx) / width;
    return {
      view, m, lens: view.lens, table: radialTable(view.lens), forward: [-m[2], -m[5], -m[8]] as const, share: view.pupilShare ?? 0, grid: Math.max(1, Math.min(6, Math.round(step * 1.1))), sourcePixels: Math.max(1, step * step),
      cosLimit: view.lens.maxTheta >= Math.PI ? -2 : Math.cos(view.lens.maxTheta),
    };
  });
  const nearRegion = regions.map((r) => ({
    ...r,
    inner: Math.cos(r.radiusDeg * DEG),
    outer: Math.cos(2 * r.radiusDeg * DEG),
  }));
  const single = views.length === 1;
  const finest = Math.max(...prepared.map((p) => p.grid));
  const columns = columnTables(width, finest);
  const weights = new Float64Array(prepared.length);
  for (let y = y0; y < y1; y++) {
    const elevation = (0.5 - (y + 0.5) / height) * Math.PI;
    const dy = Math.sin(elevation);
    const cosEl = Math.cos(elevation);
    for (let x = 0; x < width; x++) {
      const azimuth = ((x + 0.5) / width) * 2 * Math.PI;
      const dx = Math.sin(azimuth) * cosEl;
      const dz = -Math.cos(azimuth) * cosEl;
      let best = 0;
      for (let v = 0; v < prepared.length; v++) {
        weights[v] = viewWeight(prepared[v], dx, dy, dz, single);
        for (const region of nearRegion) {
          if (region.view === v || weights[v] === 0) continue;
          const c = dx * region.direction[0] + dy * region.direction[1] + dz * region.direction[2];
          if (c >= region.inner) weights[v] = 0;
          else if (c > region.outer) weights[v] *= (region.inner - c) / (region.inner - region.outer);
        }
        if (weights[v] > best) best = weights[v];
      }
      let r = 0;
      let g = 0;
      let b = 0;
      let total = 0;
      let clippedWeight = 0;
      let variance = 0;
      for (let v = 0; v < prepared.length; v++) {
        // Subtracting keeps the hand-over continuous where a view's share becomes too small to be worth its samples.
        const weight = weights[v] - LEAST_SHARE * best;
        if (weight <= 0) continue;
        const { view, lens } = prepared[v];
        const theta = lens.projection === 'latlong' ? 0 : axisAngle(prepared[v].m, dx, dy, dz);
        const scale = Math.exp(-view.logGain - logVignetting(view.vignetting, theta));
        const sample = sampleFootprint(prepared[v], columns, x, elevation, width);
        r += weight * scale * sample[0];
        g += weight * scale * sample[1];
        b += weight * scale * sample[2];
        clippedWeight += weight * sample[3];
        // Averaging over the footprint helps as far as it spans pixels; neighbours are taken as independent.
        variance += (weight * weight * sample[4]) / prepared[v].sourcePixels;
        total += weight;
      }
      const i = (y - y0) * width + x;
      if (total > 0) {
        rgb[3 * i] = r / total;
        rgb[3 * i + 1] = g / total;
        rgb[3 * i + 2] = b / total;
        mask[i] = clippedWeight > 0.5 * total ? 1 : 0;
        if (uncertainty) uncertainty[i] = mask[i] === 1 ? UNKNOWN_UNCERTAINTY : encodeUncertainty(Math.sqrt(variance) / total);
      } else {
        mask[i] = 2;
        if (uncertainty) uncertainty[i] = UNKNOWN_UNCERTAINTY;
      }
    }
  }
}

interface Prepared {
  view: View;
  m: Float64Array;
  lens: View['lens'];
  /** Pixels over the sine of the angle from the axis, against its cosine. */
  table: Float64Array;
  forward: readonly [number, number, number];
  /** See `View.pupilShare`. */
  share: number;
  grid: number;
  /** Pixels of the view under one of the panorama's. */
  sourcePixels: number;
  /** Cosine of the widest angle that reaches the picture. */
  cosLimit: number;
}

/** Sine and minus cosine of the azimuths of sub-columns, for every grid size up to `finest`. */
function columnTables(width: number, finest: number): { sin: Float64Array; minusCos: Float64Array }[] {
  return Array.from({ length: finest + 1 }, (_, grid) => {
    const count = width * grid;
    const sin = new Float64Array(count);
    const minusCos = new Float64Array(count);
    for (let i = 0; i < count; i++) {
      const azimuth = ((i + 0.5) / count) * 2 * Math.PI;
      sin[i] = Math.sin(azimuth);
      minusCos[i] = -Math.cos(azimuth);
    }
    return { sin, minusCos };
  });
}

/** Steps of the cosine from -1 to 1. */
const TABLE = 16384;

/** `focalPx * radius(theta) / sin(theta)` at evenly spaced cosines: a smooth function, so that a projection costs a look-up instead of an arc tangent. */
function radialTable(lens: View['lens']): Float64Array {
  return Float64Array.from({ length: TABLE + 2 }, (_, i) => {
    const theta = Math.min(Math.acos(Math.max(-1, Math.min(1, (2 * i) / TABLE - 1))), Math.min(Math.PI - 0.02, lens.maxTheta + 0.2));
    return theta < 1e-6 ? lens.focalPx : (lens.focalPx * lensRadius(lens, theta)) / Math.sin(theta);
  });
}

function axisAngle(m: Float64Array, dx: number, dy: number, dz: number): number {
  const cx = m[0] * dx + m[3] * dy + m[6] * dz;
  const cy = m[1] * dx + m[4] * dy + m[7] * dz;
  const cz = m[2] * dx + m[5] * dy + m[8] * dz;
  return Math.atan2(Math.sqrt(cx * cx + cy * cy), -cz);
}

/** How much a view counts in a direction: by its angle from the axis, fading at the border of its frame; 0 where it does not see. */
function viewWeight({ m, lens, cosLimit, table }: Prepared, dx: number, dy: number, dz: number, single: boolean): number {
  if (lens.projection === 'latlong') return 1;
  const cz = m[2] * dx + m[5] * dy + m[8] * dz;
  if (-cz <= cosLimit) return 0;
  const cx = m[0] * dx + m[3] * dy + m[6] * dz;
  const cy = m[1] * dx + m[4] * dy + m[7] * dz;
  const theta = Math.acos(cz < -1 ? 1 : -cz);
  const u = (1 - cz) * (TABLE / 2);
  const t = u | 0;
  const k = table[t] + (u - t) * (table[t + 1] - table[t]);
  const px = lens.centreX + k * cx;
  const py = lens.centreY - k * cy;
  const fadeX = (px < lens.width - px ? px : lens.width - px) / (BORDER_FADE * lens.width);
  const fadeY = (py < lens.height - py ? py : lens.height - py) / (BORDER_FADE * lens.height);
  let fade = fadeX < fadeY ? fadeX : fadeY;
  if (fade <= 0) return 0;
  // A lone view keeps its pixels to the very border; blended ones fade.
  if (single) return 1;
  if (fade > 1) fade = 1;
  const near = 1 - theta / lens.maxTheta;
  const squared = near * near * fade;
  const fourth = squared * near * near;
  // (1 - theta / thetaMax)^8, the border's fade squared.
  return fourth * fourth;
}

const placed = new Float64Array(2);

/** Writes the picture coordinates of a camera-frame direction into `placed`. */
function place(lens: View['lens'], cx: number, cy: number, cz: number): void {
  if (lens.projection === 'latlong') {
    placed[0] = lens.centreX + lens.focalPx * Math.atan2(cx, -cz);
    placed[1] = lens.centreY - lens.focalPx * Math.atan2(cy, Math.sqrt(cx * cx + cz * cz));
    return;
  }
  const s = Math.sqrt(cx * cx + cy * cy);
  const k = s < 1e-12 ? 0 : (lens.focalPx * lensRadius(lens, Math.atan2(s, -cz))) / s;
  placed[0] = lens.centreX + k * cx;
  placed[1] = lens.centreY - k * cy;
}

const accumulated = new Float64Array(5);
const look = new Float64Array(3);

/** Mean RGB, clipped share and relative variance of the middle over an n x n grid inside output pixel x of the row at an elevation. */
function sampleFootprint(
  { view, m, lens, grid, forward, share, table }: Prepared,
  columns: { sin: Float64Array; minusCos: Float64Array }[],
  x: number,
  elevation: number,
  width: number,
): Float64Array {
  const data = view.image.data;
  const { clipped } = view;
  const w = lens.width;
  const h = lens.height;
  const wrap = lens.projection === 'latlong';
  const pixel = (2 * Math.PI) / width;
  const { sin, minusCos } = columns[grid];
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8] = m;
  let r = 0;
  let g = 0;
  let b = 0;
  let cut = 0;
  let middle = 0;
  for (let j = 0; j < grid; j++) {
    const el = elevation + ((j + 0.5) / grid - 0.5) * pixel;
    const worldY = Math.sin(el);
    const cosEl = Math.cos(el);
    for (let i = 0; i < grid; i++) {
      let dx = sin[x * grid + i] * cosEl;
      let dy = worldY;
      let dz = minusCos[x * grid + i] * cosEl;
      if (share !== 0 && worldY < 0) {
        throughPupil(share, forward, dx, dy, dz, look);
        const n = 1 / Math.sqrt(look[0] * look[0] + look[1] * look[1] + look[2] * look[2]);
        dx = look[0] * n;
        dy = look[1] * n;
        dz = look[2] * n;
      }
      const cx = m0 * dx + m3 * dy + m6 * dz;
      const cy = m1 * dx + m4 * dy + m7 * dz;
      const cz = m2 * dx + m5 * dy + m8 * dz;
      let fx: number;
      let fy: number;
      if (wrap) {
        place(lens, cx, cy, cz);
        fx = placed[0] - 0.5;
        fy = placed[1] - 0.5;
      } else {
        const u = (1 - cz) * (TABLE / 2);
        const t = u | 0;
        const k = table[t] + (u - t) * (table[t + 1] - table[t]);
        fx = lens.centreX + k * cx - 0.5;
        fy = lens.centreY - k * cy - 0.5;
      }
      let xa = Math.floor(fx);
      let ya = Math.floor(fy);
      const tx = fx - xa;
      const ty = fy - ya;
      let xb = xa + 1;
      let yb = ya + 1;
      if (wrap) {
        xa = ((xa % w) + w) % w;
        xb = ((xb % w) + w) % w;
      } else {
        xa = xa < 0 ? 0 : xa >= w ? w - 1 : xa;
        xb = xb < 0 ? 0 : xb >= w ? w - 1 : xb;
      }
      ya = ya < 0 ? 0 : ya >= h ? h - 1 : ya;
      yb = yb < 0 ? 0 : yb >= h ? h - 1 : yb;
      const aa = 3 * (ya * w + xa);
      const ab = 3 * (ya * w + xb);
      const ba = 3 * (yb * w + xa);
      const bb = 3 * (yb * w + xb);
      const waa = (1 - tx) * (1 - ty);
      const wab = tx * (1 - ty);
      const wba = (1 - tx) * ty;
      const wbb = tx * ty;
      r += waa * data[aa] + wab * data[ab] + wba * data[ba] + wbb * data[bb];
      g += waa * data[aa + 1] + wab * data[ab + 1] + wba * data[ba + 1] + wbb * data[bb + 1];
      b += waa * data[aa + 2] + wab * data[ab + 2] + wba * data[ba + 2] + wbb * data[bb + 2];
      middle = (tx < 0.5 ? (ty < 0.5 ? aa : ba) : ty < 0.5 ? ab : bb) / 3;
      cut += clipped[middle];
    }
  }
  const inverse = 1 / (grid * grid);
  accumulated[0] = r * inverse;
  accumulated[1] = g * inverse;
  accumulated[2] = b * inverse;
  accumulated[3] = cut * inverse;
  accumulated[4] = view.uncertainty ? RELATIVE_VARIANCE[view.uncertainty[middle]] : 0;
  return accumulated;
}

/**
 * The brightest spot over all views as a region to be taken whole: the direction of the highest luminance and the view
 * that sees it nearest its axis. None when the brightest spot is below 200 times the mean (nothing like a sun).
 */
export function brightestRegion(views: readonly View[], radiusDeg = 2): WholeRegion[] {
  let best = { value: 0, direction: [0, 1, 0] as Vec3 };
  let sum = 0;
  let count = 0;
  for (const view of views) {
    const { width, height, data } = view.image;
    const m = toMatrix(view.attitude);
    const block = 4;
    for (let y = 0; y + block <= height; y += block) {
      for (let x = 0; x + block <= width; x += block) {
        let value = 0;
        for (let j = 0; j < block; j++) {
          for (let i = 0; i < block; i++) value += data[3 * ((y + j) * width + x + i) + 1];
        }
        value /= block * block;
        sum += value;
        count++;
        if (value <= best.value) continue;
        const d = unprojectPixel(view.lens, x + block / 2, y + block / 2);
        if (!d) continue;
        best = {
          value,
          direction: [
            m[0] * d[0] + m[1] * d[1] + m[2] * d[2],
            m[3] * d[0] + m[4] * d[1] + m[5] * d[2],
            m[6] * d[0] + m[7] * d[1] + m[8] * d[2],
          ],
        };
      }
    }
  }
  if (count === 0 || best.value < (200 * sum) / count) return [];
  const axisCos = views.map((view) => {
    const m = toMatrix(view.attitude);
    return dot(best.direction, [-m[2], -m[5], -m[8]]);
  });
  return [{ direction: best.direction, radiusDeg, view: axisCos.indexOf(Math.max(...axisCos)) }];
}
