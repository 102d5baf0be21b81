import { median, quantile } from '../estimate/robust';
import { autocorrelation, correlatedSpread, fieldStatistics, type FieldStatistics } from './grainFields';
import { edgeBlurPx } from './edgeBlur';
import type { RgbImage } from '../image/image';

/** A region of a picture, pixels. */
export interface Region {
  x: number;
  y: number;
  width: number;
  height: number;
}

export interface PlateCharacter {
  /** Darkest level of each channel: what a black hole would read. */
  black: [number, number, number];
  grain: {
    /** Level (mean of the channels) and the standard deviation of one channel there, from dark to bright. */
    sigmaAt: [number, number][];
    /** Full width of the grain's autocorrelation at half its height, pixels: 1 where neighbours know nothing of each other. */
    sizePx: number;
    /** Mean correlation of the grain between two channels. */
    channelCorrelation: number;
  };
  /** Sigma of the Gaussian that makes the plate's sharpest edges of steps; null when it shows none. */
  edgeBlurPx: number | null;
}

/** Side of the fields in which grain is told from what is pictured, pixels. */
const FIELD = 16;
/** Of the fields of one level, the share that is surely even, and how much more than that share's spread is grain still. */
const EVEN_SHARE = 0.1;
const EVEN_FACTOR = 1.22;
/** Correlation of pixels five and six apart, beyond which a field shows more than grain: an edge, a texture, a shade. */
const FAR_CORRELATION = 0.1;
/** Less than this, relative, is rounding of single floats. */
const NO_GRAIN = 1e-6;
/** Levels by half stops; fewer fields than that tell nothing. */
const BINS_PER_STOP = 2;
const LEAST_FIELDS = 6;
/** Fields of a level over those of the middle one, at least. */
const SEEN_SHARE = 0.3;
/** How far one level's grain may lie above its neighbours', as a logarithm. */
const STEP = 0.06;
/** Of all means of 8 x 8 pixels, the share that lies below black. */
const BLACK_SHARE = 0.002;
const BLACK_FIELD = 8;

/**
 * Black level, grain and edge blur of a plate, in its linear light. Grain is read where the plate is even: in the regions that are stated, in the
 * fields of each level that are evenest, or in the difference of a pair of frames.
 * @param pair another frame of the same view, the same size
 * @throws RangeError when a region leaves the picture, the pair is of another size, nothing is even, or there is no grain at all
 */
export function plateCharacter(
  image: RgbImage,
  { regions = [], pair = null }: { regions?: readonly Region[]; pair?: RgbImage | null } = {},
): PlateCharacter {
  if (pair && (pair.width !== image.width || pair.height !== image.height))
    throw new RangeError(
      `the pair is ${pair.width} x ${pair.height} pixels, the plate ${image.width} x ${image.height}: frames of one recording are needed`,
    );
  for (const r of regions)
    if (!(r.x >= 0 && r.y >= 0 && r.x + r.width <= image.width && r.y + r.height <= image.height))
      throw new RangeError(`region ${r.x},${r.y},${r.width},${r.height} lies partly outside of the picture`);
  const whole = { x: 0, y: 0, width: image.width, height: image.height };
  const fields = (regions.length > 0 ? regions : [whole]).flatMap((r) => fieldsOf(image, pair, r));
  const even = evenFields(fields, regions.length > 0);
  if (fields.every((f) => f.variance <= (NO_GRAIN * f.level) ** 2))
    throw new RangeError(
      'nothing in the plate holds any grain: it was denoised, it is black or clipped all over, or no camera made it',
    );
  if (even.length === 0)
    throw new RangeError(
      'nothing in the plate is even enough to tell its grain: mark a region, or give a second frame',
    );
  const { at, lostShare } = autocorrelation(even.flatMap((e) => e.fields));
  return {
    black: blackOf(image),
    grain: {
      sigmaAt: even.map(({ level, fields: of }) => [
        level,
        Math.sqrt(mean(of.map((f) => f.variance)) / (1 - lostShare)),
      ]),
      sizePx: widthAtHalf(at),
      channelCorrelation: mean(even.flatMap((e) => e.fields.map((f) => f.correlation))),
    },
    edgeBlurPx: edgeBlurPx(image),
  };
}

const mean = (of: readonly number[]): number => of.reduce((s, v) => s + v, 0) / of.length;

function fieldsOf(image: RgbImage, pair: RgbImage | null, region: Region): FieldStatistics[] {
  const out: FieldStatistics[] = [];
  const side = Math.min(FIELD, Math.floor(region.width), Math.floor(region.height));
  if (side < 6)
    throw new RangeError(`region ${region.x},${region.y},${region.width},${region.height}: at least 6 x 6 pixels are needed`);
  for (let y = Math.ceil(region.y); y + side <= region.y + region.height; y += side)
    for (let x = Math.ceil(region.x); x + side <= region.x + region.width; x += side) {
      const found = fieldStatistics(image, pair, x, y, side);
      if (found) out.push(found);
    }
  return out;
} // prettier-ignore

/** Fields by level, those that hold more than grain left out; all are taken where a person marked them. */
function evenFields(
  fields: readonly FieldStatistics[],
  marked: boolean,
): { level: number; fields: FieldStatistics[] }[] {
  const bins = new Map<number, FieldStatistics[]>();
  const plain = (f: FieldStatistics) => f.lags.slice(-2).every((v) => Math.abs(v) < FAR_CORRELATION * f.variance);
  for (const f of fields) {
    if (!marked && !plain(f)) continue;
    const bin = Math.round(BINS_PER_STOP * Math.log2(Math.max(f.level, 1e-6)));
    bins.set(bin, [...(bins.get(bin) ?? []), f]);
  }
  const levels = [...bins.entries()]
    .sort((a, b) => a[0] - b[0])
    .flatMap(([, of]) => {
      if (!marked && of.length < LEAST_FIELDS) return [];
      const limit = marked
        ? Infinity
        : (EVEN_FACTOR * quantile(of.map((f) => f.variance), EVEN_SHARE) ** 0.5 * correlatedSpread(of)) ** 2;
      const kept = of.filter((f) => f.variance <= limit);
      return [{ level: mean(kept.map((f) => f.level)), fields: kept }];
    });
  // A level that only a few fields show lies between two things, and its fields show both.
  const usual = median(levels.map((l) => l.fields.length));
  return marked ? levels : withoutSteps(levels.filter((l) => l.fields.length >= SEEN_SHARE * usual));
} // prettier-ignore

/** Grain changes smoothly with the level: one that is far above what those beside it say holds more than grain. */
function withoutSteps<T extends { level: number; fields: FieldStatistics[] }>(levels: readonly T[]): T[] {
  const strength = ({ fields }: T) => Math.log(mean(fields.map((f) => f.variance))) / 2;
  let kept = [...levels];
  for (;;) {
    const above = kept.map((l, k) => {
      const [a, b] = [kept[k - 1], kept[k + 1]];
      if (!a || !b) return 0;
      const t = Math.log(l.level / a.level) / Math.log(b.level / a.level);
      return strength(l) - (strength(a) * (1 - t) + strength(b) * t);
    });
    const worst = above.indexOf(Math.max(...above));
    if (!(above[worst] > STEP)) return kept;
    kept = kept.filter((_, k) => k !== worst);
  }
}

/** Where the autocorrelation falls to a half, both ways: straight between whole pixels. */
function widthAtHalf(at: readonly number[]): number {
  const curve = [1, ...at];
  for (let k = 1; k < curve.length; k++)
    if (curve[k] < 0.5) return 2 * (k - 1 + (curve[k - 1] - 0.5) / (curve[k - 1] - curve[k]));
  return 2 * (curve.length - 1);
}

function blackOf(image: RgbImage): [number, number, number] {
  const means: number[][] = [[], [], []];
  for (let y = 0; y + BLACK_FIELD <= image.height; y += BLACK_FIELD)
    for (let x = 0; x + BLACK_FIELD <= image.width; x += BLACK_FIELD) {
      const sum = [0, 0, 0];
      for (let j = 0; j < BLACK_FIELD; j++)
        for (let i = 0; i < BLACK_FIELD; i++)
          for (let c = 0; c < 3; c++) sum[c] += image.data[3 * ((y + j) * image.width + x + i) + c];
      for (let c = 0; c < 3; c++) means[c].push(sum[c] / BLACK_FIELD ** 2);
    }
  return means.map((m) => quantile(m, BLACK_SHARE)) as [number, number, number];
}
