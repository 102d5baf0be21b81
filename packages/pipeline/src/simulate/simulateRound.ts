import {
  createImage,
  illuminance,
  lensFromFov,
  luminance,
  attitudeFromQuaternion,
  fromRotationVector,
  multiply,
  quaternionFromAttitude,
  resampleLatlong,
  anglesFromDirection,
  type Attitude,
  type Lens,
  type RgbImage,
  DEG,
} from '@tawny/core';
import { addSunDisc, createRandom, type SetPoint } from '@tawny/simset';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import type { Rig } from '../build/rig';
import { createScene, discAt, type SetSpec } from './set';
import { FRAME_PAUSE_MS, type FrameKind, type SimulatedFile, type ViewFaults } from './exposeView';
import { planLadder } from './ladder';
import { renderSet } from './renderSet';

export interface SimulateRoundInput {
  spec: SetSpec;
  station: SetPoint;
  views: number;
  frames: number;
  stepEv: number;
  /** Long side of a frame in pixels; the truth panorama has the same width. */
  width: number;
  kind: FrameKind;
  utcOffsetMinutes: number;
  /** Angle of the lens's image circle, degrees; 185 when left out. */
  fovDeg?: number;
  /** The sun goes on while the round is shot: every view sees it where it stands at the middle of its bracket. */
  sunMoves?: boolean;
  /** What the camera's clock shows beyond true time, seconds: the files say it. */
  clockOffsetS?: number;
  /** One-sigma error of each view's heading, degrees; tilt and roll have about a third of it. */
  pointingErrorDeg?: number;
  faults?: RoundFaults;
}

/** Off-model effects: what real rounds have and no metadata tells (QUALITY.md, no inverse crime). */
export interface RoundFaults {
  /** One-sigma error of every shutter speed, the same in all views. */
  shutterSigma?: number;
  filmLikeCurve?: boolean;
  /** Odd polynomial of the real lens. */
  poly?: [number, number];
  /** Real over stated focal length. */
  focalFactor?: number;
  veil?: number;
  blurPx?: number;
  /** Entrance pupil ahead of the rotation axis, metres. */
  pupilM?: number;
  /** A cloud comes over: the view from which it is there. */
  cloudFromView?: number;
  /** Somebody walks once around the camera during the round. */
  walker?: boolean;
  /** Frames that are missing, counted through the round. */
  lost?: number[];
  /** Leaking photosites of the sensor. */
  hot?: { count: number; electronsPerS: number };
  /** Frames of a bracket shaken against each other, pixels. */
  shakePx?: number;
  /** Tilt and roll err as much as headings do. */
  loose?: boolean;
  /** The whole rig leans: towards south and towards west, degrees. */
  lean?: { southDeg: number; westDeg: number };
}

/** What the simulated camera knows and a real one would not tell. */
export interface RoundTruth {
  latitudeDeg: number;
  longitudeDeg: number;
  altitudeM: number;
  utc: string;
  sun: {
    azimuthDeg: number;
    elevationDeg: number;
    diameterDeg: number;
    illuminanceNormal: number;
    luminance: number;
    clippedStops: number;
  };
  /** Heading of the rig's first view: what `align` has to find. */
  rigHeadingDeg: number;
  attitudes: { nominal: Attitude; actual: Attitude }[];
  /** Real over stated focal length and the lens's polynomial. */
  lens: { focalFactor: number; poly: [number, number] };
  /** Real over stated exposure of every rung, longest time last. */
  shutterFactors: number[];
  exposures: {
    file: string;
    view: number;
    shutterS: number;
    iso: number;
    tStop: number;
    ndStops: number;
    exposure: number;
  }[];
  illuminanceHorizontal: number;
}

export interface SimulatedRound {
  files: SimulatedFile[];
  rig: Rig;
  truth: RoundTruth;
}

const CIRCLE_FOV = 185;
/** Error of tilt and roll against that of the heading. */
const LEVEL_SHARE = 0.35;
const VIEW_SPACING_MS = 30000;

/** Real against nominal sensitivity of the demo rig: 0.06 stop that no tag tells. */
const RIG_SENSITIVITY = 2 ** 0.06;

/** Widest rendering of each set: finer would cost minutes and show no more. The loft asks a dozen lights at every point. */
const WIDEST_SET = { quay: 4096, netLoft: 2048 };

/** Width at which a set is rendered for frames of a given long side; never less than the truth panorama wants. */
export function setWidth(width: number, scene: SetSpec['scene'] = 'quay'): number {
  return Math.max(width, Math.min(2 * width, WIDEST_SET[scene]));
}

/**
 * Photographs the simulated set from a station: fisheye views at equal headings, each a bracket, in ordinary files.
 * Deterministic by seed. With fewer than four views the image circle lies whole inside the frame; otherwise the frame stands upright and
 * the circle fills its long side. @throws RangeError for impossible counts and sizes
 */
export async function simulateRound(input: SimulateRoundInput, control: RunControl = {}): Promise<SimulatedRound> {
  const { spec, station, views, frames, stepEv, width } = input;
  if (!Number.isInteger(views) || views < 1 || views > 24)
    throw new RangeError(`views must be a whole number from 1 to 24, not ${views}`);
  if (!Number.isInteger(frames) || frames < 1 || frames > 15)
    throw new RangeError(`frames must be a whole number from 1 to 15, not ${frames}`);
  if (!(stepEv >= 1 / 3 && stepEv <= 4)) throw new RangeError(`the step must be between 1/3 and 4 EV, not ${stepEv}`);
  if (!Number.isInteger(width) || width < 128 || width > 6000 || width % 4 !== 0)
    throw new RangeError(`the width must be a multiple of 4 from 128 to 6000 px, not ${width}`);
  const part = (from: number, to: number): RunControl => ({
    ...control,
    onProgress: (p) => control.onProgress?.({ ...p, fraction: from + (to - from) * p.fraction }),
  });
  const scene = createScene(spec);
  const sun = discAt(scene, station);
  const full = setWidth(width, spec.scene);
  const set = await renderSet(spec, station, { width: full, height: full / 2 }, undefined, part(0, 0.4));
  const typical = typicalLuminance(set);
  const ladder = planLadder(frames, stepEv, Math.max(...sun.radiance, brightestChannel(set), typical * 20), typical);

  const circular = views < 4;
  const frameWidth = circular ? Math.round((width * 2) / 3) : Math.round((width * 2) / 6) * 2;
  const frameHeight = circular ? frameWidth : width;
  const { faults = {}, fovDeg = CIRCLE_FOV } = input;
  const stated = lensFromFov('equidistant', fovDeg, { width: frameWidth, height: frameHeight }, 'longSide');
  const lens: Lens = {
    ...stated,
    focalPx: stated.focalPx * (faults.focalFactor ?? 1),
    ...(faults.poly ? { poly: faults.poly } : {}),
  };
  const random = createRandom(spec.seed, 'rig');
  const rigHeadingDeg = Math.round(random.next() * 3600) / 10;
  const sigma = input.pointingErrorDeg ?? 0.12;
  const { southDeg, westDeg } = faults.lean ?? { southDeg: 0, westDeg: 0 };
  const lean = fromRotationVector([southDeg * DEG, 0, westDeg * DEG]);
  const attitudes = Array.from({ length: views }, (_, v) => {
    const nominal: Attitude = { headingDeg: (rigHeadingDeg + (360 * v) / views) % 360, tiltDeg: 0, rollDeg: 0 };
    const alone: Attitude = {
      headingDeg: nominal.headingDeg + sigma * random.normal(),
      // A levelled rig: its bubble is better than its click stops.
      tiltDeg: (faults.loose ? 1 : LEVEL_SHARE) * sigma * random.normal(),
      rollDeg: (faults.loose ? 1 : LEVEL_SHARE) * sigma * random.normal(),
    };
    const actual = attitudeFromQuaternion(multiply(lean, quaternionFromAttitude(alone)));
    return { nominal, actual };
  });
  const fault = createRandom(spec.seed, 'faults');
  const shutterFactors = ladder.rungs.map(
    () => 1 + (faults.shutterSigma ?? 0) * Math.max(-1.5, Math.min(1.5, fault.normal())),
  );
  const clouded = faults.cloudFromView === undefined ? null : { spec: { ...spec, overcast: true } };
  const cloudSet =
    clouded && (await renderSet(clouded.spec, station, { width: full, height: full / 2 }, undefined, control));
  /** The set as the entrance pupil of a view sees it: ahead of the axis it moves with the heading. */
  const seenFrom = async (attitude: Attitude) => {
    const ahead = (faults.pupilM ?? 0) * Math.cos(attitude.tiltDeg * DEG);
    if (ahead === 0) return set;
    const point = {
      eastM: station.eastM + ahead * Math.sin(attitude.headingDeg * DEG),
      upM: station.upM,
      northM: station.northM + ahead * Math.cos(attitude.headingDeg * DEG),
    };
    return renderSet(spec, point, { width: full, height: full / 2 }, undefined, control);
  };
  const faultsOf = (view: number): ViewFaults | undefined => {
    if (Object.keys(faults).length === 0) return undefined;
    const shares = ladder.rungs.map(() =>
      faults.cloudFromView !== undefined && view >= faults.cloudFromView ? 0.6 : 0,
    );
    return {
      shutterFactors,
      curve: faults.filmLikeCurve ? 'film-like' : undefined,
      veil: faults.veil,
      blurPx: faults.blurPx,
      hot: faults.hot,
      shakePx: faults.shakePx,
      other:
        cloudSet && clouded ? { set: cloudSet, sun: discAt(createScene(clouded.spec), station), shares } : undefined,
      // He is there for three frames of a bracket, a step on in each.
      walker: faults.walker
        ? {
            headings: ladder.rungs.map((_, k) =>
              k >= 2 && k <= 4 ? attitudes[view].actual.headingDeg - 22 + 14 * (k - 2) : null,
            ),
            widthDeg: 9,
            heightDeg: 46,
          }
        : undefined,
      lost: faults.lost?.filter((n) => Math.floor(n / frames) === view).map((n) => n % frames),
    };
  };
  let done = 0;
  const start = new Date(spec.utc).getTime() - (views * VIEW_SPACING_MS) / 2;
  const bracketMs = ladder.rungs.reduce((ms, r) => ms + 1000 * r.shutterS + FRAME_PAUSE_MS, 0);
  /** The disc as a view sees it while its frames are taken. */
  const sunAt = (view: number) => {
    if (!input.sunMoves) return sun;
    const utc = new Date(start + view * VIEW_SPACING_MS + bracketMs / 2).toISOString();
    return discAt(createScene({ ...spec, utc }), station);
  };
  const perView = await mapLimited(attitudes, THREADS, control, async ({ actual }, view) => {
    const files = await runInThread(
      'exposeView',
      {
        set: await seenFrom(actual),
        sun: sunAt(view),
        lens,
        attitude: quaternionFromAttitude(actual),
        faults: faultsOf(view),
        ladder,
        sensitivity: RIG_SENSITIVITY,
        kind: input.kind,
        seed: spec.seed,
        view,
        startMs: start + view * VIEW_SPACING_MS + 1000 * (input.clockOffsetS ?? 0),
        utcOffsetMinutes: input.utcOffsetMinutes,
        firstNumber: 1 + view * frames,
      },
      control,
    );
    control.onProgress?.({
      stage: `Photographed view ${view + 1} of ${views}`,
      fraction: 0.4 + (0.6 * ++done) / views,
    });
    return files;
  });
  const truthAngles = anglesFromDirection(sun.direction);
  const normal =
    luminance(...(sun.radiance as [number, number, number]), set.space) * 2 * Math.PI * (1 - Math.cos(sun.radius));
  const e = illuminance(set.width > 2048 ? resampleLatlong(set, 2048) : set, [0, 1, 0]);
  return {
    files: perView.flat(),
    rig: {
      projection: 'equidistant',
      fovDeg,
      fovAcross: 'longSide',
      views,
      ndStops: ladder.ndStops,
      transmission: 0.8,
    },
    truth: {
      ...spec.place,
      utc: spec.utc,
      sun: {
        ...truthAngles,
        diameterDeg: (2 * sun.radius) / DEG,
        illuminanceNormal: normal,
        luminance: luminance(...(sun.radiance as [number, number, number]), set.space),
        clippedStops: ladder.sunClippedStops,
      },
      rigHeadingDeg,
      attitudes,
      lens: { focalFactor: faults.focalFactor ?? 1, poly: faults.poly ?? [0, 0] },
      shutterFactors,
      exposures: perView.flatMap((files, view) =>
        files.map((f) => ({
          file: f.name,
          view,
          shutterS: f.shutterS,
          iso: ladder.iso,
          tStop: ladder.tStop,
          ndStops: ladder.ndStops,
          exposure: f.exposure,
        })),
      ),
      illuminanceHorizontal: luminance(...e, set.space) + normal * Math.max(0, sun.direction[1]),
    },
  };
}

/** The truth: the set with its sun, area-averaged, north-aligned, cd/m2. */
export async function truthPanorama(
  spec: SetSpec,
  station: SetPoint,
  width: number,
  control: RunControl = {},
): Promise<RgbImage> {
  const full = setWidth(width, spec.scene);
  const set = await renderSet(spec, station, { width: full, height: full / 2 }, undefined, control);
  const small = resampleLatlong(set, width);
  const out = createImage(width, width / 2, set);
  out.data.set(small.data);
  addSunDisc(out, discAt(createScene(spec), station));
  return out;
}

function brightestChannel(set: RgbImage): number {
  let most = 0;
  for (let i = 0; i < set.data.length; i++) if (set.data[i] > most) most = set.data[i];
  return most;
}

function typicalLuminance(set: RgbImage): number {
  const samples: number[] = [];
  const step = Math.max(1, Math.floor(set.width / 256));
  for (let y = Math.floor(set.height * 0.5); y < set.height; y += step) {
    for (let x = 0; x < set.width; x += step) {
      const i = 3 * (y * set.width + x);
      samples.push(luminance(set.data[i], set.data[i + 1], set.data[i + 2], set.space));
    }
  }
  samples.sort((a, b) => a - b);
  return samples[samples.length >> 1];
}
