import { sunPosition, type Place } from './ephemeris';
import { DEG } from '../sphere/direction';

export type Sky = 'clear' | 'partlyCloudy' | 'overcast';

/** Direct light is `SOLAR_LUX exp(-extinction m)` on a plane towards the sun; that of the sky on the level `base + slope sin^power`, lux. */
const SKIES: Record<Sky, { extinction: number | null; base: number; slope: number; power: number }> = {
  clear: { extinction: 0.21, base: 800, slope: 15500, power: 0.5 },
  partlyCloudy: { extinction: 0.8, base: 300, slope: 45000, power: 1 },
  overcast: { extinction: null, base: 300, slope: 21000, power: 1 },
};
/** Illuminance of the sun outside of the air, lux: the mean over a year. */
const SOLAR_LUX = 127500;
/** Where civil twilight ends, and the light that is left there. */
const TWILIGHT_DEG = -6;
const TWILIGHT_LUX = 3.4;

/** Air that the sun shines through against that at the zenith (Kasten and Young 1989). */
const airMass = (elevationDeg: number) =>
  1 / (Math.sin(elevationDeg * DEG) + 0.50572 * (elevationDeg + 6.07995) ** -1.6364);

/** What sun and sky throw on level open ground. Sun up: Gillette, Treado and Kusuda 1984; twilight: falling by the same share every degree to its end. */
export interface Daylight {
  /** Lux on the level. */
  level: number;
  /** Of them from the sun itself. */
  direct: number;
}

/**
 * Illuminance of level open ground by daylight.
 * @param elevationDeg of the sun, apparent
 * @throws RangeError on an elevation that cannot be
 */
export function daylight(elevationDeg: number, sky: Sky): Daylight {
  if (!(Math.abs(elevationDeg) <= 90)) throw new RangeError(`elevation ${elevationDeg} is not between -90 and 90 degrees`);
  const { extinction, base, slope, power } = SKIES[sky];
  if (elevationDeg <= 0) {
    const share = Math.min(1, elevationDeg / TWILIGHT_DEG);
    return { level: base * (TWILIGHT_LUX / base) ** share, direct: 0 };
  }
  const height = Math.sin(elevationDeg * DEG);
  const direct = extinction === null ? 0 : SOLAR_LUX * Math.exp(-extinction * airMass(elevationDeg)) * height;
  return { level: direct + base + slope * height ** power, direct };
} // prettier-ignore

/** Half of the time over which the change is taken. */
const HALF_STEP_MS = 5 * 60e3;

/**
 * How fast daylight changes at a place and time by the sun's height alone, stops an hour: of all skies the fastest. Clouds come on top.
 * @throws RangeError for a place or time that cannot be
 */
export function daylightStopsPerHour(place: Place, utc: Date): number {
  const [before, after] = [-HALF_STEP_MS, HALF_STEP_MS].map(
    (ms) => sunPosition(place, new Date(utc.getTime() + ms)).elevationDeg,
  );
  const change = (sky: Sky) => Math.abs(Math.log2(daylight(after, sky).level / daylight(before, sky).level));
  return (Math.max(...(Object.keys(SKIES) as Sky[]).map(change)) * 3600e3) / (2 * HALF_STEP_MS);
}

/** 95 % half widths of what level ground gets against the model, stops: air, haze and what stands before the sky; without the sun any cloud. */
const WITHIN_STOPS = { sun: 1, noSun: 2.5 } as const;

/** What daylight throws on a level plane where the sun shines, or where it does not. */
export interface ExpectedDaylight {
  lux: number;
  /** 95 % half width. */
  withinStops: number;
}

/**
 * What a place in the open would get: a sanity check of an absolute scale, with an honestly wide interval.
 * @param elevationDeg of the sun, apparent, above 0
 * @param sunShines the sun itself is seen
 * @returns null once the sun is down
 */
export function expectedDaylight(elevationDeg: number, sunShines: boolean): ExpectedDaylight | null {
  if (elevationDeg <= 0) return null;
  if (sunShines) return { lux: daylight(elevationDeg, 'clear').level, withinStops: WITHIN_STOPS.sun };
  // Shade under a clear sky, or cloud.
  const clear = daylight(elevationDeg, 'clear');
  const [shade, cloud] = [clear.level - clear.direct, daylight(elevationDeg, 'overcast').level];
  return { lux: Math.sqrt(shade * cloud), withinStops: WITHIN_STOPS.noSun };
}
