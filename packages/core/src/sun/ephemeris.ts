import { Body, Equator, Horizon, Observer, SearchHourAngle, SearchRiseSet } from 'astronomy-engine';
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
  assertPlace(place);
  if (Number.isNaN(utc.getTime())) throw new RangeError('the time is not a valid UTC time');
  const observer = new Observer(place.latitudeDeg, place.longitudeDeg, place.altitudeM);
  const equator = Equator(Body.Sun, utc, observer, true, true);
  const horizon = Horizon(utc, observer, equator.ra, equator.dec);
  const elevationDeg = horizon.altitude + refractionDeg(horizon.altitude, air);
  return {
    azimuthDeg: horizon.azimuth,
    elevationDeg,
    trueElevationDeg: horizon.altitude,
    diameterDeg: 0.5331 / equator.dist,
    distanceAu: equator.dist,
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

export interface SunDay {
  rise: Date | null;
  transit: Date;
  set: Date | null;
  /** Elevation every `stepMinutes` from the start to the end, both included. */
  curve: { utc: Date; elevationDeg: number; azimuthDeg: number }[];
}

/** The sun over a span of time (a local day): rise, transit and set inside it, and its elevation curve. */
export function sunDay(place: Place, start: Date, end: Date, stepMinutes = 10): SunDay {
  assertPlace(place);
  const observer = new Observer(place.latitudeDeg, place.longitudeDeg, place.altitudeM);
  const inside = (t: { date: Date } | null) => (t && t.date <= end ? t.date : null);
  const days = (end.getTime() - start.getTime()) / 86400000;
  const curve: SunDay['curve'] = [];
  for (let t = start.getTime(); t <= end.getTime(); t += stepMinutes * 60000) {
    const p = sunPosition(place, new Date(t));
    curve.push({ utc: new Date(t), elevationDeg: p.elevationDeg, azimuthDeg: p.azimuthDeg });
  }
  return {
    rise: inside(SearchRiseSet(Body.Sun, observer, 1, start, days)),
    transit: SearchHourAngle(Body.Sun, observer, 0, start).time.date,
    set: inside(SearchRiseSet(Body.Sun, observer, -1, start, days)),
    curve,
  };
}

/** Length in metres and azimuth of the shadow of a vertical stick; null when the sun is down. CONVENTIONS.md section 4. */
export function stickShadow(sun: { azimuthDeg: number; elevationDeg: number }, heightM: number) {
  if (sun.elevationDeg <= 0) return null;
  return { lengthM: heightM / Math.tan(sun.elevationDeg * DEG), azimuthDeg: (sun.azimuthDeg + 180) % 360 };
}
