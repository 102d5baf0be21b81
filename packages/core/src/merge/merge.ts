import { createImage, RELATIVE_REC709, type RgbImage } from '../image/image';
import { takeOutMoved, USUAL_MOVED_STOPS } from './moved';
import { decodingTable, type Curve } from '../colour/curves';
import { quantisationVariance } from './linearise';
import { mergeNarrow } from './mergeNarrow';
import { mergeWide } from './mergeWide';
import type { Stack } from './stack';

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
  /** Replace things that moved between the frames by the frame that shows them best: true, or by how many stops frames must differ; off by default. */
  moved?: boolean | number;
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
  readonly moved: Uint8Array | null;
}

/** The linear level from which a sample counts as clipped when nobody says otherwise: a JPEG's last codes hold nothing, a wide sensor bends at its end. */
export const usualSaturation = (tables: readonly Float32Array[], wide: boolean): number =>
  wide ? 0.95 : Math.min(...tables.map((t) => t[250]));

/** The first code of a table that counts as clipped. */
export function clipCodeOf(table: Float32Array, saturation: number): number {
  const code = table.findIndex((v) => v >= saturation);
  return code < 0 ? table.length - 1 : code;
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
    if (!(f.exposure > 0) || !Number.isFinite(f.exposure))
      throw new RangeError(`exposure ${f.exposure} is not positive`);
  }
  const noise = options.noise ?? DEFAULT_NOISE;
  const sorted = [...frames].sort((a, b) => b.exposure - a.exposure);
  const wide = sorted.some((f) => f.codes instanceof Uint16Array);
  if (wide && sorted.some((f) => f.codes instanceof Uint8Array)) {
    throw new RangeError('a bracket must not mix 8-bit and 16-bit frames');
  }
  const stated = decodingTable(curve, wide ? 65535 : 255);
  const tables = options.tables ?? [stated, stated, stated];
  const saturation = options.saturation ?? usualSaturation(tables, wide);
  const x = Float64Array.from(sorted, (f) => f.exposure);
  const stack: Stack = {
    codes: sorted.map((f) => f.codes),
    x,
    tables,
    rounding: tables.map(quantisationVariance),
    clipCodes: tables.map((t) => clipCodeOf(t, saturation)),
    inverseWell: 1 / noise.fullWellE,
    readVariance: (noise.readNoiseE / noise.fullWellE) ** 2,
  };
  const image = options.into
    ? { ...RELATIVE_REC709, width, height, data: options.into.pixels }
    : createImage(width, height, RELATIVE_REC709);
  const clipped = options.into?.clipped ?? new Uint8Array(width * height);
  const uncertainty = options.into?.uncertainty ?? null;
  const starved = wide
    ? mergeWide(stack, image.data, clipped, uncertainty)
    : mergeNarrow(stack, image.data, clipped, uncertainty);
  const moved =
    options.moved && sorted.length > 2
      ? takeOutMoved(stack, image, clipped, options.moved === true ? USUAL_MOVED_STOPS : options.moved)
      : null;
  return {
    image,
    clipped,
    clipLevel: saturation / x[x.length - 1],
    starvedFraction: starved / (width * height),
    moved,
  };
}
