import { magvar } from 'magvar';
import { assertPlace, type Place } from '../sun/ephemeris';
import { wrap360 } from '../sphere/direction';

/**
 * Magnetic declination in degrees, east positive, by the World Magnetic Model 2025-2030 (+- 0.5 degrees). CONVENTIONS.md section 1.
 * @throws RangeError for a place that cannot be
 */
export function magneticDeclinationDeg(place: Place, date: Date): number {
  assertPlace(place);
  const start = Date.UTC(date.getUTCFullYear(), 0, 1);
  const year = date.getUTCFullYear() + (date.getTime() - start) / (Date.UTC(date.getUTCFullYear() + 1, 0, 1) - start);
  return magvar(place.latitudeDeg, place.longitudeDeg, place.altitudeM / 1000, year);
}

/** One-sigma uncertainty of the model's declination away from the poles and iron, degrees. */
export const DECLINATION_SIGMA_DEG = 0.5;

/**
 * A take's heading as true bearing: what its picture told against a surveyed edge, else the logged one; a magnetic one gets the declination of its
 * place and day (the log holds readings whose bias is taken off). Null when there is neither.
 */
export function trueHeadingDeg(
  logged: {
    headingDeg: number | null;
    headingNorth: 'true' | 'magnetic';
    shotAt: string | Date;
    pictureCamera?: { headingDeg: number | null } | null;
  },
  place: Place,
): number | null {
  const seen = logged.pictureCamera?.headingDeg ?? null;
  if (seen !== null) return seen;
  if (logged.headingDeg === null || logged.headingNorth === 'true') return logged.headingDeg;
  return trueBearingDeg(logged.headingDeg, 0, magneticDeclinationDeg(place, new Date(logged.shotAt)));
}

/** `true = reading - bias + declination`, [0, 360). */
export function trueBearingDeg(readingDeg: number, biasDeg: number, declinationDeg: number): number {
  return wrap360(readingDeg - biasDeg + declinationDeg);
}
