import type { RgbImage } from '../../image/image';
import { luminance } from '../../colour/primaries';

/** A picture of one value a pixel, row by row; NaN where nothing is known. */
export interface Plane {
  width: number;
  height: number;
  data: Float32Array;
}

/** Contrast below this is noise, stops. */
const FLOOR_STOPS = 0.12;
/** Darker than this share of the median is black. */
const BLACK_SHARE = 1e-4;

/** Luminance in stops; NaN where there is no light at all. */
export function stopsOf(image: RgbImage): Plane {
  const { width, height, data, space } = image;
  const y = Float32Array.from({ length: width * height }, (_, i) => luminance(data[3 * i], data[3 * i + 1], data[3 * i + 2], space)); // prettier-ignore
  const lit = y.filter((v) => v > 0).sort();
  const black = BLACK_SHARE * (lit[lit.length >> 1] ?? 0);
  return { width, height, data: y.map((v) => (v > 0 ? Math.log2(Math.max(v, black)) : NaN)) };
}

/** Sums over squares of 2 r + 1 pixels, cut at the border, or going on around. */
function boxSums(
  { width, height }: Plane,
  data: Float32Array | Float64Array,
  r: number,
  around: boolean,
): Float64Array {
  const rows = new Float64Array(width * height);
  for (let y = 0; y < height; y++) {
    const o = y * width;
    let sum = 0;
    const at = (x: number) => (around ? data[o + ((x + width) % width)] : x >= 0 && x < width ? data[o + x] : 0);
    for (let x = -r; x <= r; x++) sum += at(x);
    for (let x = 0; x < width; x++) {
      rows[o + x] = sum;
      sum += at(x + r + 1) - at(x - r);
    }
  }
  const out = new Float64Array(width * height);
  for (let x = 0; x < width; x++) {
    let sum = 0;
    for (let y = 0; y <= Math.min(r, height - 1); y++) sum += rows[y * width + x];
    for (let y = 0; y < height; y++) {
      out[y * width + x] = sum;
      if (y + r + 1 < height) sum += rows[(y + r + 1) * width + x];
      if (y - r >= 0) sum -= rows[(y - r) * width + x];
    }
  }
  return out;
}

/**
 * How far each pixel stands out from its surroundings, in their own spread: the same whatever exposure and, nearly, whatever curve the picture was
 * taken with. Even places are near 0; what is not known is NaN.
 * @param radiusPx of the square around each pixel
 * @param around the left edge goes on at the right one, as in a panorama
 */
export function localContrast(stops: Plane, radiusPx: number, around = false): Plane {
  const { width, height } = stops;
  const known = Float32Array.from(stops.data, (v) => (Number.isNaN(v) ? 0 : 1));
  const value = stops.data.map((v) => (Number.isNaN(v) ? 0 : v));
  const [n, sum, squares] = [known, value, value.map((v) => v * v)].map((d) => boxSums(stops, d, radiusPx, around));
  return {
    width,
    height,
    data: stops.data.map((v, i) => {
      if (Number.isNaN(v) || !(n[i] > 1)) return NaN;
      const mean = sum[i] / n[i];
      return (v - mean) / (Math.sqrt(Math.max(0, squares[i] / n[i] - mean * mean)) + FLOOR_STOPS);
    }),
  };
}
