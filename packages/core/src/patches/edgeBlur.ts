import { median } from '../estimate/robust';
import type { RgbImage } from '../image/image';

/** Pixels each side of an edge that are looked at. */
const REACH = 8;
/** Contrast of an edge over the mean of its sides, at least. */
const LEAST_CONTRAST = 0.25;
/** Rest of the fit over the step, at most: what is no single step is left out. */
const LARGEST_REST = 0.035;
/** Widest sigma that this reach tells. */
const WIDEST = 3.2;
/** Steepest slant of an edge against the scan, as the tangent. */
const SLANT = 0.6;
/** Of all edges, the share about which they lie closest. */
const DENSEST_SHARE = 0.3;
const LEAST_EDGES = 8;
const MOST_EDGES = 1500;

/** Cumulative normal (Abramowitz and Stegun 26.2.17, 7.5e-8). */
function phi(x: number): number {
  const t = 1 / (1 + 0.2316419 * Math.abs(x));
  const tail =
    0.3989422804014327 *
    Math.exp((-x * x) / 2) *
    t *
    (0.31938153 + t * (-0.356563782 + t * (1.781477937 + t * (-1.821255978 + t * 1.330274429))));
  return x > 0 ? 1 - tail : tail;
}

/**
 * Sigma of the Gaussian blur of most of a picture's edges, pixels: steps along rows and columns fitted by a blurred step, their slant taken off.
 * @returns null when there are too few clear edges
 */
export function edgeBlurPx(image: RgbImage): number | null {
  const { width, height, data } = image;
  const plane = new Float32Array(width * height);
  for (let p = 0; p < plane.length; p++) plane[p] = (data[3 * p] + data[3 * p + 1] + data[3 * p + 2]) / 3;
  const sigmas: number[] = [];
  for (const across of [true, false]) {
    const [length, lines, step, next] = across ? [width, height, 1, width] : [height, width, width, 1];
    const every = Math.max(1, Math.floor(lines / 400));
    for (let line = 2; line < lines - 2; line += every)
      for (let at = REACH; at < length - REACH; at++) {
        const o = line * next + at * step;
        const slope = Math.abs(plane[o + step] - plane[o - step]);
        if (!(slope > 0) || slope < Math.abs(plane[o + 2 * step] - plane[o]) || slope <= Math.abs(plane[o] - plane[o - 2 * step]))
          continue;
        const sigma = stepAt(plane, o, step, next);
        if (sigma !== null) sigmas.push(sigma);
      }
  } // prettier-ignore
  if (sigmas.length < LEAST_EDGES) return null;
  const some = sigmas.length > MOST_EDGES ? sigmas.filter((_, k) => k % Math.ceil(sigmas.length / MOST_EDGES) === 0) : sigmas; // prettier-ignore
  return densest(some);
}

/**
 * Where values lie closest together: the shortest interval of half of them, then of half of those, down to a share (Robertson and Cryer 1974). Soft
 * shadows and things out of focus are no part of it.
 */
function densest(values: readonly number[]): number {
  let sorted = [...values].sort((a, b) => a - b);
  while (sorted.length > Math.max(8, DENSEST_SHARE * values.length)) {
    const half = Math.ceil(sorted.length / 2);
    let best = 0;
    for (let k = 0; k + half <= sorted.length; k++)
      if (sorted[k + half - 1] - sorted[k] < sorted[best + half - 1] - sorted[best]) best = k;
    sorted = sorted.slice(best, best + half);
  }
  return median(sorted);
}

/** Sigma across an edge whose steepest place is near a pixel; null when it is none. */
function stepAt(plane: Float32Array, o: number, step: number, next: number): number | null {
  const values = Array.from({ length: 2 * REACH + 1 }, (_, k) => plane[o + (k - REACH) * step]);
  const side = (from: number) => values.slice(from, from + 3).reduce((s, v) => s + v, 0) / 3;
  const [low, high] = [side(0), side(2 * REACH - 2)];
  const contrast = Math.abs(high - low);
  if (!(contrast > LEAST_CONTRAST * Math.abs(low + high) * 0.5) || !(low + high > 0)) return null;
  // The slant, from how far the edge has gone two lines on either side.
  const along = plane[o + step] - plane[o - step];
  const beside = (plane[o + next] - plane[o - next] + plane[o + 2 * next] - plane[o - 2 * next]) / 3;
  const tangent = Math.abs(beside / along);
  if (!(tangent < SLANT)) return null;
  const fit = fitStep(values, low, high);
  if (!fit || fit.rest > LARGEST_REST * contrast || fit.sigma > WIDEST) return null;
  return fit.sigma / Math.sqrt(1 + tangent * tangent);
}

/** A blurred step through values: middle, sigma and both sides, by Gauss-Newton. */
function fitStep(values: readonly number[], low: number, high: number): { sigma: number; rest: number } | null {
  let [middle, sigma, a, b] = [REACH, 1, low, high - low];
  let rest = Infinity;
  for (let pass = 0; pass < 12; pass++) {
    const m = Array.from({ length: 4 }, () => new Float64Array(5));
    let square = 0;
    values.forEach((v, k) => {
      const u = (k - middle) / sigma;
      const density = 0.3989422804014327 * Math.exp((-u * u) / 2);
      const gradient = [(-b * density) / sigma, (-b * density * u) / sigma, 1, phi(u)];
      const off = v - (a + b * phi(u));
      square += off * off;
      for (let i = 0; i < 4; i++) {
        for (let j = 0; j < 4; j++) m[i][j] += gradient[i] * gradient[j];
        m[i][4] += gradient[i] * off;
      }
    });
    rest = Math.sqrt(square / values.length);
    for (let i = 0; i < 4; i++) m[i][i] += 1e-9 * (1 + m[i][i]);
    // Elimination of four unknowns.
    for (let i = 0; i < 4; i++) {
      if (!(Math.abs(m[i][i]) > 1e-14)) return null;
      for (let r = 0; r < 4; r++) {
        if (r === i) continue;
        const k = m[r][i] / m[i][i];
        for (let c = i; c < 5; c++) m[r][c] -= k * m[i][c];
      }
    }
    const d = m.map((row, i) => row[4] / row[i]);
    middle += Math.max(-1, Math.min(1, d[0]));
    sigma = Math.max(0.12, sigma + Math.max(-0.5, Math.min(0.5, d[1])));
    a += d[2];
    b += d[3];
    if (!(Math.abs(middle - REACH) < 3) || !Number.isFinite(sigma)) return null;
    if (Math.abs(d[0]) + Math.abs(d[1]) < 1e-4) break;
  }
  return { sigma, rest };
}
