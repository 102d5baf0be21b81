import { frameShift, type LogLuminance } from '../compare/frameShift';
import { WORKING_SPACES } from '../colour/primaries';
import { median, quantile } from '../estimate/robust';

/** A frame of a bracket as the alignment sees it. */
export interface AlignedFrame {
  codes: Uint8Array | Uint16Array;
  /** Linear value of a code. */
  table: Float32Array;
}

export interface BracketShift {
  /** Where the frame's content lies against the first frame's, full-resolution pixels. */
  dx: number;
  dy: number;
}

/** Long side of the planes that are compared. */
const SIDE = 330;
const CLIP = 0.9;
/** Shifts below this are not worth another interpolation. */
const LEAST_PX = 0.4;
/** A shift must bring frames this much closer: smooth pictures fit at many places, and those that stand still must stay. */
const CLEARLY_BETTER = 0.75;
/** Frames that differ by less than this (natural logarithm) in nine places of ten stand still as far as any merge can tell. */
const WORTH_MENDING = 0.05;

function plane({ codes, table }: AlignedFrame, width: number, height: number, factor: number): LogLuminance {
  const w = Math.floor(width / factor);
  const h = Math.floor(height / factor);
  const data = new Float32Array(w * h);
  const [red, green, blue] = WORKING_SPACES.rec709.luminance;
  const black = codes instanceof Uint8Array ? table[8] : 0.002;
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      let sum = 0;
      let cut = false;
      for (let v = 0; v < factor; v++) {
        for (let u = 0; u < factor; u++) {
          const i = 3 * ((y * factor + v) * width + x * factor + u);
          const r = table[codes[i]];
          const g = table[codes[i + 1]];
          const b = table[codes[i + 2]];
          cut ||= r > CLIP || g > CLIP || b > CLIP;
          sum += red * r + green * g + blue * b;
        }
      }
      const mean = sum / (factor * factor);
      data[y * w + x] = cut || mean < black ? NaN : Math.log(mean);
    }
  }
  return { width: w, height: h, data };
}

/** The 90th percentile of what two planes differ by once their ratio is taken off; `b` is read `dx`, `dy` further, bilinear. */
function mismatch(a: LogLuminance, b: LogLuminance, dx: number, dy: number): number {
  const { width, height } = a;
  const [ix, iy] = [Math.floor(dx), Math.floor(dy)];
  const [tx, ty] = [dx - ix, dy - iy];
  const d = new Float64Array(width * height);
  let n = 0;
  for (let y = Math.max(0, -iy); y < Math.min(height, height - iy) - 1; y++) {
    for (let x = Math.max(0, -ix); x < Math.min(width, width - ix) - 1; x++) {
      const i = (y + iy) * width + x + ix;
      const seen =
        (b.data[i] * (1 - tx) + b.data[i + 1] * tx) * (1 - ty) +
        (b.data[i + width] * (1 - tx) + b.data[i + width + 1] * tx) * ty;
      const v = seen - a.data[y * width + x];
      if (!Number.isNaN(v)) d[n++] = v;
    }
  }
  if (n === 0) return Infinity;
  const both = d.subarray(0, n);
  const middle = median(both);
  return quantile(
    both.map((v) => Math.abs(v - middle)),
    0.9,
  );
}

/**
 * How the frames of a bracket are shifted against their first, from neighbour to neighbour (those share most light). A bump or an unsteady hand; turns of the camera within a
 * bracket are taken for the shift that they are in the middle. Frames that share too little light with their neighbour get their neighbour's shift.
 */
export function bracketShifts(frames: readonly AlignedFrame[], width: number, height: number): BracketShift[] {
  const factor = Math.max(1, Math.round(Math.max(width, height) / SIDE));
  const planes = frames.map((f) => plane(f, width, height, factor));
  const out: BracketShift[] = [{ dx: 0, dy: 0 }];
  for (let k = 1; k < frames.length; k++) {
    const before = out[k - 1];
    // Most stand still: looking for a shift takes longer than seeing that.
    const still = mismatch(planes[k - 1], planes[k], 0, 0);
    if (!(still > WORTH_MENDING)) {
      out.push({ ...before });
      continue;
    }
    try {
      const s = frameShift(planes[k - 1], planes[k]);
      const sure =
        s.agreeing > 0.4 &&
        s.shiftUncertaintyPx < 0.5 &&
        s.residualStops < 0.4 &&
        mismatch(planes[k - 1], planes[k], s.dx, s.dy) < CLEARLY_BETTER * still;
      out.push(sure ? { dx: before.dx + s.dx * factor, dy: before.dy + s.dy * factor } : { ...before });
    } catch (error) {
      if (!(error instanceof RangeError)) throw error;
      out.push({ ...before });
    }
  }
  // Many small uncertain steps would add up to a walk: what stays below the least shift is none.
  return out.map((s) => (Math.hypot(s.dx, s.dy) < LEAST_PX ? { dx: 0, dy: 0 } : s));
}

/** The frame with its content moved back by a shift (bilinear between codes, borders held). */
export function shiftCodes<T extends Uint8Array | Uint16Array>(
  codes: T,
  width: number,
  height: number,
  { dx, dy }: BracketShift,
): T {
  const out = (codes instanceof Uint8Array ? new Uint8Array(codes.length) : new Uint16Array(codes.length)) as T;
  const [ix, iy] = [Math.floor(dx), Math.floor(dy)];
  const [tx, ty] = [dx - ix, dy - iy];
  const [waa, wab, wba, wbb] = [(1 - tx) * (1 - ty), tx * (1 - ty), (1 - tx) * ty, tx * ty];
  const clampX = (x: number) => (x < 0 ? 0 : x >= width ? width - 1 : x);
  const clampY = (y: number) => (y < 0 ? 0 : y >= height ? height - 1 : y);
  const full = codes instanceof Uint8Array ? 250 : 62000;
  for (let y = 0; y < height; y++) {
    const ya = clampY(y + iy) * width;
    const yb = clampY(y + iy + 1) * width;
    for (let x = 0; x < width; x++) {
      const xa = clampX(x + ix);
      const xb = clampX(x + ix + 1);
      for (let c = 0; c < 3; c++) {
        const [a, b, d, e] = [
          codes[3 * (ya + xa) + c],
          codes[3 * (ya + xb) + c],
          codes[3 * (yb + xa) + c],
          codes[3 * (yb + xb) + c],
        ];
        // A mean with a clipped code is neither: it counts as clipped.
        const most = Math.max(a, b, d, e);
        out[3 * (y * width + x) + c] = most >= full ? most : waa * a + wab * b + wba * d + wbb * e + 0.5;
      }
    }
  }
  return out;
}
