import { anglesFromDirection, DEG, wrap180, type Vec3 } from '../sphere/direction';

/** Where a panorama's station lies from a camera's entrance pupil, along the camera's level heading and across it: metres. */
export interface StationOffset {
  aheadM: number;
  rightM: number;
  upM: number;
}

/** An offset that was paced, taped or guessed beside the camera, and how well: 95 % radius. */
export interface PacedOffset extends StationOffset {
  stationId: string;
  withinM: number;
}

/** Where a camera stood, as far as it was logged. */
interface StoodAt {
  eastM: number | null;
  northM: number | null;
  heightM: number | null;
  stationOffset: PacedOffset | null;
}

interface PlacedStation {
  id: string;
  eastM: number;
  northM: number;
  heightM: number;
}

/** How far a camera stood from a station, metres: as it was paced, else by their places on the plan (a height that nobody logged left out); null where neither tells. */
export function apartM(take: StoodAt, station: PlacedStation): { metres: number; from: 'paced' | 'plan' } | null {
  const paced = pacedTo(take, station);
  if (paced) return { metres: Math.hypot(paced.aheadM, paced.rightM, paced.upM), from: 'paced' };
  if (take.eastM === null || take.northM === null) return null;
  const up = take.heightM === null ? 0 : take.heightM - station.heightM;
  return { metres: Math.hypot(take.eastM - station.eastM, take.northM - station.northM, up), from: 'plan' };
}

/** The offset that was paced between a camera and this station; null of another station, or when nobody did. */
export const pacedTo = (take: Pick<StoodAt, 'stationOffset'>, station: { id: string }): PacedOffset | null =>
  take.stationOffset?.stationId === station.id ? take.stationOffset : null;

/**
 * Where a station lies from a camera: as it was paced, else by the plan, which wants the camera's place, height and true heading; null without.
 * @param headingDeg true bearing of the camera, null when nobody knows it
 */
export function stationFromCamera(
  take: StoodAt,
  station: PlacedStation,
  headingDeg: number | null,
): StationOffset | null {
  const paced = pacedTo(take, station);
  if (paced) return { aheadM: paced.aheadM, rightM: paced.rightM, upM: paced.upM };
  if (take.eastM === null || take.northM === null || take.heightM === null || headingDeg === null) return null;
  const [east, north] = [station.eastM - take.eastM, station.northM - take.northM];
  const [sin, cos] = [Math.sin(headingDeg * DEG), Math.cos(headingDeg * DEG)];
  return {
    aheadM: east * sin + north * cos,
    rightM: east * cos - north * sin,
    upM: station.heightM - take.heightM,
  };
}

/** The offset in the world's axes (x east, y up, z south) of a camera with this heading. */
export function offsetInWorld({ aheadM, rightM, upM }: StationOffset, headingDeg: number): Vec3 {
  const [sin, cos] = [Math.sin(headingDeg * DEG), Math.cos(headingDeg * DEG)];
  return [aheadM * sin + rightM * cos, upM, rightM * sin - aheadM * cos];
}

/**
 * How far to the right and up a thing stands when it is seen from the station instead of from the camera, degrees.
 * @param ray unit direction of the thing from the camera in its level heading frame (x right, y up, z back)
 * @param distanceM of the thing from the camera, > 0
 */
export function shiftSeen(offset: StationOffset, ray: Vec3, distanceM: number): { rightDeg: number; upDeg: number } {
  const own = anglesFromDirection(ray);
  const seen = anglesFromDirection([
    ray[0] * distanceM - offset.rightM,
    ray[1] * distanceM - offset.upM,
    ray[2] * distanceM + offset.aheadM,
  ]);
  return { rightDeg: wrap180(seen.azimuthDeg - own.azimuthDeg), upDeg: seen.elevationDeg - own.elevationDeg };
}

/** The most that a thing at a distance can shift between two places, degrees: across the way between them. */
export const mostShiftDeg = (metres: number, distanceM: number): number => Math.atan2(metres, distanceM) / DEG;
