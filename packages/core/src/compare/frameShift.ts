import { halfWidth95 } from '../estimate/confidence';
import { gaussNewton } from '../estimate/normalEquations';
import { median, spreadOfResiduals, tukeyCut, tukeyWeight } from '../estimate/robust';

/** A plane of natural logarithms of luminance; NaN where a pixel must not be used (clipped, black). */
export interface LogLuminance {
  width: number;
  height: number;
  data: Float32Array;
}

export interface FrameShift {
  /** Where the second picture's content lies against the first's, pixels of the planes; x right, y down. */
  dx: number;
  dy: number;
  /** 95 % half width of either. */
  shiftUncertaintyPx: number;
  /** Second over first, stops, of what both show. */
  stops: number;
  stopsUncertainty: number;
  /** Robust spread of what shift and gain leave, stops: large when the pictures show different things. */
  residualStops: number;
  /** Share of pixels that agree within the robust limit. */
  agreeing: number;
}

const LEVELS = [16, 8, 4, 2, 1];
const SEARCH_PX = 6;
/** Places that both pictures hold, with all that their slopes are read from, from which a size says something: small ones lose every block of which one pixel is black or cut off. */
const LEAST_PLACES = 300;
/** Unknowns: shift to the right and down, and exposure, whose slope is always the same. */
const COLUMNS = [0, 1, 2];
/** Squared slope of log luminance a pixel below which a place says nothing of a shift. */
const FLAT = 1e-8;

function shrink(p: LogLuminance, f: number): LogLuminance {
  if (f === 1) return p;
  const width = Math.floor(p.width / f);
  const height = Math.floor(p.height / f);
  const data = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let j = 0; j < f; j++) for (let i = 0; i < f; i++) sum += p.data[(y * f + j) * p.width + x * f + i];
      data[y * width + x] = sum / (f * f);
    }
  }
  return { width, height, data };
}

/** A plane read `dx`, `dy` further at every pixel, bilinear; NaN where that lies outside of it. */
function readFurther({ width, height, data }: LogLuminance, dx: number, dy: number, into: Float64Array): void {
  const [ix, iy] = [Math.floor(dx), Math.floor(dy)];
  const [tx, ty] = [dx - ix, dy - iy];
  into.fill(NaN);
  for (let y = Math.max(0, -iy); y < Math.min(height, height - 1 - iy); y++) {
    for (let x = Math.max(0, -ix); x < Math.min(width, width - 1 - ix); x++) {
      const i = (y + iy) * width + x + ix;
      into[y * width + x] =
        (data[i] * (1 - tx) + data[i + 1] * tx) * (1 - ty) +
        (data[i + width] * (1 - tx) + data[i + width + 1] * tx) * ty;
    }
  }
}

/** Whether two planes hold enough places in common. */
function comparable(a: LogLuminance, b: LogLuminance): boolean {
  const { width, height } = a;
  const held = Uint8Array.from(a.data, (v, i) => Number(!Number.isNaN(v + b.data[i])));
  let places = 0;
  for (let y = 1; y < height - 2; y++)
    for (let x = 1; x < width - 2; x++) {
      let all = 1;
      for (let v = -1; v <= 2; v++) for (let u = -1; u <= 2; u++) all &= held[(y + v) * width + x + u];
      if (all === 1 && ++places === LEAST_PLACES) return true;
    }
  return false;
}

/** Mean absolute deviation from the median difference at a whole shift, on a sparse grid. */
function misfit(a: LogLuminance, b: LogLuminance, dx: number, dy: number): number {
  const step = Math.max(1, Math.floor(Math.sqrt((a.width * a.height) / 1500)));
  const d = new Float64Array(Math.ceil(a.width / step) * Math.ceil(a.height / step));
  let n = 0;
  for (let y = 0; y < a.height; y += step) {
    for (let x = 0; x < a.width; x += step) {
      const u = x + dx;
      const v = y + dy;
      if (u < 0 || v < 0 || u >= b.width || v >= b.height) continue;
      const difference = b.data[v * b.width + u] - a.data[y * a.width + x];
      if (!Number.isNaN(difference)) d[n++] = difference;
    }
  }
  if (n < 100) return Infinity;
  const m = median(d.subarray(0, n));
  let sum = 0;
  for (let r = 0; r < n; r++) sum += Math.min(1, Math.abs(d[r] - m));
  return sum / n;
}

/**
 * Shift in pixels and difference of exposure between two pictures of the same set: an exhaustive search at a sixteenth of the size (where much is black or cut off, at the smallest size that still holds enough), then
 * robust Gauss-Newton on log luminance, coarse to fine (Lucas and Kanade 1981 with Tukey's weights). Things that moved are outliers.
 * Does not model rotation or zoom: `residualStops` tells when that matters.
 * @throws RangeError when sizes differ or too little is usable
 */
export function frameShift(a: LogLuminance, b: LogLuminance): FrameShift {
  if (a.width !== b.width || a.height !== b.height)
    throw new RangeError(`the pictures differ in size: ${a.width} x ${a.height} and ${b.width} x ${b.height}`);
  const levels = LEVELS.filter((f) => Math.min(a.width, a.height) / f >= 24);
  let dx = 0;
  let dy = 0;
  let gain = 0;
  let result: FrameShift | null = null;
  const slopes = [0, 0, -1];
  let searched = false;
  levels.forEach((f) => {
    const [pa, pb] = [shrink(a, f), shrink(b, f)];
    if (!searched) {
      // The pictures themselves say whether there is too little.
      if (f > 1 && !comparable(pa, pb)) return;
      searched = true;
      let best = Infinity;
      for (let v = -SEARCH_PX; v <= SEARCH_PX; v++) {
        for (let u = -SEARCH_PX; u <= SEARCH_PX; u++) {
          const m = misfit(pa, pb, u, v) * (1 + 1e-6 * Math.hypot(u, v));
          if (m < best) [best, dx, dy] = [m, u * f, v * f];
        }
      }
      if (best === Infinity)
        throw new RangeError('too little of the pictures is neither black nor clipped to compare them');
    }
    const stride = Math.max(1, Math.floor(Math.sqrt((pa.width * pa.height) / 60000)));
    // Of every place: difference and slopes.
    const rows = new Float64Array(3 * Math.ceil(pa.width / stride) * Math.ceil(pa.height / stride));
    const apart = new Float64Array(rows.length / 3);
    const there = new Float64Array(pa.width * pa.height);
    // Of the last pass: what the robust limit kept.
    let [squares, kept, spread, seen] = [0, 0, 0, 0];
    const solved = gaussNewton({
      size: 3,
      passes: 12,
      fill: (equations) => {
        let n = 0;
        readFurther(pb, dx / f, dy / f, there);
        for (let y = 1; y < pa.height - 1; y += stride) {
          for (let x = 1; x < pa.width - 1; x += stride) {
            const i = y * pa.width + x;
            const value = there[i] - pa.data[i] - gain;
            const gx = (there[i + 1] - there[i - 1]) / 2;
            const gy = (there[i + pa.width] - there[i - pa.width]) / 2;
            if (Number.isNaN(value + gx + gy)) continue;
            rows[3 * n] = value;
            rows[3 * n + 1] = gx;
            rows[3 * n + 2] = gy;
            n++;
          }
        }
        if (n < 200) throw new RangeError('too little of the pictures is neither black nor clipped to compare them');
        // Flat places fit at any shift: what is an outlier is told by the places that have a slope at all.
        let sloping = 0;
        for (let r = 0; r < n; r++)
          if (rows[3 * r + 1] ** 2 + rows[3 * r + 2] ** 2 > FLAT) apart[sloping++] = Math.abs(rows[3 * r]);
        if (sloping < 100) {
          for (let r = 0; r < n; r++) apart[r] = Math.abs(rows[3 * r]);
          sloping = n;
        }
        spread = Math.max(1e-4, spreadOfResiduals(apart.subarray(0, sloping)));
        const cut = tukeyCut(spread);
        [squares, kept, seen] = [0, 0, n];
        for (let r = 0; r < n; r++) {
          const value = rows[3 * r];
          const w = tukeyWeight(value / cut);
          if (w === 0) continue;
          kept++;
          squares += w * value * value;
          slopes[0] = rows[3 * r + 1];
          slopes[1] = rows[3 * r + 2];
          equations.add(COLUMNS, slopes, value, w);
        }
        for (let i = 0; i < 2; i++) equations.a[i * 3 + i] += 1e-9 * n;
        return true;
      },
      move: (step) => {
        dx += step[0] * f;
        dy += step[1] * f;
        gain += step[2];
        return Math.hypot(step[0], step[1]) < 0.003 && Math.abs(step[2]) < 1e-4;
      },
    })!;
    const covariance = solved.covariance();
    const variance = squares / Math.max(1, kept - 3);
    // Neighbouring pixels err together (edges, compression): a tenth of them count as independent.
    const sigma = (i: number) => Math.sqrt(10 * variance * covariance[4 * i]);
    result = {
      dx,
      dy,
      shiftUncertaintyPx: halfWidth95(f * Math.max(sigma(0), sigma(1))),
      stops: gain / Math.LN2,
      stopsUncertainty: halfWidth95(sigma(2)) / Math.LN2,
      residualStops: spread / Math.LN2,
      agreeing: kept / seen,
    };
  });
  return result!;
}
