import { createImage, type RgbImage } from '../image/image';
import { decodingTable, quantisationVariance, type Curve } from './linearise';
import { encodeUncertainty, UNKNOWN_UNCERTAINTY } from './uncertainty';

/** Sensor noise in electrons; 1.0 in linear units is the full well. QUALITY.md's sensor is the default. */
export interface NoiseModel {
  fullWellE: number;
  readNoiseE: number;
}

export const DEFAULT_NOISE: NoiseModel = { fullWellE: 30000, readNoiseE: 4 };

/** One exposure of a bracket: interleaved RGB codes and its photometric exposure X (CONVENTIONS.md section 3). */
export interface BracketFrame {
  readonly codes: Uint8Array | Uint16Array;
  readonly exposure: number;
}

export interface MergeOptions {
  width: number;
  height: number;
  curve: Curve;
  noise?: NoiseModel;
  /** Linear level from which a sample counts as clipped. */
  saturation?: number;
  /** Response of an 8-bit camera, one table a channel (see `recoverResponse`); wins over `curve`. */
  tables?: readonly [Float32Array, Float32Array, Float32Array];
  /** Memory to fill instead of making new: 3 floats and a byte a pixel. */
  into?: { pixels: Float32Array; clipped: Uint8Array; uncertainty?: Uint8Array };
  /** Replace things that moved between the frames by the frame that shows them best; off by default. */
  ghosts?: boolean;
}

export interface MergedView {
  /** Radiance per unit exposure: linear / X. */
  readonly image: RgbImage;
  /** 1 where even the shortest frame is clipped in some channel, else 0; one byte a pixel. */
  readonly clipped: Uint8Array;
  /** Radiance at which the shortest frame clips: values there are lower bounds. */
  readonly clipLevel: number;
  /** Fraction of pixels that no frame holds above its noise (signal below 3 sigma in the longest). */
  readonly starvedFraction: number;
  /** 1 where frames contradicted each other and one was taken alone; null when not asked for. */
  readonly ghosts: Uint8Array | null;
}

/** Frames this many times darker than the best one add under 2 % to the weight and are left out. */
const DARKEST_USED = 40;

interface Stack {
  codes: readonly (Uint8Array | Uint16Array)[];
  /** Exposures, longest first. */
  x: Float64Array;
  /** Linear value of a code, one table a channel. */
  tables: readonly Float32Array[];
  rounding: readonly Float32Array[];
  /** First code of each channel that counts as clipped. */
  clipCodes: readonly number[];
  inverseWell: number;
  readVariance: number;
}

/**
 * Merges one bracket to scene-linear radiance with inverse-variance weights.
 *
 * Sixteen bits: for each channel the longest unclipped frame gives a first estimate L; every frame k of X_k then has the
 * variance `(L X_k / fullWell + (read / fullWell)^2 + q_k) / X_k^2`, q the rounding of its code, and the result is
 * the weighted mean. Weights come from the estimate, not from each sample, so dark samples are not favoured.
 * Eight bits: rounding rules, so the weight of a code in a frame is a number looked up; two tables a frame make the mean.
 * Where all frames clip, the shortest frame's value stands (a lower bound) and `clipped` says so.
 *
 * @throws RangeError for no frames, unequal sizes or exposures that are not positive.
 */
export function mergeBracket(frames: readonly BracketFrame[], options: MergeOptions): MergedView {
  const { width, height, curve } = options;
  if (frames.length === 0) throw new RangeError('a bracket needs at least one frame');
  const samples = width * height * 3;
  for (const f of frames) {
    if (f.codes.length !== samples) throw new RangeError('all frames of a bracket must have the same size');
    if (!(f.exposure > 0) || !Number.isFinite(f.exposure)) throw new RangeError(`exposure ${f.exposure} is not positive`);
  }
  const noise = options.noise ?? DEFAULT_NOISE;
  const sorted = [...frames].sort((a, b) => b.exposure - a.exposure);
  const wide = sorted.some((f) => f.codes instanceof Uint16Array);
  if (wide && sorted.some((f) => f.codes instanceof Uint8Array)) {
    throw new RangeError('a bracket must not mix 8-bit and 16-bit frames');
  }
  const stated = decodingTable(curve, wide ? 65535 : 255);
  const tables = options.tables ?? [stated, stated, stated];
  const saturation = options.saturation ?? (wide ? 0.95 : Math.min(...tables.map((t) => t[250])));
  const x = Float64Array.from(sorted, (f) => f.exposure);
  const stack: Stack = {
    codes: sorted.map((f) => f.codes), x, tables, rounding: tables.map(quantisationVariance),
    clipCodes: tables.map((t) => {
      const code = t.findIndex((v) => v >= saturation);
      return code < 0 ? t.length - 1 : code;
    }),
    inverseWell: 1 / noise.fullWellE, readVariance: (noise.readNoiseE / noise.fullWellE) ** 2,
  };
  const image = options.into ? { width, height, data: options.into.pixels } : createImage(width, height);
  const clipped = options.into?.clipped ?? new Uint8Array(width * height);
  const uncertainty = options.into?.uncertainty ?? null;
  const starved = wide ? mergeWide(stack, image.data, clipped, uncertainty) : mergeNarrow(stack, image.data, clipped, uncertainty);
  const ghosts = options.ghosts && sorted.length > 2 ? takeOutGhosts(stack, image, clipped) : null;
  return { image, clipped, clipLevel: saturation / x[x.length - 1], starvedFraction: starved / (width * height), ghosts };
}

/** Samples worked on at a time: two accumulators of this size stay in the nearest cache. */
const CHUNK = 3 * 2048;

/** Weights from an estimate of each sample. Returns how many green samples no frame holds above its noise. */
function mergeWide({ codes, x, tables, rounding, clipCodes, inverseWell, readVariance }: Stack, out: Float32Array, clipped: Uint8Array, uncertainty: Uint8Array | null): number {
  const count = codes.length;
  const table = tables[0];
  const round = rounding[0];
  const clipCode = clipCodes[0];
  const first = new Float32Array(CHUNK);
  const longestUsed = new Uint8Array(CHUNK);
  const weights = new Float32Array(CHUNK);
  let starved = 0;
  for (let from = 0; from < out.length; from += CHUNK) {
    const n = Math.min(CHUNK, out.length - from);
    longestUsed.fill(255, 0, n);
    // From the shortest frame to the longest: the last unclipped one found is the longest.
    for (let k = count - 1; k >= 0; k--) {
      const frame = codes[k];
      const scale = 1 / x[k];
      for (let i = 0; i < n; i++) {
        const code = frame[from + i];
        if (code < clipCode) {
          first[i] = table[code] * scale;
          longestUsed[i] = k;
        }
      }
    }
    weights.fill(0, 0, n);
    for (let i = 0; i < n; i++) out[from + i] = 0;
    for (let k = 0; k < count; k++) {
      const frame = codes[k];
      const xk = x[k];
      const square = xk * xk;
      const slope = xk * inverseWell;
      const scale = 1 / xk;
      for (let i = 0; i < n; i++) {
        const best = longestUsed[i];
        if (best > k || x[best] > DARKEST_USED * xk) continue;
        const code = frame[from + i];
        const w = square / (first[i] * slope + readVariance + round[code]);
        weights[i] += w;
        out[from + i] += w * table[code] * scale;
      }
    }
    const last = codes[count - 1];
    for (let i = 0; i < n; i++) {
      if (longestUsed[i] === 255) {
        out[from + i] = table[last[from + i]] / x[count - 1];
        clipped[((from + i) / 3) | 0] = 1;
        continue;
      }
      out[from + i] /= weights[i];
      if (longestUsed[i] === 0 && (from + i) % 3 === 1) {
        const code = codes[0][from + i];
        const signal = table[code];
        if (signal * signal < 9 * (signal * inverseWell + readVariance + round[code])) starved++;
      }
    }
    if (uncertainty) noteUncertainty(uncertainty, weights, out, clipped, from, n);
  }
  return starved;
}

/** Two looked-up numbers a frame and sample: weight, and weight times value. Clipped codes weigh nothing. */
function mergeNarrow({ codes, x, tables, rounding, clipCodes, inverseWell, readVariance }: Stack, out: Float32Array, clipped: Uint8Array, uncertainty: Uint8Array | null): number {
  const count = codes.length;
  const look = (k: number, c: number) => {
    const weight = new Float32Array(256);
    const product = new Float32Array(256);
    for (let code = 0; code < clipCodes[c]; code++) {
      const value = tables[c][code];
      const w = (x[k] * x[k]) / (value * inverseWell + readVariance + rounding[c][code]);
      weight[code] = w;
      product[code] = (w * value) / x[k];
    }
    return { weight, product };
  };
  const looks = codes.map((_, k) => [0, 1, 2].map((c) => look(k, c)));
  const alike = tables[0] === tables[1] && tables[1] === tables[2];
  const weights = new Float32Array(CHUNK);
  const last = codes[count - 1];
  for (let from = 0; from < out.length; from += CHUNK) {
    const n = Math.min(CHUNK, out.length - from);
    weights.fill(0, 0, n);
    for (let i = 0; i < n; i++) out[from + i] = 0;
    for (let k = 0; k < count; k++) {
      const frame = codes[k];
      if (alike) addCodes(frame, from, n, 0, 1, looks[k][0], weights, out);
      else for (let c = 0; c < 3; c++) addCodes(frame, from, n, c, 3, looks[k][c], weights, out);
    }
    for (let i = 0; i < n; i++) {
      const w = weights[i];
      if (w > 0) out[from + i] /= w;
      else {
        out[from + i] = tables[(from + i) % 3][last[from + i]] / x[count - 1];
        clipped[((from + i) / 3) | 0] = 1;
      }
    }
    if (uncertainty) noteUncertainty(uncertainty, weights, out, clipped, from, n);
  }
  const longest = codes[0];
  const starvedBelow = tables[1].findIndex((v, code) => v * v >= 9 * (v * inverseWell + readVariance + rounding[1][code]));
  let starved = 0;
  for (let i = 1; i < longest.length; i += 3) if (longest[i] < starvedBelow) starved++;
  return starved;
}

/** One byte a pixel from the green sample: its weight is the inverse of its variance. */
function noteUncertainty(into: Uint8Array, weights: Float32Array, out: Float32Array, clipped: Uint8Array, from: number, n: number): void {
  for (let i = 1; i < n; i += 3) {
    const pixel = ((from + i) / 3) | 0;
    into[pixel] = clipped[pixel] ? UNKNOWN_UNCERTAINTY : encodeUncertainty(1 / (Math.sqrt(weights[i]) * out[from + i]));
  }
}

/** Adds one frame's looked-up weights and products of a chunk; the innermost loop of the 8-bit merge. */
function addCodes(frame: Uint8Array | Uint16Array, from: number, n: number, first: number, step: number, { weight, product }: { weight: Float32Array; product: Float32Array }, weights: Float32Array, out: Float32Array): void {
  for (let i = first; i < n; i += step) {
    const code = frame[from + i];
    weights[i] += weight[code];
    out[from + i] += product[code];
  }
}

/** Frames that differ from the reference by more than this many sigmas, and this share, contradict it. */
const GHOST_SIGMAS = 6;
const GHOST_SHARE = 0.2;
/** Eight-bit codes below this are biased by rounding and compression: they contradict nobody. */
const GHOST_LEAST_CODE = 12;
/** Blocks of this many pixels a side are judged as one: a figure is larger than noise. */
const GHOST_BLOCK = 4;

/**
 * Where frames contradict each other the result is one of them alone: the one that most others agree with (on a tie the bracket's reference, the
 * frame that holds most of the picture), or the nearest exposure that holds the place. Returns the map of what was taken so.
 */
function takeOutGhosts({ codes, x, tables, rounding, clipCodes, inverseWell, readVariance }: Stack, image: RgbImage, clipped: Uint8Array): Uint8Array {
  const { width, height, data } = image;
  const count = codes.length;
  const least = codes[0] instanceof Uint8Array ? GHOST_LEAST_CODE : 1;
  const holds = (k: number, i: number) => codes[k][i] >= least && codes[k][i] < clipCodes[i % 3] && tables[i % 3][codes[k][i]] > 6 * Math.sqrt(readVariance + rounding[i % 3][codes[k][i]]);
  const coverage = codes.map((_, k) => {
    let n = 0;
    for (let i = 1; i < data.length; i += 3 * 97) if (holds(k, i)) n++;
    return n;
  });
  const reference = coverage.indexOf(Math.max(...coverage));
  const order = Array.from({ length: count }, (_, k) => k).sort((a, b) => Math.abs(a - reference) - Math.abs(b - reference));
  const columns = Math.ceil(width / GHOST_BLOCK);
  const rows = Math.ceil(height / GHOST_BLOCK);
  const bad = new Uint8Array(columns * rows);
  for (let by = 0; by < rows; by++) {
    for (let bx = 0; bx < columns; bx++) {
      // Mean green of the block in every frame, with its variance.
      const mean = new Float64Array(count);
      const variance = new Float64Array(count);
      const n = new Float64Array(count);
      for (let y = by * GHOST_BLOCK; y < Math.min(height, (by + 1) * GHOST_BLOCK); y++) {
        for (let xx = bx * GHOST_BLOCK; xx < Math.min(width, (bx + 1) * GHOST_BLOCK); xx++) {
          const i = 3 * (y * width + xx) + 1;
          for (let k = 0; k < count; k++) {
            if (!holds(k, i)) continue;
            const code = codes[k][i];
            const value = tables[1][code];
            mean[k] += value / x[k];
            variance[k] += (value * inverseWell + readVariance + rounding[1][code]) / (x[k] * x[k]);
            n[k]++;
          }
        }
      }
      const full = GHOST_BLOCK * GHOST_BLOCK * 0.7;
      const able = order.filter((k) => n[k] >= full);
      const contradict = (k: number, j: number) => {
        const [p, q] = [mean[k] / n[k], mean[j] / n[j]];
        const sigma = Math.sqrt(variance[k] / (n[k] * n[k]) + variance[j] / (n[j] * n[j]));
        return Math.abs(p - q) > GHOST_SIGMAS * sigma && Math.abs(p - q) > GHOST_SHARE * Math.max(p, q);
      };
      const against = able.map((k) => able.filter((j) => j !== k && contradict(k, j)).length);
      if (against.every((c) => c === 0)) continue;
      // The frame that most others agree with; the reference wins a tie.
      bad[by * columns + bx] = 1 + able[against.indexOf(Math.min(...against))];
    }
  }
  const ghosts = new Uint8Array(width * height);
  /** 1 + the frame chosen in a block or next to it; 0 where nothing contradicts. */
  const near = (bx: number, by: number) => {
    if (bad[by * columns + bx]) return bad[by * columns + bx];
    for (let v = -1; v <= 1; v++) {
      for (let u = -1; u <= 1; u++) {
        const chosen = bad[Math.max(0, Math.min(rows - 1, by + v)) * columns + Math.max(0, Math.min(columns - 1, bx + u))];
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
      for (let y = by * GHOST_BLOCK; y < Math.min(height, (by + 1) * GHOST_BLOCK); y++) {
        for (let xx = bx * GHOST_BLOCK; xx < Math.min(width, (bx + 1) * GHOST_BLOCK); xx++) {
          const p = y * width + xx;
          if (clipped[p]) continue;
          const k = preferred.find((f) => holds(f, 3 * p) && holds(f, 3 * p + 1) && holds(f, 3 * p + 2));
          if (k === undefined) continue;
          ghosts[p] = 1;
          for (let c = 0; c < 3; c++) data[3 * p + c] = tables[c][codes[k][3 * p + c]] / x[k];
        }
      }
    }
  }
  return ghosts;
}
