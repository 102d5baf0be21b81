import type { DetectedSun } from '../sun/detect';
import { sunPosition, sunRates, type Place, type SunPosition } from '../sun/ephemeris';
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
}

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
    agrees: Math.abs(elevationDifferenceDeg) <= elevationToleranceDeg,
  };
}
