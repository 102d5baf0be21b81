import type { DetectedSun } from '../sun/detect';
import type { ExpectedHeight } from '../sun/surroundings';
import { sunPosition, sunRates, type Place, type SunPosition } from '../sun/ephemeris';
import { halfWidth95, NORMAL_95, sigmaOf95 } from '../estimate/confidence';
import { agrees } from '../estimate/sources';
import { explain } from '../estimate/hypotheses';
import { DEG, wrap180 } from '../sphere/direction';

export interface NorthInput {
  /** Direction and 95 % uncertainty of the sun in the panorama's own frame. */
  detected: Pick<DetectedSun, 'azimuthDeg' | 'elevationDeg' | 'uncertaintyDeg'>;
  place: Place;
  utc: Date;
  /** 95 % half widths: how level the panorama is, and how right the clock. Null: nobody knows. */
  levelDeg: number | null;
  clockS: number | null;
}

/** How far a rig leans that nobody levelled or looked at, and a clock runs off that nobody set: 95 % half widths. */
export const UNKNOWN_LEVEL_DEG = 3;
export const UNKNOWN_CLOCK_S = 180;

export interface NorthResult {
  /** Degrees to add to every azimuth of the panorama so that north is 0. [-180, 180). */
  yawDeg: number;
  /** Half width of the 95 % interval of yawDeg. */
  uncertaintyDeg: number;
  computed: SunPosition;
  /** Detected minus computed elevation: level, clock, zone or place are off when large. */
  elevationDifferenceDeg: number;
  /** 95 % half width that the elevation difference should stay within. */
  elevationToleranceDeg: number;
  /** Within three sigmas. */
  agrees: boolean;
  /** What explains a height that does not agree; null while it does. */
  cause: NorthCause | null;
  /** Stated minus true time as the sun's height tells it, with its 95 % half width; never wider than what was stated of the clock. */
  clock: { valueS: number; uncertaintyS: number };
  /** Whether the sun's height would show a clock or zone that is off by an hour: about noon it cannot. */
  heightTestsHour: boolean;
}

/** clockHour: the clock or its zone is off by an hour; upsideDown: the panorama is; cannotTell: level, clock and place would explain it as well. */
export type NorthCause = 'clockHour' | 'upsideDown' | 'cannotTell';

/** From here on a height is not chance: of a thousand right sets three are doubted. */
const DOUBTED_SIGMAS = 3;

/** How far rigs lean when nobody levels them, and clocks run off when nobody sets them: one sigma. */
const LOOSE_LEVEL_DEG = 1.5;
const LOOSE_CLOCK_S = 120;

/**
 * True north from the sun: the difference of computed and found azimuth, the panorama taken as level. The sun's height is a
 * second witness: it tells as much of the clock as the level leaves it to, and what it tells moves north and narrows its interval.
 * That interval joins the direction of the sun, tilt of the level (times tan el) and what remains of the clock (times the sun's
 * rate); azimuths are spread by 1 / cos el. A height that does not agree moves nothing. CONVENTIONS.md sections 1, 4 and 7.
 */
export function northFromSun({ detected, place, utc, levelDeg, clockS }: NorthInput): NorthResult {
  const level = levelDeg ?? UNKNOWN_LEVEL_DEG;
  const stated = clockS ?? UNKNOWN_CLOCK_S;
  const atStated = sunPosition(place, utc);
  const rates = sunRates(place, utc);
  const elevationDifferenceDeg = detected.elevationDeg - atStated.elevationDeg;
  // Air at the horizon bends light by more or less than the standard atmosphere does.
  const refraction = atStated.elevationDeg < 5 ? 0.1 : 0.02;
  const fromClock = rates.elevationDegPerS * stated;
  const elevationToleranceDeg = Math.hypot(detected.uncertaintyDeg, level, fromClock, refraction);
  const height = agrees(elevationDifferenceDeg, (DOUBTED_SIGMAS / NORMAL_95) * elevationToleranceDeg);
  const otherThanClock = sigmaOf95(Math.hypot(detected.uncertaintyDeg, level, refraction));
  const clock = clockFrom(place, utc, sigmaOf95(stated), height ? { ...detected, sigmaDeg: otherThanClock } : null);
  const computed = sunPosition(place, new Date(utc.getTime() - 1000 * clock.valueS));
  const el = computed.elevationDeg * DEG;
  const anHourOff = [-1, 1].map((h) => sunPosition(place, new Date(utc.getTime() + h * 3600000)).elevationDeg);
  return {
    yawDeg: wrap180(atStated.azimuthDeg + clock.azimuthDeg - detected.azimuthDeg),
    uncertaintyDeg: Math.hypot(
      detected.uncertaintyDeg / Math.max(1e-3, Math.cos(el)),
      level * Math.tan(el),
      clock.azimuthUncertaintyDeg,
    ),
    computed,
    elevationDifferenceDeg,
    elevationToleranceDeg,
    agrees: height,
    cause: height ? null : causeOf(place, utc, detected.elevationDeg, elevationToleranceDeg, rates.elevationDegPerS),
    clock: { valueS: clock.valueS, uncertaintyS: clock.uncertaintyS },
    heightTestsHour: anHourOff.every((e) => Math.abs(e - atStated.elevationDeg) > elevationToleranceDeg),
  };
}

/** Where the sun stands by place and time, and how far a panorama may show it from there: level and clock as in `northFromSun`. */
export function expectedHeight({ place, utc, levelDeg, clockS }: Omit<NorthInput, 'detected'>): ExpectedHeight {
  const { elevationDegPerS } = sunRates(place, utc);
  return {
    elevationDeg: sunPosition(place, utc).elevationDeg,
    withinDeg: Math.hypot(levelDeg ?? UNKNOWN_LEVEL_DEG, elevationDegPerS * (clockS ?? UNKNOWN_CLOCK_S)),
  };
}

/** Steps on either side of the stated time, and how far they reach in sigmas of the clock. */
const STEPS = 24;
const REACH = 3.5;

/**
 * What is known of the clock's error, and of the azimuth that it moves the sun by, once the sun's height has been seen: the sun's path
 * bends within minutes about noon, so that every possible time is weighed by itself.
 */
function clockFrom(
  place: Place,
  utc: Date,
  sigmaS: number,
  height: { elevationDeg: number; sigmaDeg: number } | null,
): { valueS: number; uncertaintyS: number; azimuthDeg: number; azimuthUncertaintyDeg: number } {
  const { azimuthDeg } = sunPosition(place, utc);
  const times = Array.from({ length: 2 * STEPS + 1 }, (_, i) => {
    const errorS = ((i - STEPS) / STEPS) * REACH * sigmaS;
    const sun = sunPosition(place, new Date(utc.getTime() - 1000 * errorS));
    const misfit = height ? (height.elevationDeg - sun.elevationDeg) / height.sigmaDeg : 0;
    return { errorS, turnDeg: wrap180(sun.azimuthDeg - azimuthDeg), chi2: (errorS / sigmaS) ** 2 + misfit ** 2 };
  });
  const best = Math.min(...times.map((t) => t.chi2));
  const weights = times.map((t) => Math.exp((best - t.chi2) / 2));
  const sum = weights.reduce((a, b) => a + b, 0);
  const moments = (of: (t: (typeof times)[number]) => number) => {
    const mean = times.reduce((s, t, i) => s + weights[i] * of(t), 0) / sum;
    const variance = times.reduce((s, t, i) => s + weights[i] * (of(t) - mean) ** 2, 0) / sum;
    return { mean, half: halfWidth95(Math.sqrt(variance)) };
  };
  const [error, turn] = [moments((t) => t.errorS), moments((t) => t.turnDeg)];
  return {
    valueS: error.mean,
    uncertaintyS: error.half,
    azimuthDeg: turn.mean,
    azimuthUncertaintyDeg: turn.half,
  };
}

/** Explanations of a wrong height tested against each other: each predicts a height and how far it may be off. */
function causeOf(place: Place, utc: Date, foundDeg: number, toleranceDeg: number, degPerS: number): NorthCause {
  const tight = sigmaOf95(toleranceDeg);
  const heightAt = (hours: number) => sunPosition(place, new Date(utc.getTime() + hours * 3600000)).elevationDeg;
  const test = (name: NorthCause | 'looseLevel' | 'looseClock', predictedDeg: number, sigma: number, odds: number) => ({
    name,
    chi2: ((foundDeg - predictedDeg) / sigma) ** 2,
    parameters: 0,
    // A wide prediction spreads its probability.
    odds: (odds * tight) / sigma,
  });
  const found = explain(
    [
      test('clockHour', heightAt(1), tight, 0.5),
      test('clockHour', heightAt(-1), tight, 0.5),
      test('upsideDown', -heightAt(0), tight, 0.3),
      test('looseLevel', heightAt(0), Math.hypot(tight, LOOSE_LEVEL_DEG), 1),
      test('looseClock', heightAt(0), Math.hypot(tight, LOOSE_CLOCK_S * degPerS), 1),
    ],
    1,
  ).name;
  return found === 'clockHour' || found === 'upsideDown' ? found : 'cannotTell';
}
