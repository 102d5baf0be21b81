import { RESPONSE_UNTOLD } from './responseTold';
import { LIMITS, type Limit } from './limits';
import type { OddPixels } from './oddPixels';
import type { ClippedPlace, RegionRange } from './regions';
import type { PanoramaStatistics } from './statistics';
import type { DetectedSun } from '../sun/detect';
import { NOTABLE_CLIPPED_SR } from '../sun/solidAngle';

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
  /** By how much views differ where they overlap, beyond their noise. */
  seamStops?: number | null;
  uncoveredSr?: number;
  /** Solid angle that comes from one frame of its bracket because others contradicted it. */
  movedSr?: number;
  /** Things that stood in some views only. */
  movedThings?: readonly { azimuthDeg: number; elevationDeg: number; view: number }[];
  lightDriftStops?: number | null;
  framesPerView?: number;
  /** Who tells the camera's response: the round's frames (or they need not), earlier rounds of its rig, or nobody, and the stated curve is believed. */
  responseFrom?: 'round' | 'rig' | 'curve';
  responseDepartureStops?: number | null;
  blackFloor: number;
  edgeJump: number;
  poleSpread?: number;
  regions?: readonly RegionRange[];
  clippedPlaces?: readonly ClippedPlace[];
  /** Lean that upright things told, degrees, and whether it was taken out. */
  level?: { tiltDeg: number; uncertaintyDeg: number; mended: boolean } | null;
  /** How far things may stand off where a view is alone with them, for the lens's mapping is not known better: 95 %, degrees; null when it was not fitted. */
  placementDeg?: number | null;
  /** How well the lens's falloff is known between the middle of a view and 90° off its axis: 95 %, stops; null when it was not fitted. */
  falloffStops?: number | null;
  /** Degrees between what near and far things say, from the pupil off the axis at the height of the camera. */
  parallaxDeg?: number | null;
  /** Mean share of the values that was measured glare and taken out; null without a measurement. */
  glareTaken?: number | null;
  /** Most that glare can be of the mean, told by the darkest places. */
  glareCeiling?: number;
  /** Median relative standard uncertainty of a pixel. */
  medianUncertainty?: number;
  /** Share of the clear sun's light that is missing, when it is cut off. */
  missingSun?: number | null;
  /** Values that no light makes, bounded when the file was read. */
  odd?: OddPixels | null;
}

/** What makes the lens of a round known that its own views hardly tell. */
const SETTLES_LENS =
  'a view turned by 90° or more views, or keeping in the kit what a round of this rig with four views taught, settles it';

/**
 * The check sheet of a panorama: each quantity with a verdict and what to do about it. A panorama that has lost its highlights is called so.
 */
export function checkSheet(f: CheckFacts): Check[] {
  const out: Check[] = [];
  const add = (name: string, value: number | null, unit: string, verdict: Verdict, words: string) =>
    out.push({ name, value, unit, verdict, words });
  const range = f.statistics.dynamicRangeStops;
  const clipped = f.clippedSr > NOTABLE_CLIPPED_SR;
  add('dynamic range', range, 'stops', 'good', clipped ? 'as far as its lights are held' : 'what the scene has');
  add(
    'clipped',
    f.clippedSr,
    'sr',
    clipped ? 'lost' : 'good',
    clipped
      ? `${whereClipped(f)}${f.sun?.clipped ? 'the sun is cut off: this panorama has lost its highlights, its shadows will be too soft; shoot shorter exposures or take ND, or measure the sun by a lux reading' : 'lights are cut off: this panorama has lost its highlights; shoot shorter exposures'}`
      : 'every light is held',
  );
  if (f.missingSun !== undefined && f.missingSun !== null)
    add(
      'missing sunlight',
      100 * f.missingSun,
      '% ± 30',
      verdictOf(f.missingSun, LIMITS.missingSun),
      'against a clear sun at this height; a lux reading tells it exactly',
    );
  if (f.odd) {
    const { negative, infinite, noNumber, singleChannel } = f.odd;
    add('odd values', negative + infinite + noNumber + singleChannel, 'pixels', 'doubtful', oddWords(f.odd));
  }
  for (const r of f.regions ?? [])
    if (r.stops !== null)
      add(`range, ${r.name}`, r.stops, 'stops', 'good', 'between its darkest and brightest per mille');
  if (f.framesPerView !== undefined)
    add(
      'frames a view',
      f.framesPerView,
      'frames',
      f.framesPerView > 2 ? 'good' : f.framesPerView > 1 ? 'doubtful' : 'lost',
      f.framesPerView > 1
        ? f.responseFrom === 'curve'
          ? `bracketed; ${RESPONSE_UNTOLD}`
          : 'bracketed'
        : 'a single exposure: its highlights are not measured',
    );
  add(
    'black floor',
    f.blackFloor,
    'of the mean',
    verdictOf(f.blackFloor, LIMITS.blackFloor),
    f.blackFloor < LIMITS.blackFloor.good
      ? 'the darkest places'
      : 'the darkest places are lifted by glare or haze: black levels will look milky',
  );
  if (f.seamStops !== undefined && f.seamStops !== null)
    add(
      'seam error',
      f.seamStops,
      'stop',
      verdictOf(f.seamStops, LIMITS.seam),
      f.seamStops === 0
        ? 'views differ by no more than their noise where they overlap'
        : f.seamStops < LIMITS.seam.good
          ? 'views agree where they overlap'
          : 'views disagree where they overlap: light that changed, things that moved, or a wrong lens',
    );
  if (f.lightDriftStops !== undefined && f.lightDriftStops !== null)
    add(
      'light drift',
      f.lightDriftStops,
      'stop',
      verdictOf(f.lightDriftStops, LIMITS.drift),
      f.lightDriftStops < LIMITS.drift.good
        ? 'the light held still'
        : 'the light changed during the round: shoot it again when it holds',
    );
  const movedShare = f.movedSr === undefined ? 0 : f.movedSr / (4 * Math.PI);
  if (f.movedSr !== undefined)
    add(
      'moved',
      f.movedSr,
      'sr',
      verdictOf(movedShare, LIMITS.moved),
      movedShare < LIMITS.moved.good
        ? 'hardly anything moved within a bracket'
        : 'things moved within brackets; their places come from one frame',
    );
  if (f.movedThings)
    add(
      'moved between views',
      f.movedThings.length,
      'things',
      f.movedThings.length === 0 ? 'good' : 'doubtful',
      f.movedThings.length === 0
        ? 'all views show the same'
        : `${f.movedThings
            .slice(0, 3)
            .map(
              (m) =>
                `azimuth ${m.azimuthDeg.toFixed(0)}°, elevation ${m.elevationDeg.toFixed(0)}° (from view ${m.view + 1})`,
            )
            .join(
              '; ',
            )} (in the panorama): stood in some views only, each is taken whole from one; another view can be chosen when building again`,
    );
  if (f.uncoveredSr !== undefined)
    add(
      'not seen',
      f.uncoveredSr,
      'sr',
      verdictOf(f.uncoveredSr, LIMITS.notSeen),
      f.uncoveredSr < LIMITS.notSeen.good
        ? 'the whole sphere is covered'
        : 'no view sees a part of the sphere: it is black or filled in',
    );
  // What its own uncertainty explains is no lean.
  const leanLeft = f.level && !f.level.mended ? Math.max(0, f.level.tiltDeg - f.level.uncertaintyDeg) : 0;
  if (f.level)
    add(
      'level',
      f.level.mended ? f.level.uncertaintyDeg : f.level.tiltDeg,
      '°',
      verdictOf(leanLeft, LIMITS.level),
      f.level.mended
        ? `upright things leant by ${f.level.tiltDeg.toFixed(2)}°: taken out, known to this`
        : leanLeft < LIMITS.level.good
          ? 'what stands upright does, as far as it tells'
          : f.framesPerView === undefined
            ? 'what stands upright leans: have it levelled where it was made'
            : 'what stands upright leans: level the rig, or build with levelling',
    );
  if (f.falloffStops && f.falloffStops > LIMITS.falloff.good)
    add(
      'falloff',
      f.falloffStops,
      'stop',
      'doubtful',
      `the views hardly show how much their lens darkens towards its edge: broad areas are known to half of this; ${SETTLES_LENS}`,
    );
  if (f.placementDeg && f.placementDeg > LIMITS.placement.good)
    add(
      'placement',
      f.placementDeg,
      '°',
      'doubtful',
      `where one view is alone, things may stand this far off: the views hardly tell how their lens spreads angles; ${
        f.falloffStops && f.falloffStops > LIMITS.falloff.good ? 'the same settles it' : SETTLES_LENS
      }`,
    );
  if (f.parallaxDeg !== undefined && f.parallaxDeg !== null)
    add(
      'parallax',
      f.parallaxDeg,
      '°',
      verdictOf(f.parallaxDeg, LIMITS.parallax),
      f.parallaxDeg < LIMITS.parallax.good
        ? 'the lens turns about its entrance pupil'
        : 'near things shift between views (taken out for level ground): move the lens on its rail until its entrance pupil stands over the axis',
    );
  if (f.medianUncertainty !== undefined)
    add(
      'noise',
      100 * f.medianUncertainty,
      '% median',
      verdictOf(f.medianUncertainty, LIMITS.noise),
      f.medianUncertainty < LIMITS.noise.good
        ? 'well exposed'
        : 'half of the sphere is noisier than this: add longer frames',
    );
  if (f.glareTaken !== undefined && f.glareTaken !== null)
    add(
      'glare',
      100 * f.glareTaken,
      '% taken',
      'good',
      'measured for this rig, taken out and given back to its sources',
    );
  else if (f.glareCeiling !== undefined)
    add(
      'glare',
      100 * f.glareCeiling,
      '% at most',
      'good',
      'of the mean: the darkest places allow no more. Not measured for this rig: photograph the sun covered and not to measure it',
    );
  if (f.responseDepartureStops !== undefined && f.responseDepartureStops !== null)
    add(
      'camera curve',
      f.responseDepartureStops,
      'stop',
      'good',
      f.responseFrom === 'rig'
        ? 'the camera has a curve of its own: this round tells too little of it, and that of earlier rounds of the rig was taken'
        : 'the camera has a curve of its own: it was recovered from the round',
    );
  // What we projected ourselves closes; a panorama from elsewhere may not.
  if (f.framesPerView === undefined)
    add(
      'edge',
      f.edgeJump,
      '× usual',
      verdictOf(f.edgeJump, LIMITS.edge),
      f.edgeJump < LIMITS.edge.good
        ? 'left and right edge fit'
        : 'left and right edge do not fit: not a whole latitude-longitude panorama, or wrong projection',
    );
  if (f.poleSpread !== undefined && f.framesPerView === undefined)
    add(
      'poles',
      f.poleSpread,
      '× usual',
      verdictOf(f.poleSpread, LIMITS.poles),
      f.poleSpread < LIMITS.poles.good
        ? 'the outermost rows are one point each'
        : 'the outermost rows are not one point: not a whole latitude-longitude panorama, or wrong projection',
    );
  add(
    'resolution',
    f.widthPx / 360,
    'px/°',
    f.widthPx >= LIMITS.resolution.good ? 'good' : 'doubtful',
    f.widthPx >= 2 * LIMITS.resolution.good ? 'enough for sharp reflections' : 'enough for light, soft in reflections',
  );
  return out;
}

const verdictOf = (value: number, { good, lost }: Limit): Verdict =>
  value < good ? 'good' : lost === null || value < lost ? 'doubtful' : 'lost';

/** What a file held that no light makes, and what was done with it. */
function oddWords({ negative, deepest, infinite, noNumber, singleChannel }: OddPixels): string {
  const taken = (count: number, what: string, as: string) => (count > 0 ? `${count} ${what}: ${as}` : null);
  return [
    taken(negative, `negative (the deepest ${deepest.toPrecision(2)} of the mean)`, 'taken as 0'),
    taken(infinite, 'infinite', 'taken as their brightest neighbour, a lower bound'),
    taken(noNumber, 'no number', 'taken from their neighbours'),
    taken(singleChannel, 'of one channel alone', 'taken from their neighbours'),
  ]
    .filter((words) => words !== null)
    .join('; ');
}

function whereClipped({ clippedPlaces = [] }: CheckFacts): string {
  if (clippedPlaces.length === 0) return '';
  return `${clippedPlaces.map((p) => `azimuth ${p.azimuthDeg.toFixed(0)}°, elevation ${p.elevationDeg.toFixed(0)}°`).join('; ')} (in the panorama). `;
}
