import { radiusOfAngle, unprojectPixel } from '../optics/lens';
import { toMatrix } from '../orient/quaternion';
import { DEG, dot, type Vec3 } from '../sphere/direction';
import { logVignetting, type View } from './view';

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
}

/** Views fade over this share of their frame towards its border. */
const BORDER_FADE = 0.06;
/** Sharpness of the hand-over between views: weight = (1 - theta / thetaMax)^SHARPNESS. */
const SHARPNESS = 8;

/**
 * Projects merged views onto rows of a latitude-longitude panorama (CONVENTIONS.md section 2) and blends them.
 *
 * Every output pixel averages an n x n grid of bilinear samples, n from the ratio of resolutions, so that it holds the
 * mean over its footprint. Views weigh by their angle from the axis and fade at their borders; inside a `WholeRegion`
 * only the named view counts. Linear in radiance: no clamping anywhere.
 */
export function composeRows(views: readonly View[], regions: readonly WholeRegion[], strip: Strip): void {
  const { width, y0, y1, rgb, mask } = strip;
  const height = width / 2;
  const prepared = views.map((view) => {
    const m = toMatrix(view.attitude);
    const step = (2 * Math.PI * view.lens.focalPx) / width;
    return { view, m, lens: view.lens, grid: Math.max(1, Math.min(6, Math.round(step * 1.1))) };
  });
  const nearRegion = regions.map((r) => ({
    ...r,
    inner: Math.cos(r.radiusDeg * DEG),
    outer: Math.cos(2 * r.radiusDeg * DEG),
  }));
  const single = views.length === 1;
  for (let y = y0; y < y1; y++) {
    const elevation = (0.5 - (y + 0.5) / height) * Math.PI;
    const dy = Math.sin(elevation);
    const cosEl = Math.cos(elevation);
    for (let x = 0; x < width; x++) {
      const azimuth = ((x + 0.5) / width) * 2 * Math.PI;
      const dx = Math.sin(azimuth) * cosEl;
      const dz = -Math.cos(azimuth) * cosEl;
      let r = 0;
      let g = 0;
      let b = 0;
      let total = 0;
      let clippedWeight = 0;
      for (let v = 0; v < prepared.length; v++) {
        const { view, m, lens, grid } = prepared[v];
        const cx = m[0] * dx + m[3] * dy + m[6] * dz;
        const cy = m[1] * dx + m[4] * dy + m[7] * dz;
        const cz = m[2] * dx + m[5] * dy + m[8] * dz;
        const latlong = lens.projection === 'latlong';
        const theta = latlong ? 0 : Math.atan2(Math.sqrt(cx * cx + cy * cy), -cz);
        if (theta >= lens.maxTheta) continue;
        let weight = latlong ? 1 : Math.pow(1 - theta / lens.maxTheta, SHARPNESS);
        for (const region of nearRegion) {
          if (region.view === v) continue;
          const c = dx * region.direction[0] + dy * region.direction[1] + dz * region.direction[2];
          if (c >= region.inner) weight = 0;
          else if (c > region.outer) weight *= (region.inner - c) / (region.inner - region.outer);
        }
        if (weight <= 0) continue;
        if (!latlong) {
          const [px, py] = place(lens, cx, cy, cz);
          const edge = Math.min(px, lens.width - px) / (BORDER_FADE * lens.width);
          const edgeY = Math.min(py, lens.height - py) / (BORDER_FADE * lens.height);
          const fade = Math.min(1, edge, edgeY);
          if (fade <= 0) continue;
          // A lone view keeps its pixels to the very border; blended ones fade.
          if (!single) weight *= fade * fade;
        }
        const scale = Math.exp(-view.logGain - logVignetting(view.vignetting, theta));
        const sample = sampleFootprint(prepared[v], azimuth, elevation, width, grid);
        r += weight * scale * sample[0];
        g += weight * scale * sample[1];
        b += weight * scale * sample[2];
        clippedWeight += weight * sample[3];
        total += weight;
      }
      const i = (y - y0) * width + x;
      if (total > 0) {
        rgb[3 * i] = r / total;
        rgb[3 * i + 1] = g / total;
        rgb[3 * i + 2] = b / total;
        mask[i] = clippedWeight > 0.5 * total ? 1 : 0;
      } else {
        mask[i] = 2;
      }
    }
  }
}

const placed = new Float64Array(2);

function place(lens: View['lens'], cx: number, cy: number, cz: number): Float64Array {
  if (lens.projection === 'latlong') {
    placed[0] = lens.centreX + lens.focalPx * Math.atan2(cx, -cz);
    placed[1] = lens.centreY - lens.focalPx * Math.atan2(cy, Math.sqrt(cx * cx + cz * cz));
    return placed;
  }
  const s = Math.sqrt(cx * cx + cy * cy);
  const k = s < 1e-12 ? 0 : (lens.focalPx * radiusOfAngle(lens.projection, Math.atan2(s, -cz))) / s;
  placed[0] = lens.centreX + k * cx;
  placed[1] = lens.centreY - k * cy;
  return placed;
}

const accumulated = new Float64Array(4);

/** Mean RGB and clipped share over an n x n grid inside the output pixel. */
function sampleFootprint(
  p: { view: View; m: Float64Array; lens: View['lens'] },
  azimuth: number,
  elevation: number,
  width: number,
  grid: number,
): Float64Array {
  const { view, m, lens } = p;
  const data = view.image.data;
  const w = lens.width;
  const h = lens.height;
  const wrap = lens.projection === 'latlong';
  const pixel = (2 * Math.PI) / width;
  accumulated.fill(0);
  for (let j = 0; j < grid; j++) {
    const el = elevation + ((j + 0.5) / grid - 0.5) * pixel;
    const dy = Math.sin(el);
    const cosEl = Math.cos(el);
    for (let i = 0; i < grid; i++) {
      const az = azimuth + ((i + 0.5) / grid - 0.5) * pixel;
      const dx = Math.sin(az) * cosEl;
      const dz = -Math.cos(az) * cosEl;
      const at = place(
        lens,
        m[0] * dx + m[3] * dy + m[6] * dz,
        m[1] * dx + m[4] * dy + m[7] * dz,
        m[2] * dx + m[5] * dy + m[8] * dz,
      );
      const fx = at[0] - 0.5;
      const fy = at[1] - 0.5;
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
      accumulated[0] += waa * data[aa] + wab * data[ab] + wba * data[ba] + wbb * data[bb];
      accumulated[1] += waa * data[aa + 1] + wab * data[ab + 1] + wba * data[ba + 1] + wbb * data[bb + 1];
      accumulated[2] += waa * data[aa + 2] + wab * data[ab + 2] + wba * data[ba + 2] + wbb * data[bb + 2];
      accumulated[3] += view.clipped[(tx < 0.5 ? (ty < 0.5 ? aa : ba) : ty < 0.5 ? ab : bb) / 3];
    }
  }
  const inverse = 1 / (grid * grid);
  for (let c = 0; c < 4; c++) accumulated[c] *= inverse;
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
