import type { WorkingSpace } from '@tawny/core';
import { luminance } from '@tawny/core/colour/primaries';
import { median } from '@tawny/core/estimate/robust';

/** A float picture as the server sends it: RGB halves with a scale. */
export interface FloatPicture {
  width: number;
  height: number;
  /** value = half / scale. */
  scale: number;
  halves: Uint16Array;
}

const MAGIC = 0x464e5754;

/** @throws RangeError when the bytes are not one */
export function parseFloatPicture(bytes: ArrayBuffer): FloatPicture {
  const view = new DataView(bytes);
  if (bytes.byteLength < 16 || view.getUint32(0, true) !== MAGIC)
    throw new RangeError('the panorama picture cannot be read; reload the page');
  const width = view.getUint32(4, true);
  const height = view.getUint32(8, true);
  const halves = new Uint16Array(bytes, 16);
  if (halves.length !== width * height * 3)
    throw new RangeError('the panorama picture arrived incomplete; reload the page');
  return { width, height, scale: view.getFloat32(12, true), halves };
}

/** Number of IEEE 754 half bits. */
export function halfToNumber(bits: number): number {
  const exponent = (bits >> 10) & 31;
  const fraction = bits & 1023;
  const sign = bits & 0x8000 ? -1 : 1;
  if (exponent === 0) return sign * 2 ** -14 * (fraction / 1024);
  if (exponent === 31) return fraction ? NaN : sign * Infinity;
  return sign * 2 ** (exponent - 15) * (1 + fraction / 1024);
}

/** Linear RGB at a pixel, in the panorama's unit. */
export function valueAt(picture: FloatPicture, x: number, y: number): [number, number, number] {
  const i = 3 * (y * picture.width + x);
  return [0, 1, 2].map((c) => halfToNumber(picture.halves[i + c]) / picture.scale) as [number, number, number];
}

/** Median luminance of a sparse grid: what exposure 0 puts at mid grey. */
export function typicalLuminance(picture: FloatPicture, space: WorkingSpace): number {
  const values: number[] = [];
  for (let y = 4; y < picture.height; y += 16) {
    for (let x = 4; x < picture.width; x += 16) {
      values.push(luminance(...valueAt(picture, x, y), space));
    }
  }
  return median(values) || 1;
}
