import { createImage, type RgbImage } from '../image/image';
import { decodingTable, quantisationVariance, type Curve } from './linearise';

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
}

/** Frames this many times darker than the best one add under 2 % to the weight and are left out. */
const DARKEST_USED = 40;

/**
 * Merges one bracket to scene-linear radiance with inverse-variance weights.
 *
 * For each channel the longest unclipped frame gives a first estimate L; every frame k of X_k then has the
 * variance `(L X_k / fullWell + (read / fullWell)^2 + q_k) / X_k^2`, q the rounding of its code, and the result is
 * the weighted mean. Weights come from the estimate, not from each sample, so dark samples are not favoured.
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
  const count = sorted.length;
  const wide = sorted.some((f) => f.codes instanceof Uint16Array);
  const maxCode = wide ? 65535 : 255;
  if (wide && sorted.some((f) => f.codes instanceof Uint8Array)) {
    throw new RangeError('a bracket must not mix 8-bit and 16-bit frames');
  }
  const table = decodingTable(curve, maxCode);
  const rounding = quantisationVariance(table);
  const saturation = options.saturation ?? (wide ? 0.95 : table[250]);
  let clipCode = table.findIndex((v) => v >= saturation);
  if (clipCode < 0) clipCode = maxCode;
  const codes = sorted.map((f) => f.codes);
  const x = Float64Array.from(sorted, (f) => f.exposure);
  const inverseX = x.map((v) => 1 / v);
  const inverseWell = 1 / noise.fullWellE;
  const readVariance = (noise.readNoiseE * inverseWell) ** 2;

  const image = createImage(width, height);
  const out = image.data;
  const clipped = new Uint8Array(width * height);
  let starved = 0;
  const longest = codes[0];
  const ends = x.map((best) => {
    const darker = x.findIndex((v) => v < best / DARKEST_USED);
    return darker < 0 ? count : darker;
  });
  for (let i = 0; i < samples; i++) {
    let k = 0;
    while (k < count && codes[k][i] >= clipCode) k++;
    if (k === count) {
      out[i] = table[codes[count - 1][i]] * inverseX[count - 1];
      clipped[(i / 3) | 0] = 1;
      continue;
    }
    const first = table[codes[k][i]] * inverseX[k];
    const end = ends[k];
    const shot = first * inverseWell;
    let sum = 0;
    let weights = 0;
    for (let j = k; j < end; j++) {
      const code = codes[j][i];
      const w = (x[j] * x[j]) / (shot * x[j] + readVariance + rounding[code]);
      weights += w;
      sum += w * table[code] * inverseX[j];
    }
    out[i] = sum / weights;
    if (k === 0 && i % 3 === 1) {
      const signal = table[longest[i]];
      if (signal * signal < 9 * (signal * inverseWell + readVariance + rounding[longest[i]])) starved++;
    }
  }
  return { image, clipped, clipLevel: saturation * inverseX[count - 1], starvedFraction: starved / (width * height) };
}
