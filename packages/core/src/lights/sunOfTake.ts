import { anglesFromDirection, arcDeg, directionFromAngles, wrap180, type Vec3 } from '../sphere/direction';
import { stickShadow, sunPosition, type Place } from '../sun/ephemeris';

/** Where the sun stood at a take, and how far that is from where it stood at a round. */
export interface SunOfTake {
  azimuthDeg: number;
  /** With refraction. */
  elevationDeg: number;
  /** Of a stick of 1 m on level ground, and where it runs to; null with the sun below the horizon. */
  shadowLengthM: number | null;
  shadowAzimuthDeg: number | null;
  /** Degrees of arc from the round's sun. */
  driftDeg: number;
  /** Take minus round, as the light has to be re-aimed. */
  turnDeg: number;
  riseDeg: number;
}

/** The almanac's sun of a take against that of a round. @throws RangeError for a place that cannot be */
export function sunOfTake(place: Place, takeAt: Date, roundAt: Date): SunOfTake {
  const [now, then] = [sunPosition(place, takeAt), sunPosition(place, roundAt)];
  const shadow = stickShadow(now, 1);
  return {
    azimuthDeg: now.azimuthDeg,
    elevationDeg: now.elevationDeg,
    shadowLengthM: shadow?.lengthM ?? null,
    shadowAzimuthDeg: shadow?.azimuthDeg ?? null,
    driftDeg: arcDeg(now.direction, then.direction),
    turnDeg: wrap180(now.azimuthDeg - then.azimuthDeg),
    riseDeg: now.elevationDeg - then.elevationDeg,
  };
}

/** Where the sun and its shadow have come to at the end of a take that runs for some seconds, and how far the sun went: degrees of arc. */
export function sunOverTake(place: Place, takeAt: Date, lengthS: number) {
  const end = sunOfTake(place, new Date(takeAt.getTime() + 1000 * lengthS), takeAt);
  const { azimuthDeg, elevationDeg, shadowLengthM, shadowAzimuthDeg, driftDeg } = end;
  return { azimuthDeg, elevationDeg, shadowLengthM, shadowAzimuthDeg, movesDeg: driftDeg };
}

/**
 * A sun light taken from a panorama, aimed as the sun stood at a take: turned and raised by what the almanac's sun went on. It needs no north:
 * what the panorama's own sun is off by stays. Brightness, colour, sky and shadows in the panorama stay those of the round.
 * @param mirrored everything is mirrored left to right, as for a flopped plate
 * @returns null when the sun had set by then
 */
export function reaimed(
  direction: Vec3,
  sun: Pick<SunOfTake, 'turnDeg' | 'riseDeg' | 'elevationDeg'>,
  mirrored = false,
): Vec3 | null {
  if (!(sun.elevationDeg > 0)) return null;
  const own = anglesFromDirection(direction);
  return directionFromAngles(
    own.azimuthDeg + (mirrored ? -sun.turnDeg : sun.turnDeg),
    Math.max(-90, Math.min(90, own.elevationDeg + sun.riseDeg)),
  );
}
