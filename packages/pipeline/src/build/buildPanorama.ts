import {
  brightestRegion, describeGroups, detectImageCircle, fillHoles, groupBrackets, lensFromFov, quaternionFromAttitude, refineViews, rowSolidAngle,
  type Bracket, type Lens, type Quaternion, type RgbImage, type View,
} from '@tawny/core';
import { mapLimited, throwIfCancelled, type RunControl } from '../progress';
import { runInThread, sharedBytes, sharedFloats, THREADS } from '../threads/pool';
import { ladderRung, measureCamera } from './camera';
import { readSourceFrame, type SourceFrame } from './frames';
import { greenPlane } from './mergeView';
import { composeInThreads } from './parallel';
import type { Rig } from './rig';

export interface BuildInput {
  files: { path: string; name: string }[];
  rig: Rig;
  /** Panorama width, even. */
  width: number;
  options?: BuildOptions;
  /** Paths by view when somebody sorted them; left out, the frames' own metadata decide. */
  views?: string[][];
}

/** What may be chosen; a rebuild with others never touches the frames. */
export interface BuildOptions {
  /** Take out what moved between the frames of a bracket. Default true. */
  ghosts?: boolean;
  /** 'file' believes the stated curve and exposures, 'round' measures both. Default 'round'. */
  camera?: 'file' | 'round';
  /** 'metadata' leaves the views where they were said to be, 'features' believes only the pictures. Default 'refined': both. */
  geometry?: 'metadata' | 'features' | 'refined';
  /** 'fill' makes up what no view saw from around it; the mask keeps saying so. Default 'keep': black. */
  nadir?: 'fill' | 'keep';
}

export interface BuildResult {
  /** Linear / X, in the panorama's own frame: the first view looks at azimuth 0. */
  panorama: RgbImage;
  /** 0 covered, 1 clipped, 2 not seen by any view. */
  mask: Uint8Array;
  clippedSr: number;
  uncoveredSr: number;
  /** Lowest radiance at which any view clips. */
  clipLevel: number;
  bracketFrames: number;
  views: { frames: string[]; notes: string[]; starvedFraction: number; clippedFraction: number }[];
  /** Share of the merged pixels taken from one frame because others contradicted it. */
  ghostFraction: number;
  /** Stops between the brightest and the darkest view's light as their overlaps tell; null for a single view. */
  lightDriftStops: number | null;
  /** Real over nominal exposure of every rung, longest first. */
  exposureFactors: number[];
  /** Largest departure of the recovered response from the stated curve, stops; null when the stated curve was used. */
  responseDepartureStops: number | null;
  focalScale: number;
  poly: readonly [number, number];
  /** Entrance pupil ahead of the axis over the axis's height. */
  pupilShare: number;
  /** Overlap residual after refinement in stops; null for a single view. */
  seamStops: number | null;
  pointingSigmaDeg: number | null;
  warnings: string[];
  /** Mid time of the frames when the files tell UTC. */
  midTime: Date | null;
  /** Camera-to-panorama rotation of every view as used. */
  attitudes: Quaternion[];
}

const BORDER_THRESHOLD = 0.01;
/** Gains of the views farther apart than this are a change of the light, not of the camera. */
const LIGHT_CHANGED_STOPS = 0.12;

/**
 * Frames to a linear panorama: group, merge, refine attitudes and vignetting from the overlaps, project, blend.
 * Originals are only read. @throws FileProblem or RangeError naming the file, view or field; Cancelled when the signal fires
 */
export async function buildPanorama(input: BuildInput, control: RunControl = {}): Promise<BuildResult> {
  const { rig, width, options = {} } = input;
  if (!Number.isInteger(width) || width % 2 !== 0 || width < 64 || width > 16384) {
    throw new RangeError(`the panorama's width must be an even number from 64 to 16384, not ${width}`);
  }
  const log = (line: string) => control.onLog?.(line);
  const report = (stage: string, fraction: number) => control.onProgress?.({ stage, fraction });

  report('Reading metadata', 0);
  const frames = await mapLimited(input.files, 4, control, (f) => readSourceFrame(f.path, f.name, rig));
  const warnings = [...new Set(frames.flatMap((f) => f.notes))];
  const grouping = input.views ? describeGroups(input.views.map((paths) => frames.filter((f) => paths.includes(f.path)))) : groupBrackets(frames);
  const brackets = grouping.brackets;
  if (brackets.length !== rig.views) {
    throw new RangeError(
      `the ${frames.length} frames form ${brackets.length} bracket${brackets.length === 1 ? '' : 's'} but the rig states ${rig.views} view${rig.views === 1 ? '' : 's'}: correct the number of views, or find the frames that are missing or too many`,
    );
  }
  brackets.forEach((b, i) => b.notes.forEach((n) => warnings.push(`view ${i + 1} ${n}`)));
  log(`${frames.length} frames in ${brackets.length} views of ${grouping.ladder.length} exposures`);
  warnings.forEach((w) => log(`note: ${w}`));

  const { width: w, height: h } = frames[0];
  report('Measuring the camera', 0.03);
  const camera = options.camera === 'file' ? { exposureFactors: grouping.ladder.map(() => 1), response: null, warnings: [], log: [] } : await measureCamera(brackets, grouping.ladder, rig.curve, control);
  camera.log.forEach(log);
  warnings.push(...camera.warnings);
  let merged = 0;
  const views = await mapLimited(brackets, THREADS, control, async (bracket, index) => {
    const image: RgbImage = { width: w, height: h, data: sharedFloats(w * h * 3) };
    const clipped = sharedBytes(w * h);
    const facts = await runInThread(
      'mergeView',
      {
        frames: bracket.frames.map(({ path, name, exposure }) => ({ path, name, exposure: exposure * camera.exposureFactors[ladderRung(grouping.ladder, exposure)] })),
        width: w, height: h, curve: rig.curve, tables: camera.response?.tables, ghosts: options.ghosts ?? true, pixels: image.data, clipped,
      },
      control,
    );
    report(`Merged view ${index + 1} of ${brackets.length}`, 0.05 + (0.45 * ++merged) / brackets.length);
    log(`view ${index + 1}: ${bracket.frames.length} frames, ${(100 * facts.clippedFraction).toFixed(3)} % clipped${facts.ghostFraction > 0.001 ? `, ${(100 * facts.ghostFraction).toFixed(1)} % moved` : ''}`);
    return { image, clipped, bracket, facts };
  });
  throwIfCancelled(control);

  const lens = lensOf(rig, views[0].image, log);
  let placed: View[] = views.map((v, i) => ({
    image: v.image,
    clipped: v.clipped,
    lens,
    attitude: quaternionFromAttitude(nominalAttitude(rig, i)),
    logGain: 0,
    vignetting: [0, 0, 0],
  }));
  let seamStops: number | null = null;
  let pointingSigmaDeg: number | null = null;
  let lightDriftStops: number | null = null;
  let geometry: { focalScale: number; poly: readonly [number, number]; pupilShare: number } = { focalScale: 1, poly: lens.poly ?? [0, 0], pupilShare: 0 };
  if (placed.length > 1 && options.geometry !== 'metadata') {
    report('Fitting the views together', 0.52);
    const fit = refineViews(placed, options.geometry === 'features' ? { pointingPriorDeg: 60, focalPrior: 1 } : {});
    const refined: Lens = { ...lens, focalPx: lens.focalPx * fit.focalScale, poly: fit.poly };
    placed = placed.map((v, i) => ({ ...v, lens: refined, attitude: fit.attitudes[i], logGain: fit.logGains[i], vignetting: fit.vignetting, pupilShare: fit.pupilShare }));
    seamStops = fit.residualStops;
    pointingSigmaDeg = Math.max(...fit.pointingSigmaDeg);
    geometry = fit;
    lightDriftStops = (Math.max(...fit.logGains) - Math.min(...fit.logGains)) / Math.LN2;
    if (lightDriftStops > LIGHT_CHANGED_STOPS) {
      const stops = fit.logGains.map((g) => `${g >= 0 ? '+' : '−'}${Math.abs(g / Math.LN2).toFixed(2)}`).join(', ');
      warnings.push(`the light changed by ${lightDriftStops.toFixed(2)} stop during the round (views in order: ${stops} stop); they are brought to their mean, the light itself is not`);
    }
    log(`fitted ${fit.samples} overlap samples: residual ${fit.residualStops.toFixed(3)} stop, focal length x ${fit.focalScale.toFixed(5)}, polynomial ${fit.poly.map((v) => v.toFixed(5)).join(', ')}, pupil ${(1000 * fit.pupilShare).toFixed(1)} mm ahead for every metre of height`);
  }
  throwIfCancelled(control);

  const height = width / 2;
  const regions = placed.length > 1 ? brightestRegion(placed) : [];
  const { panorama, mask } = await composeInThreads(placed, width, regions, { ...control, onProgress: (p) => report(p.stage, 0.6 + 0.35 * p.fraction) });

  let clippedSr = 0;
  let uncoveredSr = 0;
  for (let y = 0; y < height; y++) {
    const omega = rowSolidAngle(y, width, height);
    for (let x = 0; x < width; x++) {
      const m = mask[y * width + x];
      if (m === 1) clippedSr += omega;
      else if (m === 2) uncoveredSr += omega;
    }
  }
  const bracketFrames = grouping.ladder.length;
  if (bracketFrames === 1) warnings.push('a single exposure: good for reflections, its highlights are not measured');
  const filled = options.nadir === 'fill' && uncoveredSr > 0;
  if (filled) fillHoles(panorama, mask);
  if (uncoveredSr > 0.002) warnings.push(`${((100 * uncoveredSr) / (4 * Math.PI)).toFixed(1)} % of the sphere is seen by no view and ${filled ? 'is filled in from around it' : 'stays black'}`);
  log(`clipped ${clippedSr.toExponential(2)} sr, not covered ${uncoveredSr.toFixed(4)} sr`);
  report('Built', 1);
  return {
    panorama, mask, clippedSr, uncoveredSr, bracketFrames,
    clipLevel: Math.min(...views.map((v) => v.facts.clipLevel)),
    views: views.map((v) => ({
      frames: v.bracket.frames.map((f) => f.name),
      notes: v.bracket.notes,
      starvedFraction: v.facts.starvedFraction,
      clippedFraction: v.facts.clippedFraction,
    })),
    ghostFraction: views.reduce((sum, v) => sum + v.facts.ghostFraction, 0) / views.length, lightDriftStops, exposureFactors: camera.exposureFactors,
    responseDepartureStops: camera.response?.departureStops ?? null, focalScale: geometry.focalScale, poly: geometry.poly, pupilShare: geometry.pupilShare, seamStops, pointingSigmaDeg, warnings, midTime: middle(brackets), attitudes: placed.map((v) => v.attitude),
  };
}

/** Where the rig's words put a view: equal heading steps; a one-shot panorama keeps its own columns. */
function nominalAttitude(rig: Rig, index: number) {
  if (rig.projection === 'latlong') return { headingDeg: 180, tiltDeg: 0, rollDeg: 0 };
  const step = (rig.anticlockwise ? -360 : 360) / rig.views;
  return { headingDeg: step * index, tiltDeg: rig.tiltDeg ?? 0, rollDeg: 0 };
}

function lensOf(rig: Rig, image: RgbImage, log: (line: string) => void): Lens {
  const size = { width: image.width, height: image.height };
  if (rig.projection === 'latlong') {
    if (image.width !== 2 * image.height) {
      throw new RangeError(`the frames are ${image.width} x ${image.height} pixels: a latitude-longitude frame is twice as wide as high`);
    }
    return lensFromFov('latlong', 360, size);
  }
  if (rig.fovAcross && rig.fovAcross !== 'circle') return lensFromFov(rig.projection, rig.fovDeg, size, rig.fovAcross);
  const plane = greenPlane(image);
  const level = meanOf(plane, image.width, image.height);
  const circle = rig.projection === 'rectilinear' ? null : detectImageCircle(plane, image.width, image.height, BORDER_THRESHOLD * level);
  if (circle !== null) {
    log(`image circle of ${circle.toFixed(0)} px found: the ${rig.fovDeg} degrees span it`);
    return lensFromFov(rig.projection, rig.fovDeg, size, 'circle', circle);
  }
  log(`no image circle inside the frames: the ${rig.fovDeg} degrees span the long side`);
  return lensFromFov(rig.projection, rig.fovDeg, size, 'longSide');
}

/** Geometric mean brightness of the middle of the picture. */
function meanOf(plane: Float32Array, width: number, height: number): number {
  let sum = 0;
  let n = 0;
  for (let y = Math.floor(height / 4); y < (3 * height) / 4; y += 4) {
    for (let x = Math.floor(width / 4); x < (3 * width) / 4; x += 4) {
      const v = plane[y * width + x];
      if (v > 0) {
        sum += Math.log(v);
        n++;
      }
    }
  }
  return n > 0 ? Math.exp(sum / n) : 0;
}

function middle(brackets: Bracket<SourceFrame>[]): Date | null {
  const frames = brackets.flatMap((b) => b.frames);
  if (!frames.every((f) => f.takenAtMs !== null && f.metadata.hasUtcOffset)) return null;
  const times = frames.map((f) => f.takenAtMs!);
  return new Date((Math.min(...times) + Math.max(...times)) / 2);
}
