import type { RgbImage } from '../image/image';
import type { Stack } from './stack';

/** What `moved: true` means: a fifth of the value. */
export const USUAL_MOVED_STOPS = 0.32;
/** Frames that differ from another by more than this many sigmas, and by the stops that were asked for, contradict it. */
const MOVED_SIGMAS = 6;
/** Eight-bit codes below this are biased by rounding and compression: they contradict nobody. */
const MOVED_LEAST_CODE = 12;
/** A JPEG's blocks are off by about this many codes near what is much brighter or of another colour, all pixels of a place together. */
const CODING_CODES = 1.5;
/** Blocks of this many pixels a side are judged as one: a figure is larger than noise. */
const MOVED_BLOCK = 4;

/**
 * Where frames contradict each other the result is one of them alone: the one that most others agree with (on a tie the bracket's reference, the
 * frame that holds most of the picture), or the nearest exposure that holds the place. Returns the map of what was taken so.
 */
export function takeOutMoved(
  { codes, x, tables, rounding, clipCodes, inverseWell, readVariance }: Stack,
  image: RgbImage,
  clipped: Uint8Array,
  stops: number,
): Uint8Array {
  const { width, height, data } = image;
  const count = codes.length;
  const leastShare = 1 - 2 ** -stops;
  const narrow = codes[0] instanceof Uint8Array;
  const least = narrow ? MOVED_LEAST_CODE : 1;
  const coding = (code: number) => (narrow ? (CODING_CODES * (tables[1][Math.min(255, code + 1)] - tables[1][code - 1])) / 2 : 0); // prettier-ignore
  // Of every channel, which of its codes are held.
  const heldCodes = tables.map((table, c) =>
    Uint8Array.from(table, (value, code) =>
      Number(code >= least && code < clipCodes[c] && value > 6 * Math.sqrt(readVariance + rounding[c][code])),
    ),
  );
  const holds = (k: number, i: number) => heldCodes[i % 3][codes[k][i]] === 1;
  const coverage = codes.map((_, k) => {
    let n = 0;
    for (let i = 1; i < data.length; i += 3 * 97) if (holds(k, i)) n++;
    return n;
  });
  const reference = coverage.indexOf(Math.max(...coverage));
  const order = Array.from({ length: count }, (_, k) => k).sort(
    (a, b) => Math.abs(a - reference) - Math.abs(b - reference),
  );
  const columns = Math.ceil(width / MOVED_BLOCK);
  const rows = Math.ceil(height / MOVED_BLOCK);
  const bad = new Uint8Array(columns * rows);
  const held = heldCodes[1];
  // Of every frame, what a code of its green adds to a block: light, its variance, and the error that all pixels of a place share.
  const green = codes.map((_, k) => ({
    light: Float64Array.from(tables[1], (value) => value / x[k]),
    variance: Float64Array.from(tables[1], (value, code) => (value * inverseWell + readVariance + rounding[1][code]) / (x[k] * x[k])), // prettier-ignore
    shared: Float64Array.from(tables[1], (_v, code) => coding(code) / x[k]),
  }));
  // Frames that hold all of a block: which, their mean green there, its variance, and how many others contradict it.
  const able = new Uint8Array(count);
  const level = new Float64Array(count);
  const spread = new Float64Array(count);
  const against = new Uint8Array(count);
  for (let by = 0; by < rows; by++) {
    for (let bx = 0; bx < columns; bx++) {
      const [x0, x1] = [bx * MOVED_BLOCK, Math.min(width, (bx + 1) * MOVED_BLOCK)];
      const [y0, y1] = [by * MOVED_BLOCK, Math.min(height, (by + 1) * MOVED_BLOCK)];
      // One that lost its bright or its dark parts has another mean of the same thing: it does not speak.
      const all = (x1 - x0) * (y1 - y0);
      let speak = 0;
      for (const k of order) {
        const frame = codes[k];
        const adds = green[k];
        let [sum, variance, shared, n] = [0, 0, 0, 0];
        for (let y = y0; y < y1; y++) {
          for (let i = 3 * (y * width + x0) + 1; i < 3 * (y * width + x1); i += 3) {
            const code = frame[i];
            if (held[code] === 0) continue;
            sum += adds.light[code];
            variance += adds.variance[code];
            shared += adds.shared[code];
            n++;
          }
          if (n < (y - y0 + 1) * (x1 - x0)) break;
        }
        if (n < all) continue;
        able[speak] = k;
        level[speak] = sum / n;
        spread[speak] = (variance + shared * shared) / (n * n);
        against[speak] = 0;
        speak++;
      }
      let contradicted = false;
      for (let a = 1; a < speak; a++) {
        for (let b = 0; b < a; b++) {
          const apart = Math.abs(level[a] - level[b]);
          if (!(apart > MOVED_SIGMAS * Math.sqrt(spread[a] + spread[b]) && apart > leastShare * Math.max(level[a], level[b]))) continue; // prettier-ignore
          against[a]++;
          against[b]++;
          contradicted = true;
        }
      }
      if (!contradicted) continue;
      // The frame that most others agree with; the reference wins a tie.
      let best = 0;
      for (let a = 1; a < speak; a++) if (against[a] < against[best]) best = a;
      bad[by * columns + bx] = 1 + able[best];
    }
  }
  const moved = new Uint8Array(width * height);
  /** 1 + the frame chosen in a block or next to it; 0 where nothing contradicts. */
  const near = (bx: number, by: number) => {
    if (bad[by * columns + bx]) return bad[by * columns + bx];
    for (let v = -1; v <= 1; v++) {
      for (let u = -1; u <= 1; u++) {
        const chosen =
          bad[Math.max(0, Math.min(rows - 1, by + v)) * columns + Math.max(0, Math.min(columns - 1, bx + u))];
        if (chosen) return chosen;
      }
    }
    return 0;
  };
  for (let by = 0; by < rows; by++) {
    for (let bx = 0; bx < columns; bx++) {
      const chosen = near(bx, by);
      if (chosen === 0) continue;
      const preferred = [chosen - 1, ...order.filter((k) => k !== chosen - 1)];
      for (let y = by * MOVED_BLOCK; y < Math.min(height, (by + 1) * MOVED_BLOCK); y++) {
        for (let xx = bx * MOVED_BLOCK; xx < Math.min(width, (bx + 1) * MOVED_BLOCK); xx++) {
          const p = y * width + xx;
          if (clipped[p]) continue;
          const k = preferred.find((f) => holds(f, 3 * p) && holds(f, 3 * p + 1) && holds(f, 3 * p + 2));
          if (k === undefined) continue;
          moved[p] = 1;
          for (let c = 0; c < 3; c++) data[3 * p + c] = tables[c][codes[k][3 * p + c]] / x[k];
        }
      }
    }
  }
  return moved;
}
