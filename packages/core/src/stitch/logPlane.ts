import { luminance } from '../colour/primaries';
import type { RgbImage } from '../image/image';

/** A view's picture reduced to the logarithm of its luminance, NaN where it must not be used. */
export interface LogPlane {
  width: number;
  height: number;
  data: Float32Array;
  /** Shrink factor against the lens's pixels. */
  factor: number;
}

/** The plane's value at a place of the lens's pixels, between its own; NaN where it has none. */
export function lookUp(plane: LogPlane, x: number, y: number): number {
  const fx = x / plane.factor - 0.5;
  const fy = y / plane.factor - 0.5;
  const xa = Math.floor(fx);
  const ya = Math.floor(fy);
  if (xa < 0 || ya < 0 || xa + 1 >= plane.width || ya + 1 >= plane.height) return NaN;
  const tx = fx - xa;
  const ty = fy - ya;
  const i = ya * plane.width + xa;
  const d = plane.data;
  return (
    (d[i] * (1 - tx) + d[i + 1] * tx) * (1 - ty) + (d[i + plane.width] * (1 - tx) + d[i + plane.width + 1] * tx) * ty
  );
}

/** The picture a whole factor smaller; NaN where a pixel is clipped or dark. */
export function logPlane(image: RgbImage, clipped: Uint8Array, factor: number): LogPlane {
  const width = Math.floor(image.width / factor);
  const height = Math.floor(image.height / factor);
  const data = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let sum = 0;
      let bad = false;
      for (let j = 0; j < factor; j++) {
        for (let i = 0; i < factor; i++) {
          const p = (y * factor + j) * image.width + x * factor + i;
          sum += luminance(image.data[3 * p], image.data[3 * p + 1], image.data[3 * p + 2], image.space);
          bad ||= clipped[p] !== 0;
        }
      }
      data[y * width + x] = bad || !(sum > 0) ? NaN : Math.log(sum / (factor * factor));
    }
  }
  return { width, height, data, factor };
}

/** Shrinks by a whole factor (mean of logs, NaN spreads) and smooths 3 x 3, which makes the gradient meaningful between pixels. */
export function smoothAndShrink(plane: LogPlane, factor: number): LogPlane {
  const width = Math.floor(plane.width / factor);
  const height = Math.floor(plane.height / factor);
  const small = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let j = 0; j < factor; j++) {
        for (let i = 0; i < factor; i++) sum += plane.data[(y * factor + j) * plane.width + x * factor + i];
      }
      small[y * width + x] = sum / (factor * factor);
    }
  }
  const data = new Float32Array(width * height).fill(NaN);
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      data[i] =
        (small[i - width - 1] +
          small[i - width + 1] +
          small[i + width - 1] +
          small[i + width + 1] +
          2 * (small[i - 1] + small[i + 1] + small[i - width] + small[i + width]) +
          4 * small[i]) /
        16;
    }
  }
  return { width, height, data, factor: plane.factor * factor };
}
