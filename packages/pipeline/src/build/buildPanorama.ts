import {
  brightestRegion,
  CLIPPED,
  directionFromAngles,
  fillHoles,
  LIMITS,
  MOVED,
  rowSolidAngle,
  UNSEEN,
  USUAL_MOVED_STOPS,
  type Grouping,
  type KeptResponse,
  type MovedThing,
  type Quaternion,
  type RgbImage,
  type View,
  type WholeRegion,
} from '@tawny/core';
import { throwIfCancelled, type RunControl } from '../progress';
import { renewThreads, runInThread } from '../threads/pool';
import { believed, measureCamera, type CameraFacts } from './camera';
import { fitViews, levelViews, type FittedViews } from './fitViews';
import type { SourceFrame } from './frames';
import { cutTripod, fullPanorama, WHOLE_MOST_PX, type FullPanorama } from './fullPanorama';
import { gatherFrames, type RoundFrames } from './gatherFrames';
import { MergedStore } from './mergedStore';
import { mergeViews, type MergedBracket } from './mergeViews';
import { composeInThreads } from './parallel';
import { bracketsOf, lensesOf, startingAttitudes } from './placeViews';
import type { Rig } from './rig';
import { mendedWords, steadied, steadyOnly } from './steadied';

export interface BuildInput extends RoundFrames {
  /** Panorama width, even. */
  width: number;
  /** Wider ones are held whole at this width and written strip by strip. Default `WHOLE_MOST_PX`. */
  wholeMostPx?: number;
  options?: BuildOptions;
  /** Folder for merged views, so that a build that was killed goes on from them; cleared at the end. Left out, nothing is kept. */
  workFolder?: string;
}

/** What may be chosen; a rebuild with others never touches the frames. */
export interface BuildOptions {
  /** Take out what moved between the frames of a bracket. Default true. */
  moved?: boolean;
  /** By how many stops frames must differ to count as moved. Default a third. */
  movedStops?: number;
  /** Places of the panorama (its own frame) that are to be taken whole from one view, counted from 0. */
  areas?: readonly ChosenArea[];
  /** 'file' believes the stated curve and exposures, 'round' measures both. Default 'round'. */
  camera?: 'file' | 'round';
  /** 'metadata' leaves the views where they were said to be, 'features' believes only the pictures. Default 'refined': both. */
  geometry?: 'metadata' | 'features' | 'refined';
  /** 'fill' makes up what no view saw from around it; the mask keeps saying so. Default 'keep': black. */
  nadir?: 'fill' | 'keep';
  /** What lies within this many degrees of straight down is the tripod: it counts as not seen. Default 0. */
  tripodDeg?: number;
  /** Turn the panorama so that what stands upright does. Default true. */
  level?: boolean;
}

export interface ChosenArea {
  azimuthDeg: number;
  elevationDeg: number;
  radiusDeg: number;
  view: number;
}

export interface BuildResult {
  /** Linear / X, in the panorama's own frame: the first view looks at azimuth 0. At most `wholeMostPx` wide. */
  panorama: RgbImage;
  /** The panorama at the width that was asked for, when that is more: written strip by strip. */
  full: FullPanorama | null;
  /** COVERED, CLIPPED, UNSEEN or MOVED, see core's `sphere/mask.ts`. */
  mask: Uint8Array;
  /** Relative standard uncertainty of every pixel, see `encodeUncertainty`. */
  uncertainty: Uint8Array;
  clippedSr: number;
  uncoveredSr: number;
  /** Lowest radiance at which any view clips. */
  clipLevel: number;
  bracketFrames: number;
  /** Who tells the camera's response, see `CameraFacts`. */
  responseFrom: CameraFacts['responseFrom'];
  views: { frames: string[]; notes: string[]; starvedFraction: number; clippedFraction: number }[];
  /** Share of the merged pixels taken from one frame because others contradicted it. */
  movedFraction: number;
  /** Solid angle of the panorama that comes from one frame for that reason. */
  movedSr: number;
  /** Things that moved between views, each taken whole from one. */
  moved: MovedThing[];
  /** Largest shift between the frames of a bracket that was mended, pixels. */
  shakePx: number;
  /** Samples taken for leaking photosites. */
  hotSamples: number;
  /** Mean share of the values that was measured glare; null when the rig has no measurement. */
  glareTaken: number | null;
  /** Stops between the brightest and the darkest view's light as their overlaps tell; null for a single view. */
  lightDriftStops: number | null;
  /** Real over nominal exposure of every rung, longest first. */
  exposureFactors: number[];
  /** Largest departure of the recovered response from the stated curve, stops; null when the stated curve was used. */
  responseDepartureStops: number | null;
  /** The response as the frames told it, for the next round of the rig; null where they told too little. */
  responseTaught: KeptResponse | null;
  focalScale: number;
  /** 95 % half width of it as a share; null when nothing was fitted. */
  focalUncertainty: number | null;
  poly: readonly [number, number];
  /** See `FittedViews.placementDeg`. */
  placementDeg: FittedViews['placementDeg'];
  /** See `FittedViews.falloff`. */
  falloff: FittedViews['falloff'];
  /** Entrance pupil ahead of the axis over the axis's height. */
  pupilShare: number;
  /** By how much views differ where they overlap, beyond what their noise explains, in stops; null for a single view. */
  seamStops: number | null;
  pointingSigmaDeg: number | null;
  /** What upright things say of the level, before it was mended; null when they say too little. */
  level: { tiltDeg: number; uncertaintyDeg: number; mended: boolean } | null;
  warnings: string[];
  /** Path of the shortest frame of the view that the brightest light is taken from: the one that holds the sun when any does. */
  brightestFrame: string;
  /** Camera-to-panorama rotation of every view as used. */
  attitudes: Quaternion[];
}

/** A view of which less than this is neither black nor white holds nothing. */
const LEAST_HELD = 0.002;

/**
 * Frames to a linear panorama: group, merge, refine attitudes and vignetting from the overlaps, level, project, blend.
 * Originals are only read; a frame that cannot be read is named and left out. @throws FileProblem or RangeError naming the file, view or field; Cancelled when the signal fires
 */
export async function buildPanorama(input: BuildInput, control: RunControl = {}): Promise<BuildResult> {
  const { rig, width, options = {} } = input;
  if (!Number.isInteger(width) || width % 2 !== 0 || width < 64 || width > 16384) {
    throw new RangeError(`the panorama's width must be an even number from 64 to 16384, not ${width}`);
  }
  const log = (line: string) => control.onLog?.(line);
  const report = (stage: string, fraction: number) => control.onProgress?.({ stage, fraction });

  report('Reading metadata', 0);
  const { frames, warnings, grouping } = await gatherFrames(input, control);
  const { brackets } = grouping;
  assertBrackets(grouping, frames.length, rig);
  const areas = chosenAreas(options.areas ?? [], rig.views);
  brackets.forEach((b, i) => b.notes.forEach((n) => warnings.push(`view ${i + 1} ${n}`)));
  if (grouping.exposuresFrom === 'pictures')
    warnings.push('views and exposures are taken from the pictures: look whether every view is whole');
  log(`${frames.length} frames in ${brackets.length} views of ${grouping.ladder.length} exposures`);
  warnings.forEach((w) => log(`note: ${w}`));

  report('Measuring the camera', 0.03);
  // Where the files are believed nothing of them is judged.
  const steady = options.camera === 'file' ? null : await steadied(brackets, control);
  const mended = steady && mendedWords(brackets, steady);
  if (mended) warnings.push(mended);
  const camera: CameraFacts =
    steady === null
      ? believed(grouping.ladder)
      : await measureCamera(
          steadyOnly(brackets, steady),
          grouping.ladder,
          brackets[0].frames[0].curve,
          grouping.exposuresFrom,
          rig.learned?.response,
          control,
        );
  camera.log.forEach(log);
  warnings.push(...camera.warnings);
  const store = input.workFolder ? new MergedStore(input.workFolder) : null;
  const merged = await mergeViews(
    brackets,
    grouping.ladder,
    camera,
    {
      takeOut: options.moved === false ? false : (options.movedStops ?? USUAL_MOVED_STOPS),
      align: true,
      factors: steady && steady.factors,
      store,
    },
    control,
    (done) => report(`Merged view ${done} of ${brackets.length}`, 0.05 + (0.45 * done) / brackets.length),
  );
  const wholeMostPx = input.wholeMostPx ?? WHOLE_MOST_PX;
  if (width > wholeMostPx) renewThreads();
  throwIfCancelled(control);
  assertHeld(merged.views, warnings);

  const start = placeViews(rig, merged.views, input.files, log);
  let glareTaken: number | null = null;
  if (rig.glare) {
    report('Taking out the glare', 0.5);
    const shares = await Promise.all(
      start
        .filter((v, i, all) => all.findIndex((w) => w.image === v.image) === i)
        .map((v) => runInThread('removeGlare', { image: v.image, lens: v.lens, curve: rig.glare!.curve }, control)),
    );
    glareTaken = shares.reduce((s, v) => s + v, 0) / shares.length;
    log(`measured glare: ${(100 * glareTaken).toFixed(1)} % of the values on average, given back to its sources`);
  }
  report('Fitting the views together', 0.52);
  const fit = await fitViews(start, options.geometry ?? 'refined', rig.learned, control);
  warnings.push(...fit.warnings);
  throwIfCancelled(control);
  const levelled =
    fit.views.length > 1 && options.geometry !== 'metadata' && options.level !== false
      ? await levelViews(fit.views, control)
      : { views: fit.views, level: null };
  const placed = levelled.views;

  report('Matching the views', 0.58);
  const brightest = placed.length > 1 ? brightestRegion(placed) : [];
  const regions = placed.length > 1 ? [...areas, ...brightest] : [];
  const { views: ready, moved } = await matched(placed, regions, fit.residualStops, options, control);
  moved.forEach((m) =>
    log(
      `something stands at azimuth ${m.azimuthDeg.toFixed(1)}°, elevation ${m.elevationDeg.toFixed(1)}° (${m.solidAngleSr.toFixed(4)} sr) in some views only: taken whole from view ${m.view + 1}`,
    ),
  );
  const whole = Math.min(width, wholeMostPx);
  const tripodDeg = options.tripodDeg ?? 0;
  const { panorama, mask, uncertainty } = await composeInThreads(ready, whole, regions, {
    ...control,
    onProgress: (p) => report(p.stage, 0.6 + 0.35 * p.fraction),
  });
  cutTripod({ y0: 0, y1: whole / 2, rgb: panorama.data, mask, uncertainty }, whole, tripodDeg);
  const { clippedSr, uncoveredSr, movedSr } = maskAreas(mask, whole);
  const bracketFrames = grouping.ladder.length;
  if (bracketFrames === 1 && frames[0].bits !== 32)
    warnings.push('a single exposure: good for reflections, its highlights are not measured');
  const filled = options.nadir === 'fill' && uncoveredSr > 0;
  if (filled) fillHoles(panorama, mask);
  if (uncoveredSr > LIMITS.notSeen.good)
    warnings.push(
      `${((100 * uncoveredSr) / (4 * Math.PI)).toFixed(1)} % of the sphere is seen by no view and ${filled ? 'is filled in from around it' : 'stays black'}`,
    );
  log(`clipped ${clippedSr.toExponential(2)} sr, not covered ${uncoveredSr.toFixed(4)} sr`);
  await store?.clear();
  report('Built', 1);
  const facts = merged.views.map((v) => v.facts);
  return {
    panorama,
    full:
      whole < width
        ? fullPanorama({ views: ready, regions, width, tripodDeg, filling: filled ? panorama : null })
        : null,
    mask,
    uncertainty,
    clippedSr,
    uncoveredSr,
    movedSr,
    moved,
    bracketFrames,
    responseFrom: camera.responseFrom,
    clipLevel: Math.min(...facts.map((f) => f.clipLevel)),
    views: merged.views.map((v) => ({
      frames: v.bracket.frames.map((f) => f.name),
      notes: v.bracket.notes,
      starvedFraction: v.facts.starvedFraction,
      clippedFraction: v.facts.clippedFraction,
    })),
    movedFraction: facts.reduce((sum, f) => sum + f.movedFraction, 0) / facts.length,
    shakePx: Math.max(...facts.map((f) => f.shakePx)),
    hotSamples: merged.hotSamples,
    glareTaken,
    lightDriftStops: fit.lightDriftStops,
    exposureFactors: camera.exposureFactors,
    responseDepartureStops: camera.response?.departureStops ?? null,
    responseTaught: camera.taught,
    focalScale: fit.focalScale,
    focalUncertainty: fit.focalUncertainty,
    poly: fit.poly,
    placementDeg: fit.placementDeg,
    falloff: fit.falloff,
    pupilShare: fit.pupilShare,
    seamStops: fit.seamStops,
    pointingSigmaDeg: fit.pointingSigmaDeg,
    level: levelled.level && {
      tiltDeg: levelled.level.tiltDeg,
      uncertaintyDeg: levelled.level.uncertaintyDeg,
      mended: placed !== fit.views,
    },
    warnings,
    brightestFrame: brightestFrame(merged.views, brightest, ready.length),
    attitudes: placed.map((v) => v.attitude),
  };
}

function assertBrackets(grouping: Grouping<SourceFrame>, frames: number, rig: Rig): void {
  const wanted = bracketsOf(rig);
  const n = grouping.brackets.length;
  if (n === wanted) return;
  const doubts = grouping.brackets.flatMap((b, i) => b.notes.map((note) => `view ${i + 1} ${note}`)).slice(0, 3);
  throw new RangeError(
    `the ${frames} frames form ${n} bracket${n === 1 ? '' : 's'} but the rig states ${wanted} view${wanted === 1 ? '' : 's'}: correct the number of views, or find the frames that are missing or too many${doubts.length > 0 ? ` (${doubts.join('; ')})` : ''}`,
  );
}

/** @throws RangeError when no view holds anything; names views that alone do not */
function assertHeld(views: readonly MergedBracket[], warnings: string[]): void {
  const dark = views.map((v) => v.facts.starvedFraction > 1 - LEAST_HELD);
  const white = views.map((v) => v.facts.clippedFraction > 1 - LEAST_HELD);
  if (dark.every(Boolean))
    throw new RangeError('every frame is black: nothing but noise in them (lens cap, or far too short)');
  if (white.every(Boolean)) throw new RangeError('every frame is white: even the shortest is clipped all over');
  dark.forEach((d, i) => d && warnings.push(`view ${i + 1} is black`));
  white.forEach((w, i) => w && warnings.push(`view ${i + 1} is white all over`));
}

/** Views where the frames or the rig's words put them. */
function placeViews(
  rig: Rig,
  merged: readonly MergedBracket[],
  files: BuildInput['files'],
  log: (line: string) => void,
): View[] {
  const lenses = lensesOf(rig, merged[0].image, log);
  const known = new Map(files.map((f) => [f.path, f.attitude]));
  const stated = merged.flatMap((m) => {
    const frame = m.bracket.frames[0];
    const own = known.get(frame.path) ?? frame.metadata.attitude;
    return lenses.map((_, side) =>
      side === 0
        ? own
        : own && { ...own, headingDeg: own.headingDeg + 180, tiltDeg: -own.tiltDeg, rollDeg: -own.rollDeg },
    );
  });
  const attitudes = startingAttitudes(rig, stated);
  if (stated.every((a) => a !== null)) log('the frames tell where they looked: the fit starts from there');
  return merged.flatMap((m, k) =>
    lenses.map((lens, side): View => ({
      image: m.image,
      clipped: m.clipped,
      uncertainty: m.uncertainty,
      moved: m.moved,
      lens,
      attitude: attitudes[k * lenses.length + side],
      logGain: 0,
      vignetting: [0, 0, 0],
    })),
  );
}

/** @throws RangeError for a view that is not there */
function chosenAreas(areas: readonly ChosenArea[], views: number): WholeRegion[] {
  return areas.map((a, i) => {
    if (!(a.view >= 0 && a.view < views))
      throw new RangeError(`area ${i + 1} is to come from view ${a.view + 1}, but there are ${views}`);
    return { direction: directionFromAngles(a.azimuthDeg, a.elevationDeg), radiusDeg: a.radiusDeg, view: a.view };
  });
}

/** Views with maps of how they give way to each other; views that stay where metadata put them hand over broadly, for they do not fit. */
async function matched(
  views: View[],
  regions: WholeRegion[],
  seamStops: number,
  options: BuildOptions,
  control: RunControl,
): Promise<{ views: View[]; moved: MovedThing[] }> {
  if (views.length < 2 || options.geometry === 'metadata') return { views, moved: [] };
  const { blends, moved } = await runInThread('matchViews', { views, regions, seamStops }, control);
  return { views: views.map((v, i) => ({ ...v, blend: blends[i] })), moved };
}

function maskAreas(mask: Uint8Array, width: number): { clippedSr: number; uncoveredSr: number; movedSr: number } {
  const height = width / 2;
  let [clippedSr, uncoveredSr, movedSr] = [0, 0, 0];
  for (let y = 0; y < height; y++) {
    const omega = rowSolidAngle(y, width, height);
    for (let x = 0; x < width; x++) {
      const m = mask[y * width + x];
      if (m === CLIPPED) clippedSr += omega;
      else if (m === UNSEEN) uncoveredSr += omega;
      else if (m === MOVED) movedSr += omega;
    }
  }
  return { clippedSr, uncoveredSr, movedSr };
}

/** The shortest frame of the view that the brightest light comes from. */
function brightestFrame(merged: readonly MergedBracket[], regions: readonly WholeRegion[], views: number): string {
  const region = regions[regions.length - 1];
  // Cameras of two lenses put two views into one bracket.
  const bracket = region ? Math.floor((region.view * merged.length) / views) : 0;
  const { frames } = merged[bracket].bracket;
  return frames.reduce((a, b) => (b.exposure < a.exposure ? b : a)).path;
}
