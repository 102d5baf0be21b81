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
  // Mean green of a block in every frame, with its variance.
  const mean = new Float64Array(count);
  const variance = new Float64Array(count);
  const shared = new Float64Array(count);
  const n = new Float64Array(count);
  const contradict = (k: number, j: number) => {
    const [p, q] = [mean[k] / n[k], mean[j] / n[j]];
    const sigma = Math.sqrt(
      (variance[k] + shared[k] * shared[k]) / (n[k] * n[k]) + (variance[j] + shared[j] * shared[j]) / (n[j] * n[j]),
    );
    return Math.abs(p - q) > MOVED_SIGMAS * sigma && Math.abs(p - q) > leastShare * Math.max(p, q);
  };
  for (let by = 0; by < rows; by++) {
    for (let bx = 0; bx < columns; bx++) {
      for (const sums of [mean, variance, shared, n]) sums.fill(0);
      for (let y = by * MOVED_BLOCK; y < Math.min(height, (by + 1) * MOVED_BLOCK); y++) {
        for (let xx = bx * MOVED_BLOCK; xx < Math.min(width, (bx + 1) * MOVED_BLOCK); xx++) {
          const i = 3 * (y * width + xx) + 1;
          for (let k = 0; k < count; k++) {
            if (!holds(k, i)) continue;
            const code = codes[k][i];
            const value = tables[1][code];
            mean[k] += value / x[k];
            variance[k] += (value * inverseWell + readVariance + rounding[1][code]) / (x[k] * x[k]);
            shared[k] += coding(code) / x[k];
            n[k]++;
          }
        }
      }
      // Frames speak of a block only when they hold all of it: one that lost its bright or its dark parts has another mean of the same thing.
      const all = Math.min(MOVED_BLOCK, width - bx * MOVED_BLOCK) * Math.min(MOVED_BLOCK, height - by * MOVED_BLOCK);
      const able = order.filter((k) => n[k] === all);
      const against = able.map((k) => able.filter((j) => j !== k && contradict(k, j)).length);
      if (against.every((c) => c === 0)) continue;
      // The frame that most others agree with; the reference wins a tie.
      bad[by * columns + bx] = 1 + able[against.indexOf(Math.min(...against))];
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
