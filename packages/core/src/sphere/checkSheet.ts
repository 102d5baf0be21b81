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
  seamStops?: number | null;
  uncoveredSr?: number;
  /** Solid angle that comes from one frame of its bracket because others contradicted it. */
  movedSr?: number;
  /** Things that stood in some views only. */
  movedThings?: readonly { azimuthDeg: number; elevationDeg: number; view: number }[];
  lightDriftStops?: number | null;
  framesPerView?: number;
  responseDepartureStops?: number | null;
  blackFloor: number;
  edgeJump: number;
  poleSpread?: number;
  regions?: readonly RegionRange[];
  clippedPlaces?: readonly ClippedPlace[];
  /** Lean that upright things told, degrees, and whether it was taken out. */
  level?: { tiltDeg: number; uncertaintyDeg: number; mended: boolean } | null;
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

/**
 * The check sheet of a panorama: each quantity with a verdict and what to do about it. A panorama that has lost its highlights is called so.
 */
export function checkSheet(f: CheckFacts): Check[] {
  const out: Check[] = [];
  const add = (name: string, value: number | null, unit: string, verdict: Verdict, words: string) =>
    out.push({ name, value, unit, verdict, words });
  const range = f.statistics.dynamicRangeStops;
  add(
    'dynamic range',
    range,
    'stops',
    range > 16 ? 'good' : range > 10 ? 'doubtful' : 'lost',
    range > 16
      ? 'holds deep shadow and strong lights'
      : range > 10
        ? 'enough for soft light, short for a sun: shoot more and shorter exposures'
        : 'a display picture, not a measurement: good for reflections only',
  );
  const clipped = f.clippedSr > NOTABLE_CLIPPED_SR;
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
      f.missingSun > 0.3 ? 'lost' : 'doubtful',
      'against a clear sun at this height; a lux reading tells it exactly',
    );
  if (f.odd) add('odd values', 100 * (f.odd.negativeSr / (4 * Math.PI)), '% negative', 'doubtful', oddWords(f.odd));
  for (const r of f.regions ?? [])
    if (r.stops !== null)
      add(`range, ${r.name}`, r.stops, 'stops', 'good', 'between its darkest and brightest per mille');
  if (f.framesPerView !== undefined)
    add(
      'frames a view',
      f.framesPerView,
      'frames',
      f.framesPerView > 2 ? 'good' : f.framesPerView > 1 ? 'doubtful' : 'lost',
      f.framesPerView > 1 ? 'bracketed' : 'a single exposure: its highlights are not measured',
    );
  add(
    'black floor',
    f.blackFloor,
    'of the mean',
    f.blackFloor < 0.06 ? 'good' : f.blackFloor < 0.15 ? 'doubtful' : 'lost',
    f.blackFloor < 0.06
      ? 'shadows are dark'
      : 'the darkest places are lifted by glare or haze: black levels will look milky',
  );
  if (f.seamStops !== undefined && f.seamStops !== null)
    add(
      'seam error',
      f.seamStops,
      'stop',
      f.seamStops < 0.06 ? 'good' : f.seamStops < 0.15 ? 'doubtful' : 'lost',
      f.seamStops < 0.06
        ? 'views agree where they overlap'
        : 'views disagree where they overlap: light that changed, things that moved, or a wrong lens',
    );
  if (f.lightDriftStops !== undefined && f.lightDriftStops !== null)
    add(
      'light drift',
      f.lightDriftStops,
      'stop',
      f.lightDriftStops < 0.12 ? 'good' : f.lightDriftStops < 0.5 ? 'doubtful' : 'lost',
      f.lightDriftStops < 0.12
        ? 'the light held still'
        : 'the light changed during the round: shoot it again when it holds',
    );
  const movedShare = f.movedSr === undefined ? 0 : f.movedSr / (4 * Math.PI);
  if (f.movedSr !== undefined)
    add(
      'moved',
      f.movedSr,
      'sr',
      movedShare < 0.02 ? 'good' : movedShare < 0.1 ? 'doubtful' : 'lost',
      movedShare < 0.02
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
      f.uncoveredSr < 0.002 ? 'good' : f.uncoveredSr < 0.3 ? 'doubtful' : 'lost',
      f.uncoveredSr < 0.002
        ? 'the whole sphere is covered'
        : 'no view sees a part of the sphere: it is black or filled in',
    );
  if (f.level)
    add(
      'level',
      f.level.mended ? f.level.uncertaintyDeg : f.level.tiltDeg,
      '°',
      f.level.mended || f.level.tiltDeg < 0.3 ? 'good' : f.level.tiltDeg < 1 ? 'doubtful' : 'lost',
      f.level.mended
        ? `upright things leant by ${f.level.tiltDeg.toFixed(2)}°: taken out, known to this`
        : f.level.tiltDeg < 0.3
          ? 'what stands upright does'
          : f.framesPerView === undefined
            ? 'what stands upright leans: have it levelled where it was made'
            : 'what stands upright leans: level the rig, or build with levelling',
    );
  if (f.parallaxDeg !== undefined && f.parallaxDeg !== null)
    add(
      'parallax',
      f.parallaxDeg,
      '°',
      f.parallaxDeg < 0.1 ? 'good' : 'doubtful',
      f.parallaxDeg < 0.1
        ? 'the lens turns about its entrance pupil'
        : 'near things shift between views (taken out for level ground): move the lens on its rail until its entrance pupil stands over the axis',
    );
  if (f.medianUncertainty !== undefined)
    add(
      'noise',
      100 * f.medianUncertainty,
      '% median',
      f.medianUncertainty < 0.03 ? 'good' : f.medianUncertainty < 0.1 ? 'doubtful' : 'lost',
      f.medianUncertainty < 0.03 ? 'well exposed' : 'half of the sphere is noisier than this: add longer frames',
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
      f.glareCeiling < 0.03 ? 'good' : f.glareCeiling < 0.1 ? 'doubtful' : 'lost',
      f.glareCeiling < 0.03
        ? 'the darkest places allow no more, of the mean'
        : 'not measured for this rig: the darkest places allow this much of the mean; photograph the sun covered and not to measure it',
    );
  if (f.responseDepartureStops !== undefined && f.responseDepartureStops !== null)
    add(
      'camera curve',
      f.responseDepartureStops,
      'stop',
      'doubtful',
      'the camera has a curve of its own: it was recovered from the round',
    );
  add(
    'edge',
    f.edgeJump,
    '× usual',
    f.edgeJump < 3 ? 'good' : 'lost',
    f.edgeJump < 3
      ? 'left and right edge fit'
      : 'left and right edge do not fit: not a whole latitude-longitude panorama, or wrong projection',
  );
  if (f.poleSpread !== undefined)
    add(
      'poles',
      f.poleSpread,
      '× usual',
      f.poleSpread < 1.5 ? 'good' : 'lost',
      f.poleSpread < 1.5
        ? 'the outermost rows are one point each'
        : 'the outermost rows are not one point: not a whole latitude-longitude panorama, or wrong projection',
    );
  add(
    'resolution',
    f.widthPx / 360,
    'px/°',
    f.widthPx >= 4096 ? 'good' : f.widthPx >= 1024 ? 'doubtful' : 'lost',
    f.widthPx >= 4096 ? 'enough for sharp reflections' : 'enough for light, soft in reflections',
  );
  return out;
}

/** What a file held that no light makes, and what was done with it. */
function oddWords({ negativeSr, deepest, notFinite, singleChannel }: OddPixels): string {
  return [
    negativeSr > 0 ? `negative values (the deepest ${deepest.toPrecision(2)} of the mean) are taken as 0` : '',
    notFinite > 0 ? `${notFinite} pixels without a finite value are taken from their neighbours` : '',
    singleChannel > 0 ? `${singleChannel} pixels of one channel alone are taken from their neighbours` : '',
  ]
    .filter(Boolean)
    .join('; ');
}

function whereClipped({ clippedPlaces = [] }: CheckFacts): string {
  if (clippedPlaces.length === 0) return '';
  return `${clippedPlaces.map((p) => `azimuth ${p.azimuthDeg.toFixed(0)}°, elevation ${p.elevationDeg.toFixed(0)}°`).join('; ')} (in the panorama). `;
}
