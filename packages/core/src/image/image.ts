import type { WorkingSpace } from '../colour/primaries';

/** relative: the picture's own scale; plate: the plate's; cdm2: cd/m2. */
export type PixelUnit = 'relative' | 'plate' | 'cdm2';

/** What the numbers of a picture are. */
export interface Pixels {
  readonly space: WorkingSpace;
  readonly unit: PixelUnit;
}

/** What frames give before anything is calibrated. */
export const RELATIVE_REC709: Pixels = { space: 'rec709', unit: 'relative' };

/**
 * A scene-linear RGB picture: interleaved float32, `data[3 * (y * width + x) + channel]`,
 * row 0 on top, no padding. Values are radiance in its space and unit.
 */
export interface RgbImage extends Pixels {
  readonly width: number;
  readonly height: number;
  readonly data: Float32Array;
}

/** Allocates a black picture. @throws RangeError when a side is not a positive integer. */
export function createImage(width: number, height: number, { space, unit }: Pixels): RgbImage {
  if (!Number.isInteger(width) || !Number.isInteger(height) || width < 1 || height < 1) {
    throw new RangeError(`picture size ${width} x ${height} is not a positive whole number of pixels`);
  }
  return { width, height, data: new Float32Array(width * height * 3), space, unit };
}

/**
 * Shrinks by a whole factor with a plain box average (right for pictures whose pixels subtend
 * about equal areas; use `resampleLatlong` for panoramas). Trailing rows and columns that do not fill a box are dropped.
 */
export function boxShrink(image: RgbImage, factor: number): RgbImage {
  if (factor === 1) return image;
  const out = createImage(Math.floor(image.width / factor), Math.floor(image.height / factor), image);
  const inverse = 1 / (factor * factor);
  for (let y = 0; y < out.height; y++) {
    for (let x = 0; x < out.width; x++) {
      let r = 0;
      let g = 0;
      let b = 0;
      for (let j = 0; j < factor; j++) {
        let i = 3 * ((y * factor + j) * image.width + x * factor);
        for (let k = 0; k < factor; k++, i += 3) {
          r += image.data[i];
          g += image.data[i + 1];
          b += image.data[i + 2];
        }
      }
      const o = 3 * (y * out.width + x);
      out.data[o] = r * inverse;
      out.data[o + 1] = g * inverse;
      out.data[o + 2] = b * inverse;
    }
  }
  return out;
}
