import { quaternionFromAttitude, toMatrix, type Attitude } from '@tawny/core';
import type { RayMap } from '@tawny/simset';

/** A rectilinear view on the set. */
export interface PlateView {
  width: number;
  height: number;
  gateWidthMm: number;
  focalLengthMm: number;
  attitude: Attitude;
}

/** World rays through continuous pixel coordinates of the plate. */
export function plateRays(view: PlateView): RayMap {
  const m = toMatrix(quaternionFromAttitude(view.attitude));
  const k = view.gateWidthMm / view.width / view.focalLengthMm;
  return (x, y, out) => {
    const cx = (x - view.width / 2) * k;
    const cy = (view.height / 2 - y) * k;
    const n = 1 / Math.sqrt(cx * cx + cy * cy + 1);
    for (let r = 0; r < 3; r++) out[r] = (m[3 * r] * cx + m[3 * r + 1] * cy - m[3 * r + 2]) * n;
  };
}
