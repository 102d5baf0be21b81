import { Body, Equator, Horizon, Observer } from 'astronomy-engine';
import { DEG, directionFromAngles, type Vec3 } from '../sphere/direction';

export interface Place {
  /** Geodetic, degrees, north positive. */
  latitudeDeg: number;
  /** Degrees, east positive. */
  longitudeDeg: number;
  /** Metres above sea level. */
  altitudeM: number;
}

export interface Air {
  pressureHpa: number;
  temperatureC: number;
}

export interface SunPosition {
  azimuthDeg: number;
  /** Apparent (refracted) elevation. */
  elevationDeg: number;
  /** Without refraction. */
  trueElevationDeg: number;
  /** Angular diameter, `0.5331 / distance`. */
  diameterDeg: number;
  distanceAu: number;
  direction: Vec3;
}

/** @throws RangeError naming the coordinate that cannot be. */
export function assertPlace(place: Place): void {
  if (!(Math.abs(place.latitudeDeg) <= 90))
    throw new RangeError(`latitude ${place.latitudeDeg} is not between -90 and 90 degrees`);
  if (!(Math.abs(place.longitudeDeg) <= 180))
    throw new RangeError(`longitude ${place.longitudeDeg} is not between -180 and 180 degrees`);
  if (!(place.altitudeM >= -500 && place.altitudeM <= 9000))
    throw new RangeError(`altitude ${place.altitudeM} is not between -500 and 9000 m`);
}

/** Pressure and temperature of the standard atmosphere at an altitude in metres. */
export function standardAir(altitudeM: number): Air {
  return {
    pressureHpa: 1013.25 * Math.pow(1 - 2.25577e-5 * altitudeM, 5.25588),
    temperatureC: 15 - 0.0065 * altitudeM,
  };
}

/** Refraction in degrees to add to a true elevation (Saemundsson's formula scaled by the air); 0 well below the horizon. */
export function refractionDeg(trueElevationDeg: number, air: Air): number {
  if (trueElevationDeg < -0.83337) return 0;
  const argument = trueElevationDeg + 10.3 / (trueElevationDeg + 5.11);
  return ((air.pressureHpa / 1010) * (283 / (273 + air.temperatureC)) * 1.02) / (60 * Math.tan(argument * DEG));
}

/**
 * Topocentric apparent position of the sun, CONVENTIONS.md section 4: azimuth from true north, elevation refracted by
 * the site's air (standard air when not given). Does not correct for the geoid or for a raised horizon.
 * @throws RangeError for a place or time that cannot be
 */
export function sunPosition(place: Place, utc: Date, air: Air = standardAir(place.altitudeM)): SunPosition {
  const observer = observerAt(place);
  return seenFrom(observer, utc, Equator(Body.Sun, validated(utc), observer, true, true), air);
}

/** Knots of a track lie this far apart, milliseconds: over an hour the sun's place bends by less than a hundredth of an arc second. */
const KNOT_MS = 3600000;

/**
 * `sunPosition` for many times of one place: the sun's place among the stars is worked out once an hour and drawn through as a cubic, the turn
 * of the earth is exact. Within 0.0001 degrees of `sunPosition`.
 * @throws RangeError for a place or time that cannot be
 */
export function sunTrack(place: Place, air: Air = standardAir(place.altitudeM)): (utc: Date) => SunPosition {
  const observer = observerAt(place);
  const knots = new Map<number, Vec3>();
  const knot = (k: number): Vec3 => {
    let at = knots.get(k);
    if (!at) {
      const { x, y, z } = Equator(Body.Sun, new Date(k * KNOT_MS), observer, true, true).vec;
      knots.set(k, (at = [x, y, z]));
    }
    return at;
  };
  return (utc) => {
    const hours = validated(utc).getTime() / KNOT_MS;
    const first = Math.floor(hours);
    const t = hours - first;
    const weights = [
      (-t * (t - 1) * (t - 2)) / 6,
      ((t + 1) * (t - 1) * (t - 2)) / 2,
      (-(t + 1) * t * (t - 2)) / 2,
      ((t + 1) * t * (t - 1)) / 6,
    ];
    const [x, y, z] = [0, 1, 2].map((axis) => weights.reduce((sum, w, i) => sum + w * knot(first - 1 + i)[axis], 0));
    const dist = Math.hypot(x, y, z);
    const ra = ((Math.atan2(y, x) / DEG + 360) % 360) / 15;
    return seenFrom(observer, utc, { ra, dec: Math.asin(z / dist) / DEG, dist }, air);
  };
}

/** @throws RangeError naming the coordinate that cannot be. */
export function observerAt(place: Place): Observer {
  assertPlace(place);
  return new Observer(place.latitudeDeg, place.longitudeDeg, place.altitudeM);
}

function validated(utc: Date): Date {
  if (Number.isNaN(utc.getTime())) throw new RangeError('the time is not a valid UTC time');
  return utc;
}

/** The sun above an observer, by its place among the stars: right ascension in hours, declination in degrees, distance in au. */
function seenFrom(
  observer: Observer,
  utc: Date,
  { ra, dec, dist }: { ra: number; dec: number; dist: number },
  air: Air,
): SunPosition {
  const horizon = Horizon(utc, observer, ra, dec);
  const elevationDeg = horizon.altitude + refractionDeg(horizon.altitude, air);
  return {
    azimuthDeg: horizon.azimuth,
    elevationDeg,
    trueElevationDeg: horizon.altitude,
    diameterDeg: 0.5331 / dist,
    distanceAu: dist,
    direction: directionFromAngles(horizon.azimuth, elevationDeg),
  };
}

/** Degrees of arc that the sun moves a second at an instant, about 0.0042 at most. */
export function sunRates(place: Place, utc: Date): { azimuthDegPerS: number; elevationDegPerS: number } {
  const before = sunPosition(place, new Date(utc.getTime() - 30000));
  const after = sunPosition(place, new Date(utc.getTime() + 30000));
  const turn = ((after.azimuthDeg - before.azimuthDeg + 540) % 360) - 180;
  return { azimuthDegPerS: turn / 60, elevationDegPerS: (after.elevationDeg - before.elevationDeg) / 60 };
}

/** Length in metres and azimuth of the shadow of a vertical stick; null when the sun is down. CONVENTIONS.md section 4. */
export function stickShadow(sun: { azimuthDeg: number; elevationDeg: number }, heightM: number) {
  if (sun.elevationDeg <= 0) return null;
  return { lengthM: heightM / Math.tan(sun.elevationDeg * DEG), azimuthDeg: (sun.azimuthDeg + 180) % 360 };
}
