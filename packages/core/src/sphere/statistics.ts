import type { RgbImage } from '../image/image';
import { luminance } from '../colour/primaries';
import { assertLatlong, rowSolidAngle } from './latlong';

export interface PanoramaStatistics {
  /** Stops between the 0.1th percentile of lit pixels by solid angle and the maximum. */
  dynamicRangeStops: number;
  meanLuminance: number;
  maxLuminance: number;
  /** Solid angle of flat tops at a channel's maximum: light that the file does not hold. */
  plateauSr: number;
  /** Steradians per third-of-a-stop bin of log2 luminance; `firstStop` is the lower edge of bin 0. */
  histogram: { firstStop: number; binsPerStop: number; sr: number[] };
}

const BINS_PER_STOP = 3;
const LOWEST = -40;
const BINS = 100 * BINS_PER_STOP;

/** One pass over a panorama: range, mean, flat tops, histogram; all weighted by solid angle. */
export function panoramaStatistics(panorama: RgbImage): PanoramaStatistics {
  assertLatlong(panorama);
  const { width, height, data, space } = panorama;
  const bins = new Float64Array(BINS);
  const top = [0, 0, 0];
  for (let i = 0; i < data.length; i++) if (data[i] > top[i % 3]) top[i % 3] = data[i];
  let max = 0;
  let sum = 0;
  let plateau = 0;
  let plateauPixels = 0;
  for (let y = 0; y < height; y++) {
    const omega = rowSolidAngle(y, width, height);
    for (let x = 0; x < width; x++) {
      const i = 3 * (y * width + x);
      const l = luminance(data[i], data[i + 1], data[i + 2], space);
      sum += l * omega;
      if (l > max) max = l;
      if (l > 0) bins[Math.max(0, Math.min(BINS - 1, Math.floor((Math.log2(l) - LOWEST) * BINS_PER_STOP)))] += omega;
      if (top.some((t, c) => t > 0 && data[i + c] >= 0.999 * t)) {
        plateau += omega;
        plateauPixels++;
      }
    }
  }
  const lit = bins.reduce((s, b) => s + b, 0);
  let first = 0;
  for (let seen = 0; first < BINS && seen + bins[first] < 0.001 * lit; first++) seen += bins[first];
  const used = { from: bins.findIndex((b) => b > 0), to: BINS - 1 };
  while (used.to > 0 && bins[used.to] === 0) used.to--;
  const mean = sum / (4 * Math.PI);
  const least = Math.max(8, Math.round(width * height * 4e-6));
  return {
    dynamicRangeStops: max > 0 ? Math.log2(max) - (LOWEST + first / BINS_PER_STOP) : 0,
    meanLuminance: mean,
    maxLuminance: max,
    plateauSr: plateauPixels >= least && max < 20000 * mean ? plateau : 0,
    histogram: {
      firstStop: LOWEST + Math.max(0, used.from) / BINS_PER_STOP,
      binsPerStop: BINS_PER_STOP,
      sr: used.from < 0 ? [] : Array.from(bins.slice(used.from, used.to + 1)),
    },
  };
}
