import { createImage, type RgbImage } from '../image/image';
import { rotate, type Quaternion } from '../orient/quaternion';
import { anglesFromDirection, DEG } from '../sphere/direction';
import { assertLatlong, pixelAtAngles } from '../sphere/latlong';
import { unprojectFromPlate, type PlateOptics } from './plateCamera';

/** Samples each way in a pixel of the view, at most. */
const MOST_SAMPLES = 6;

/**
 * A panorama as a camera sees it: radiance along the rays of its pixels, averaged over each pixel where the panorama is finer than the view.
 * @param attitude camera to the panorama's frame
 * @returns scene-linear picture of the view's size; black where the lens sends no ray
 * @throws RangeError unless the panorama's width = 2 x height
 */
export function throughLens(
  panorama: RgbImage,
  attitude: Quaternion,
  camera: PlateOptics & { widthPx: number; heightPx: number },
): RgbImage {
  assertLatlong(panorama);
  const out = createImage(camera.widthPx, camera.heightPx, panorama);
  const perPixel = 1 / camera.focalYPx / ((360 / panorama.width) * DEG);
  const samples = Math.max(1, Math.min(MOST_SAMPLES, Math.ceil(perPixel)));
  const value = [0, 0, 0];
  for (let y = 0; y < out.height; y++) {
    for (let x = 0; x < out.width; x++) {
      const o = 3 * (y * out.width + x);
      for (let v = 0; v < samples; v++) {
        for (let u = 0; u < samples; u++) {
          const ray = unprojectFromPlate(camera, x + (u + 0.5) / samples, y + (v + 0.5) / samples);
          if (!ray) continue;
          const a = anglesFromDirection(rotate(attitude, ray));
          sampleAt(panorama, a.azimuthDeg, a.elevationDeg, value);
          for (let c = 0; c < 3; c++) out.data[o + c] += value[c] / samples ** 2;
        }
      }
    }
  }
  return out;
}

/** Bilinear between pixel centres, across the seam. */
function sampleAt({ width, height, data }: RgbImage, azimuthDeg: number, elevationDeg: number, out: number[]): void {
  const at = pixelAtAngles(azimuthDeg, elevationDeg, width, height);
  const y = Math.max(0, Math.min(height - 1, at.y));
  const [x0, y0] = [Math.floor(at.x), Math.min(height - 2, Math.floor(y))];
  const [tx, ty] = [at.x - x0, y - y0];
  const left = 3 * ((x0 + width) % width);
  const right = 3 * ((x0 + 1 + width) % width);
  const row = 3 * y0 * width;
  for (let c = 0; c < 3; c++) {
    const upper = data[row + left + c] * (1 - tx) + data[row + right + c] * tx;
    const lower = data[row + 3 * width + left + c] * (1 - tx) + data[row + 3 * width + right + c] * tx;
    out[c] = upper * (1 - ty) + lower * ty;
  }
}
