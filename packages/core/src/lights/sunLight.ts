import type { RgbImage } from '../image/image';
import { DEG, directionFromAngles, dot, type Vec3 } from '../sphere/direction';
import { anglesAtPixel, pixelsWithin, rowSolidAngle } from '../sphere/latlong';
import type { DetectedSun } from '../sun/detect';

export interface SeparatedSun {
  /** The panorama without the sun: its place filled from the sky around it. */
  residual: RgbImage;
  /** Towards the sun, panorama frame. */
  direction: Vec3;
  /** What was taken out, as illuminance on a facing plane per channel: panorama unit x sr. */
  illuminance: [number, number, number];
}

/**
 * Takes the sun out of a panorama: each pixel within reach of the disc is replaced by the mean of the ring around it, and
 * what was removed is summed, weighted by the cosine to the sun's direction, so that light plus residual illuminate a
 * facing plane exactly as the original did.
 */
export function separateSun(panorama: RgbImage, sun: DetectedSun): SeparatedSun {
  const { width, height } = panorama;
  const pixel = 360 / width;
  const inner = (sun.diameterDeg / 2 + 2.5 * pixel) * DEG;
  const outer = inner + Math.max(0.5, 2.5 * pixel) * DEG;
  const residual: RgbImage = { ...panorama, data: panorama.data.slice() };
  const cosInner = Math.cos(inner);
  const inside: { i: number; cos: number; omega: number }[] = [];
  const ring = [0, 0, 0];
  let ringOmega = 0;
  for (const i of pixelsWithin(sun.direction, outer, width, height)) {
    const row = (i / width) | 0;
    const a = anglesAtPixel(i - row * width, row, width, height);
    const cos = dot(directionFromAngles(a.azimuthDeg, a.elevationDeg), sun.direction);
    const omega = rowSolidAngle(row, width, height);
    if (cos >= cosInner) inside.push({ i, cos, omega });
    else {
      for (let c = 0; c < 3; c++) ring[c] += panorama.data[3 * i + c] * omega;
      ringOmega += omega;
    }
  }
  const illuminance: [number, number, number] = [0, 0, 0];
  for (const { i, cos, omega } of inside) {
    for (let c = 0; c < 3; c++) {
      const before = panorama.data[3 * i + c];
      const after = Math.min(before, ring[c] / ringOmega);
      residual.data[3 * i + c] = after;
      illuminance[c] += (before - after) * cos * omega;
    }
  }
  return { residual, direction: sun.direction, illuminance };
}
