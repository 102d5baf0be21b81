import { createImage, type RgbImage } from '../image/image';
import { conjugate, rotate, type Quaternion } from '../orient/quaternion';
import { anglesAtPixel, assertLatlong } from './latlong';
import { DEG, directionFromAngles } from './direction';

/**
 * Turns a panorama's content by a rotation: what stood in direction d stands at q d. Bilinear between pixel centres; fluxes keep only about as well as that.
 * For the vertical alone use `turnPanorama`, which keeps them.
 * @throws RangeError unless width = 2 x height
 */
export function rotatePanorama(panorama: RgbImage, q: Quaternion): RgbImage {
  assertLatlong(panorama);
  const { width, height, data } = panorama;
  const out = createImage(width, height, panorama);
  rotateRows(data, 3, width, q, out.data, 0, height);
  return out;
}

/**
 * Rows y0 up to y1 of a turned latitude-longitude picture of any number of channels, see `rotatePanorama`; the other rows of `out` keep what they held.
 * @param width of the picture, twice its height
 */
export function rotateRows(
  data: Float32Array,
  channels: number,
  width: number,
  q: Quaternion,
  out: Float32Array,
  y0: number,
  y1: number,
): void {
  const height = width / 2;
  const back = conjugate(q);
  const [ex, ey, ez] = [rotate(back, [1, 0, 0]), rotate(back, [0, 1, 0]), rotate(back, [0, 0, 1])];
  const columns = Array.from({ length: width }, (_, x) =>
    directionFromAngles(anglesAtPixel(x, 0, width, height).azimuthDeg, 0),
  );
  const sin = Float64Array.from(columns, (c) => c[0]);
  const minusCos = Float64Array.from(columns, (c) => c[2]);
  const below = channels * width;
  for (let y = y0; y < y1; y++) {
    const up = Math.sin(anglesAtPixel(0, y, width, height).elevationDeg * DEG);
    const level = Math.sqrt(1 - up * up);
    for (let x = 0; x < width; x++) {
      const dx = sin[x] * level;
      const dz = minusCos[x] * level;
      const fx =
        (azimuthOf(ex[0] * dx + ey[0] * up + ez[0] * dz, ex[2] * dx + ey[2] * up + ez[2] * dz) / TURN) * width - 0.5;
      const elevation = Math.asin(Math.max(-1, Math.min(1, ex[1] * dx + ey[1] * up + ez[1] * dz)));
      const fy = Math.max(0, Math.min(height - 1.001, (0.5 - elevation / Math.PI) * height - 0.5));
      const xa = Math.floor(fx);
      const ya = Math.floor(fy);
      const tx = fx - xa;
      const ty = fy - ya;
      const left = ya * below + channels * ((xa + width) % width);
      const right = ya * below + channels * ((xa + 1 + width) % width);
      const o = channels * (y * width + x);
      for (let c = 0; c < channels; c++) {
        const upper = data[left + c] * (1 - tx) + data[right + c] * tx;
        const lower = data[left + below + c] * (1 - tx) + data[right + below + c] * tx;
        out[o + c] = upper * (1 - ty) + lower * ty;
      }
    }
  }
}

const TURN = 2 * Math.PI;

/** Azimuth in radians, 0 to 2 pi, of a direction's level part (CONVENTIONS.md section 1: north is -Z, east +X). */
function azimuthOf(x: number, z: number): number {
  const a = Math.atan2(x, -z);
  return a < 0 ? a + TURN : a;
}
