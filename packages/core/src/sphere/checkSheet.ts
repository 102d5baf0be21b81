import type { PanoramaStatistics } from './statistics';
import type { DetectedSun } from '../sun/detect';

export type Verdict = 'good' | 'doubtful' | 'lost';

export interface Check {
  name: string;
  value: number | null;
  unit: string;
  verdict: Verdict;
  /** What it means and what to do, in words. */
  words: string;
}

/** What a builder may know beyond the pixels; everything is optional for a panorama from elsewhere. */
export interface CheckFacts {
  statistics: PanoramaStatistics;
  widthPx: number;
  clippedSr: number;
  sun: DetectedSun | null;
  seamStops?: number | null;
  uncoveredSr?: number;
  ghostFraction?: number;
  lightDriftStops?: number | null;
  framesPerView?: number;
  responseDepartureStops?: number | null;
  /** Mean luminance of the darkest hundredth over the mean: the floor that glare and noise leave. */
  blackFloor: number;
  /** Largest jump over the seam at azimuth 0 against neighbouring columns elsewhere. */
  edgeJump: number;
}

/** Clear daylight puts at least this into a disc: less, and the sun was cut off (see `detectSun`). */
const SR_NOTABLE = 2e-6;

/**
 * The check sheet of a panorama: each quantity with a verdict and what to do about it. A panorama that has lost its highlights is called so.
 */
export function checkSheet(f: CheckFacts): Check[] {
  const out: Check[] = [];
  const add = (name: string, value: number | null, unit: string, verdict: Verdict, words: string) => out.push({ name, value, unit, verdict, words });
  const range = f.statistics.dynamicRangeStops;
  add('dynamic range', range, 'stops', range > 16 ? 'good' : range > 10 ? 'doubtful' : 'lost',
    range > 16 ? 'holds deep shadow and strong lights' : range > 10 ? 'enough for soft light, short for a sun: shoot more and shorter exposures' : 'a display picture, not a measurement: good for reflections only');
  const clipped = f.clippedSr > SR_NOTABLE;
  add('clipped', f.clippedSr, 'sr', clipped ? 'lost' : 'good', clipped
    ? f.sun?.clipped ? 'the sun is cut off: this panorama has lost its highlights, its shadows will be too soft; shoot shorter exposures or take ND, or measure the sun by a lux reading' : 'lights are cut off: this panorama has lost its highlights; shoot shorter exposures'
    : 'every light is held');
  if (f.framesPerView !== undefined) add('frames a view', f.framesPerView, '', f.framesPerView > 2 ? 'good' : f.framesPerView > 1 ? 'doubtful' : 'lost', f.framesPerView > 1 ? 'bracketed' : 'a single exposure: its highlights are not measured');
  add('black floor', f.blackFloor, 'of the mean', f.blackFloor < 0.06 ? 'good' : f.blackFloor < 0.15 ? 'doubtful' : 'lost', f.blackFloor < 0.06 ? 'shadows are dark' : 'the darkest places are lifted by glare or haze: black levels will look milky');
  if (f.seamStops !== undefined && f.seamStops !== null) add('seam error', f.seamStops, 'stop', f.seamStops < 0.06 ? 'good' : f.seamStops < 0.15 ? 'doubtful' : 'lost', f.seamStops < 0.06 ? 'views agree where they overlap' : 'views disagree where they overlap: light that changed, things that moved, or a wrong lens');
  if (f.lightDriftStops !== undefined && f.lightDriftStops !== null) add('light drift', f.lightDriftStops, 'stop', f.lightDriftStops < 0.12 ? 'good' : f.lightDriftStops < 0.5 ? 'doubtful' : 'lost', f.lightDriftStops < 0.12 ? 'the light held still' : 'the light changed during the round: shoot it again when it holds');
  if (f.ghostFraction !== undefined) add('moved', 100 * f.ghostFraction, '%', f.ghostFraction < 0.02 ? 'good' : f.ghostFraction < 0.1 ? 'doubtful' : 'lost', f.ghostFraction < 0.02 ? 'hardly anything moved within a bracket' : 'things moved within brackets; their places come from one frame');
  if (f.uncoveredSr !== undefined) add('not seen', f.uncoveredSr, 'sr', f.uncoveredSr < 0.002 ? 'good' : f.uncoveredSr < 0.3 ? 'doubtful' : 'lost', f.uncoveredSr < 0.002 ? 'the whole sphere is covered' : 'no view sees a part of the sphere: it is black or filled in');
  if (f.responseDepartureStops !== undefined && f.responseDepartureStops !== null) add('camera curve', f.responseDepartureStops, 'stop', 'doubtful', 'the camera has a curve of its own: it was recovered from the round');
  add('edge', f.edgeJump, '× usual', f.edgeJump < 3 ? 'good' : 'lost', f.edgeJump < 3 ? 'left and right edge fit' : 'left and right edge do not fit: not a whole latitude-longitude panorama, or wrong projection');
  add('resolution', f.widthPx / 360, 'px/°', f.widthPx >= 4096 ? 'good' : f.widthPx >= 1024 ? 'doubtful' : 'lost', f.widthPx >= 4096 ? 'enough for sharp reflections' : 'enough for light, soft in reflections');
  return out;
}
