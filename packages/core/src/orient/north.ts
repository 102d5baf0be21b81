import type { DetectedSun } from '../sun/detect';
import { sunPosition, sunRates, type Place, type SunPosition } from '../sun/ephemeris';
import { sigmaOf95 } from '../estimate/confidence';
import { agrees } from '../estimate/sources';
import { explain } from '../estimate/hypotheses';
import { DEG, wrap180 } from '../sphere/direction';

export interface NorthInput {
  /** Direction and 95 % uncertainty of the sun in the panorama's own frame. */
  detected: Pick<DetectedSun, 'azimuthDeg' | 'elevationDeg' | 'uncertaintyDeg'>;
  place: Place;
  utc: Date;
  /** 95 % half widths: how level the panorama is, and how right the clock. */
  levelDeg?: number;
  clockS?: number;
}

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
  agrees: boolean;
  /** What explains a height that does not agree; null while it does. */
  cause: NorthCause | null;
}

/** clockHour: the clock or its zone is off by an hour; upsideDown: the panorama is; cannotTell: level, clock and place would explain it as well. */
export type NorthCause = 'clockHour' | 'upsideDown' | 'cannotTell';

/** How far rigs lean when nobody levels them, and clocks run off when nobody sets them: one sigma. */
const LOOSE_LEVEL_DEG = 1.5;
const LOOSE_CLOCK_S = 120;

/**
 * True north from the sun: the difference of computed and found azimuth, the panorama taken as level.
 * The interval joins the direction of the sun, tilt of the level (times tan el) and the clock (times the sun's rate);
 * azimuths are spread by 1 / cos el. CONVENTIONS.md sections 1 and 4.
 */
export function northFromSun({ detected, place, utc, levelDeg = 0.1, clockS = 10 }: NorthInput): NorthResult {
  const computed = sunPosition(place, utc);
  const rates = sunRates(place, utc);
  const el = computed.elevationDeg * DEG;
  const uncertaintyDeg = Math.hypot(
    detected.uncertaintyDeg / Math.max(1e-3, Math.cos(el)),
    levelDeg * Math.tan(el),
    rates.azimuthDegPerS * clockS,
  );
  const elevationDifferenceDeg = detected.elevationDeg - computed.elevationDeg;
  // Air at the horizon bends light by more or less than the standard atmosphere does.
  const refraction = computed.elevationDeg < 5 ? 0.1 : 0.02;
  const elevationToleranceDeg = Math.hypot(
    detected.uncertaintyDeg,
    levelDeg,
    rates.elevationDegPerS * clockS,
    refraction,
  );
  return {
    yawDeg: wrap180(computed.azimuthDeg - detected.azimuthDeg),
    uncertaintyDeg,
    computed,
    elevationDifferenceDeg,
    elevationToleranceDeg,
    agrees: agrees(elevationDifferenceDeg, elevationToleranceDeg),
    cause: agrees(elevationDifferenceDeg, elevationToleranceDeg)
      ? null
      : causeOf(place, utc, detected.elevationDeg, elevationToleranceDeg, rates.elevationDegPerS),
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
