import { anglesFromDirection, DEG } from '../sphere/direction';

/** Metres from the location's origin. */
export interface SetPosition {
  eastM: number;
  northM: number;
  heightM: number;
}

export interface Sighting {
  /** True bearing, degrees [0, 360). */
  bearingDeg: number;
  /** Up positive, degrees. */
  tiltDeg: number;
  distanceM: number;
}

/** Where one has to look from a point to see another. @throws RangeError when both are the same point */
export function sighting(from: SetPosition, to: SetPosition): Sighting {
  const d = [to.eastM - from.eastM, to.heightM - from.heightM, -(to.northM - from.northM)] as const;
  const distanceM = Math.hypot(...d);
  if (distanceM < 1e-6) throw new RangeError('eye and target are the same point');
  const a = anglesFromDirection(d);
  return { bearingDeg: a.azimuthDeg, tiltDeg: a.elevationDeg, distanceM };
}

/** Height at which a mark must stand at a distance (on the level) so that an eye looks at it under a tilt. */
export function targetHeightM(eyeHeightM: number, levelDistanceM: number, tiltDeg: number): number {
  return eyeHeightM + levelDistanceM * Math.tan(tiltDeg * DEG);
}
