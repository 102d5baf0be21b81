import type { RgbImage } from '../image/image';
import { encodeUncertainty } from './uncertainty';

/** A sample stands out when it is this many times its neighbours' second largest. */
const STANDS_OUT = 1.5;
/** Where the light is known no better than this, noise alone stands out. */
const KNOWN = encodeUncertainty(0.1);

/**
 * Samples (pixel and channel) that stand out from all their eight neighbours: stars, glints and leaking photosites. Which of them are the sensor's own tells only the
 * comparison of several views, see `commonSamples`.
 * @param uncertainty of every pixel, see `encodeUncertainty`: where it is large nothing is asked
 * @returns sample indices `3 * pixel + channel`, ascending
 */
export function standingOut(image: RgbImage, uncertainty?: Uint8Array): Uint32Array {
  const { width, height, data } = image;
  const row = 3 * width;
  const found: number[] = [];
  for (let y = 1; y < height - 1; y++) {
    for (let i = y * row + 3; i < (y + 1) * row - 3; i++) {
      const v = data[i];
      if (uncertainty && uncertainty[(i / 3) | 0] > KNOWN) continue;
      if (!(
        v > STANDS_OUT * data[i - 3] &&
        v > STANDS_OUT * data[i + 3] &&
        v > STANDS_OUT * data[i - row] &&
        v > STANDS_OUT * data[i + row]
      ))
        continue;
      if (v > STANDS_OUT * Math.max(data[i - row - 3], data[i - row + 3], data[i + row - 3], data[i + row + 3]))
        found.push(i);
    }
  }
  return Uint32Array.from(found);
}

/** Samples that stand out in most views of a round: light moves over the sensor when the head turns, leaking photosites do not. Fewer than three views tell nothing. */
export function commonSamples(lists: readonly Uint32Array[]): Uint32Array {
  if (lists.length < 3) return new Uint32Array(0);
  const count = new Map<number, number>();
  for (const list of lists) for (const i of list) count.set(i, (count.get(i) ?? 0) + 1);
  const least = Math.max(2, Math.ceil(lists.length * 0.6));
  return Uint32Array.from([...count].filter(([, n]) => n >= least).map(([i]) => i)).sort();
}

/** Replaces samples by the median of their neighbours of the same channel, in place. */
export function repairSamples(image: RgbImage, samples: Uint32Array): void {
  const row = 3 * image.width;
  for (const i of samples) {
    const around = [i - row - 3, i - row, i - row + 3, i - 3, i + 3, i + row - 3, i + row, i + row + 3]
      .map((k) => image.data[k])
      .sort((a, b) => a - b);
    image.data[i] = (around[3] + around[4]) / 2;
  }
}
