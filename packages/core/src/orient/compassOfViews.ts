import { anglesFromDirection, DEG, wrap180 } from '../sphere/direction';
import { rotate, type Quaternion } from './quaternion';

/** Steeper than this a bearing says little, degrees. */
const STEEPEST_DEG = 60;
/** A compass inside a camera or a phone is off by this with what is near it, degrees (95 %), however alike its readings are. */
const INSIDE_DEG = 10;

/** What the compass of a camera says of a panorama's turn: degrees to add to its azimuths for that compass's own north. */
export interface CompassOfViews {
  turnDeg: number;
  /** 95 % half width, declination apart. */
  uncertaintyDeg: number;
  /** Standard deviation of the single views, degrees. */
  spreadDeg: number;
  views: number;
}

/**
 * Joins bearings that the camera's own compass wrote into the frames of several views. They share what is wrong with the compass: more of them
 * tell no better than a single good one.
 * @param views camera-to-panorama rotation of each, and its bearing in degrees
 * @returns null when no view has a bearing along which it can be read
 */
export function compassOfViews(views: readonly { attitude: Quaternion; bearingDeg: number }[]): CompassOfViews | null {
  const turns = views.flatMap(({ attitude, bearingDeg }) => {
    const axis = anglesFromDirection(rotate(attitude, [0, 0, -1]));
    return Math.abs(axis.elevationDeg) > STEEPEST_DEG ? [] : [bearingDeg - axis.azimuthDeg];
  });
  if (turns.length === 0) return null;
  const [x, y] = [Math.cos, Math.sin].map((f) => turns.reduce((sum, t) => sum + f(t * DEG), 0));
  const turnDeg = wrap180(Math.atan2(y, x) / DEG);
  const spreadDeg = Math.sqrt(
    turns.reduce((sum, t) => sum + wrap180(t - turnDeg) ** 2, 0) / Math.max(1, turns.length - 1),
  );
  return {
    turnDeg,
    uncertaintyDeg: Math.min(180, Math.hypot(INSIDE_DEG, (2 * spreadDeg) / Math.sqrt(turns.length))),
    spreadDeg,
    views: turns.length,
  };
}
