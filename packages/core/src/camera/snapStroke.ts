import type { Stroke } from './strokeFamily';

/** Brightness of a picture, row by row from the top-left; pixel centres at half integers. */
export interface Brightness {
  widthPx: number;
  heightPx: number;
  data: ArrayLike<number>;
}

/** Samples along a stroke, and how far beside it an edge is felt for once it is near, pixels. */
const SAMPLES = 48;
const NEAR_PX = 2.5;
const PASSES = 4;
/** An edge stands out when it is this many times as steep as what lies beside it. */
const STANDS_OUT = 2;
/** And this many standard errors of its samples: the best of some hundred lines through noise reaches four. */
const SURE_SIGMAS = 6;

/**
 * A stroke laid on the straight edge that it was drawn beside: the line, within reach on either side and of one polarity, along which the picture
 * is steepest across it; then each sample's own edge to a part of a pixel.
 * @param reachPx how far the edge may lie from either end
 * @returns null where no edge stands out
 */
export function snapStroke(picture: Brightness, stroke: Stroke, reachPx: number): Stroke | null {
  const [x1, y1, x2, y2] = stroke;
  const length = Math.hypot(x2 - x1, y2 - y1);
  if (length < 8) return null;
  const [nx, ny] = [-(y2 - y1) / length, (x2 - x1) / length];
  /** How steep the picture is across the stroke, at a share of its length and so far beside it. */
  const steep = (t: number, aside: number): number => {
    const [x, y] = [x1 + t * (x2 - x1) + aside * nx, y1 + t * (y2 - y1) + aside * ny];
    return (valueAt(picture, x + nx, y + ny) - valueAt(picture, x - nx, y - ny)) / 2;
  };
  const reach = Math.max(2, Math.round(reachPx));
  const rows = Array.from({ length: SAMPLES }, (_, k) => {
    const t = (k + 0.5) / SAMPLES;
    return Float64Array.from({ length: 2 * reach + 1 }, (_, j) => steep(t, j - reach));
  });
  const along = (d1: number, d2: number): number => {
    let sum = 0;
    for (let k = 0; k < SAMPLES; k++) {
      const at = reach + d1 + ((k + 0.5) / SAMPLES) * (d2 - d1);
      const j = Math.min(2 * reach - 1, Math.floor(at));
      sum += rows[k][j] * (j + 1 - at) + rows[k][j + 1] * (at - j);
    }
    return Math.abs(sum) / SAMPLES;
  };
  let best = { d1: 0, d2: 0, score: 0 };
  const beside: number[] = [];
  for (let d1 = -reach; d1 <= reach; d1++)
    for (let d2 = -reach; d2 <= reach; d2++) {
      const value = along(d1, d2);
      beside.push(value);
      // Of two edges the nearer is meant.
      const score = value * (1 - (0.4 * Math.max(Math.abs(d1), Math.abs(d2))) / reach);
      if (score > best.score) best = { d1, d2, score };
    }
  beside.sort((a, b) => a - b);
  if (!(best.score > STANDS_OUT * beside[beside.length >> 1])) return null;
  let line = { a: best.d1, b: best.d2 - best.d1 };
  const { mean, error } = steepness(steep, line);
  if (Math.abs(mean) < SURE_SIGMAS * error) return null;
  const sign = Math.sign(mean);
  for (let pass = 0; pass < PASSES; pass++) {
    // Weighted least squares of where each sample is steepest.
    let [w, wt, wtt, we, wte] = [0, 0, 0, 0, 0];
    for (let k = 0; k < SAMPLES; k++) {
      const t = (k + 0.5) / SAMPLES;
      const here = line.a + line.b * t;
      let [mass, first] = [0, 0];
      for (let d = -NEAR_PX; d <= NEAR_PX; d += 0.5) {
        const g = Math.max(0, sign * steep(t, here + d));
        mass += g;
        first += g * d;
      }
      if (!(mass > 0)) continue;
      const e = here + first / mass;
      w += mass;
      wt += mass * t;
      wtt += mass * t * t;
      we += mass * e;
      wte += mass * t * e;
    }
    const det = w * wtt - wt * wt;
    if (!(det > 1e-9 * w * w)) return null;
    line = { a: (wtt * we - wt * wte) / det, b: (w * wte - wt * we) / det };
  }
  const [d1, d2] = [line.a, line.a + line.b];
  if (Math.max(Math.abs(d1), Math.abs(d2)) > reach + NEAR_PX) return null;
  return [x1 + d1 * nx, y1 + d1 * ny, x2 + d2 * nx, y2 + d2 * ny];
}

/** How steep the picture is along a line beside the stroke: mean of the samples and its standard error. */
function steepness(steep: (t: number, aside: number) => number, line: { a: number; b: number }) {
  const values = Array.from({ length: SAMPLES }, (_, k) => {
    const t = (k + 0.5) / SAMPLES;
    return steep(t, line.a + line.b * t);
  });
  const mean = values.reduce((s, v) => s + v, 0) / SAMPLES;
  const variance = values.reduce((s, v) => s + (v - mean) ** 2, 0) / (SAMPLES - 1);
  return { mean, error: Math.sqrt(variance / SAMPLES) };
}

/** Between the four pixels around a place; beyond the rim the rim's own. */
function valueAt({ widthPx, heightPx, data }: Brightness, x: number, y: number): number {
  const u = Math.min(widthPx - 1, Math.max(0, x - 0.5));
  const v = Math.min(heightPx - 1, Math.max(0, y - 0.5));
  const [i, j] = [Math.min(widthPx - 2, Math.floor(u)), Math.min(heightPx - 2, Math.floor(v))];
  const [fu, fv] = [u - i, v - j];
  const at = j * widthPx + i;
  return (
    (data[at] * (1 - fu) + data[at + 1] * fu) * (1 - fv) +
    (data[at + widthPx] * (1 - fu) + data[at + widthPx + 1] * fu) * fv
  );
}
