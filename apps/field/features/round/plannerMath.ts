import type { BracketNeed, BracketPlan } from '@tawny/core';
import { clearSunLuminance } from '@tawny/core/photometry/bracketPlan';
import { NOMINAL_LUMINANCE_PER_UNIT } from '@tawny/core/photometry/exposure';
import { sunPosition } from '@tawny/core/sun/ephemeris';
import type { Location, Panorama, Reading, TestFrameResult } from '@tawny/contract';

/** What tells the light that the bracket has to hold. */
export type LightSource = 'sun' | 'reading' | 'panorama' | 'frame';

/** White in full light is lux / pi; the deepest corner of a set seldom lies more than this many stops below it. */
const SHADOW_STOPS = 9;

/** Luminances from a lux reading: a white surface in that light, and the shadow under it. */
export function needFromLux(lux: number, sunLuminance: number): BracketNeed {
  const white = lux / Math.PI;
  return { darkest: white / 2 ** SHADOW_STOPS, brightest: Math.max(white, sunLuminance) };
}

/** The range that a built panorama held, by its exposures alone (nominal cd/m2): the stops that hold any notable solid angle. */
export function needFromPanorama({ histogram }: Pick<Panorama, 'histogram'>): BracketNeed {
  const stops = histogram.sr.flatMap((sr, i) => (sr > 2e-5 ? [histogram.firstStop + i / histogram.binsPerStop] : []));
  return {
    darkest: NOMINAL_LUMINANCE_PER_UNIT * 2 ** Math.min(...stops),
    brightest: NOMINAL_LUMINANCE_PER_UNIT * 2 ** (Math.max(...stops) + 1 / histogram.binsPerStop),
  };
}

/** A test frame's range; where it was cut off, the sun or a lamp lies above. */
export function needFromFrame(frame: TestFrameResult, sunLuminance: number): BracketNeed {
  return {
    darkest: frame.darkest,
    brightest: frame.clippedShare > 0 ? Math.max(frame.brightest, sunLuminance) : frame.brightest,
  };
}

/** Luminance of the sun's disc now, were the sky clear; 0 at night. */
export function sunNow(location: Location, at: Date): number {
  return clearSunLuminance(sunPosition(location, at).elevationDeg);
}

export function newestLux(readings: readonly Reading[]): Reading | null {
  return readings.filter((r) => r.kind === 'lux').sort((a, b) => b.takenAt.localeCompare(a.takenAt))[0] ?? null;
}

/** EV of each rung, and the wanted range as the ladder's side: stops of the panorama's unit. */
export function planOnLadder(plan: BracketPlan, need: BracketNeed): { ev: number[]; histogram: Panorama['histogram'] } {
  const [low, high] = [need.darkest, need.brightest].map((v) => Math.log2(v / NOMINAL_LUMINANCE_PER_UNIT));
  return {
    ev: plan.rungs.map((r) => -Math.log2(r.exposure)),
    histogram: {
      firstStop: low,
      binsPerStop: 3,
      sr: Array.from({ length: Math.max(2, Math.round(3 * (high - low)) + 1) }, () => 1e-2),
    },
  };
}
