import type { RgbImage } from '../image/image';
import { median } from '../estimate/robust';
import { assertLatlong } from './latlong';

/** Values that no light makes, as a panorama from elsewhere may hold them. */
export interface OddPixels {
  /** Pixels with a channel below zero beyond rounding, and the deepest of them over the mean: sharpening that rings, or a wider gamut. */
  negative: number;
  deepest: number;
  /** Pixels with a channel that is infinite: brighter than the file can say. */
  infinite: number;
  /** Pixels with a channel that is no number. */
  noNumber: number;
  /** Pixels of which one channel alone stands far above all its neighbours. */
  singleChannel: number;
}

/** Below this share of the mean a negative value is rounding. */
const ROUNDING = 1e-4;
/** One channel alone: so many times the other two, all neighbours in that channel, and the mean. */
const ALONE = 30;
const ALONE_OF_MEAN = 50;

/**
 * Bounds what no light makes: negative values become 0, infinite ones and no numbers the brightest and the median of their neighbours, a
 * channel that stands alone the median of its neighbours. Frame and unit stay. The picture itself is returned when nothing is odd; it is never changed.
 * @throws RangeError unless width = 2 x height
 */
export function boundOddPixels(panorama: RgbImage): { image: RgbImage; odd: OddPixels | null } {
  assertLatlong(panorama);
  const { width, height, data } = panorama;
  const mean = meanOf(data);
  const odd: OddPixels = { negative: 0, deepest: 0, infinite: 0, noNumber: 0, singleChannel: 0 };
  let out: Float32Array | null = null;
  const set = (i: number, v: number) => ((out ??= data.slice())[i] = v);
  for (let p = 0; p < width * height; p++) {
    const i = 3 * p;
    let [negative, infinite, noNumber, alone] = [false, false, false, false];
    for (let c = 0; c < 3; c++) {
      const v = data[i + c];
      if (!Number.isFinite(v)) {
        if (v === Infinity) infinite = true;
        else noNumber = true;
        const near = neighbours(panorama, p, c);
        set(i + c, v === Infinity ? Math.max(0, ...near) : near.length > 0 ? Math.max(0, median(near)) : 0);
      } else if (v < 0) {
        negative ||= v < -ROUNDING * mean;
        odd.deepest = Math.min(odd.deepest, mean > 0 ? v / mean : 0);
        set(i + c, 0);
      } else if (
        v > ALONE_OF_MEAN * mean &&
        v > ALONE * data[i + ((c + 1) % 3)] &&
        v > ALONE * data[i + ((c + 2) % 3)]
      ) {
        const near = neighbours(panorama, p, c);
        if (near.some((n) => v < ALONE * n)) continue;
        alone = true;
        set(i + c, Math.max(0, near.length > 0 ? median(near) : 0));
      }
    }
    odd.negative += Number(negative);
    odd.infinite += Number(infinite);
    odd.noNumber += Number(noNumber);
    odd.singleChannel += Number(alone);
  }
  const any = odd.negative + odd.infinite + odd.noNumber + odd.singleChannel > 0;
  return { image: out ? { ...panorama, data: out } : panorama, odd: any ? odd : null };
}

/** Mean of the finite, lit values: what outliers are far from, without being moved by the largest thousandth. */
function meanOf(data: Float32Array): number {
  const step = Math.max(1, Math.floor(data.length / 30000));
  const lit: number[] = [];
  for (let i = 0; i < data.length; i += step) if (data[i] > 0 && Number.isFinite(data[i])) lit.push(data[i]);
  lit.sort((a, b) => a - b);
  const most = lit.slice(0, Math.ceil(0.999 * lit.length));
  return most.length === 0 ? 0 : most.reduce((s, v) => s + v, 0) / most.length;
}

/** Finite values of a channel around a pixel. */
function neighbours({ width, height, data }: RgbImage, p: number, c: number): number[] {
  const [x, y] = [p % width, Math.floor(p / width)];
  const out: number[] = [];
  for (let v = Math.max(0, y - 1); v <= Math.min(height - 1, y + 1); v++)
    for (let u = -1; u <= 1; u++) {
      if (u === 0 && v === y) continue;
      const value = data[3 * (v * width + ((x + u + width) % width)) + c];
      if (Number.isFinite(value)) out.push(value);
    }
  return out;
}
