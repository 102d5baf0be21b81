import { DEG } from '../sphere/direction';

/** Full angle in degrees across `sizeMm` of sensor: `2 atan(squeeze w / (2 f))`. CONVENTIONS.md section 5. */
export function fieldOfViewDeg(sizeMm: number, focalMm: number, squeeze = 1): number {
  if (!(sizeMm > 0) || !(focalMm > 0) || !(squeeze > 0))
    throw new RangeError('sensor size, focal length and squeeze must be positive');
  return (2 * Math.atan((squeeze * sizeMm) / (2 * focalMm))) / DEG;
}
