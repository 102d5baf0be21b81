import {
  anglesAtPixel,
  anglesFromDirection,
  directionFromAngles,
  luminance,
  quaternionFromAttitude,
  rotate,
  type Quaternion,
  type RgbImage,
  type Vec3,
} from '@tawny/core';
import {
  buildPanorama,
  DEMO_PLACE,
  DEMO_STATION,
  truthPanorama,
  type BuildOptions,
  type BuildResult,
  type RoundFaults,
  type SetSpec,
} from '@tawny/pipeline';
import type { SetPoint } from '@tawny/simset';
import { onDisk, rigRound } from '../onDisk';
import { commonRotation } from './roundTrip';
import { type Section } from './table';

const WIDTH = 1024;

export interface OffModelRound {
  name: string;
  spec: SetSpec;
  station: SetPoint;
  faults: RoundFaults;
  pointingErrorDeg: number;
}

const BASE = { seed: 0, place: DEMO_PLACE, utc: '2026-10-14T15:20:00Z', turbidity: 3 } as const;
/** Everything at once that a real rig has, without one thing that moves or changes. */
const RIG: RoundFaults = { shutterSigma: 0.05, filmLikeCurve: true, blurPx: 0.6, veil: 0.003, loose: true };

/** The rounds of the table: the lens guess 5 % off, views 3 degrees off, a real rig's faults, and one more thing each. */
export function offModelRounds(): OffModelRound[] {
  const quay = (name: string, seed: number, faults: RoundFaults): OffModelRound => ({
    name,
    spec: { ...BASE, scene: 'quay', seed },
    station: DEMO_STATION,
    faults: { ...RIG, ...faults },
    pointingErrorDeg: 3,
  });
  return [
    quay('quay, focal length 5 % long', 21, { focalFactor: 1.05, poly: [0.01, -0.004] }),
    quay('quay, focal length 5 % short, walking figure', 22, {
      focalFactor: 0.95,
      poly: [-0.008, 0.003],
      walker: true,
    }),
    quay('quay, entrance pupil 12 mm ahead of the axis', 23, {
      focalFactor: 1.03,
      poly: [0.006, -0.002],
      pupilM: 0.012,
    }),
    quay('quay, a cloud from the fourth view on', 24, { focalFactor: 0.97, poly: [0.004, 0], cloudFromView: 3 }),
    quay('quay, three frames lost', 25, { focalFactor: 1.04, poly: [-0.004, 0.002], lost: [9, 17, 30] }),
    {
      name: 'net loft, lamps on',
      spec: { ...BASE, scene: 'netLoft', seed: 26, lampsOn: true },
      station: { eastM: 0, upM: 1.6, northM: -0.6 },
      faults: { ...RIG, focalFactor: 1.05, poly: [0.008, -0.003] },
      pointingErrorDeg: 3,
    },
  ];
}

export interface OffModelFigure {
  name: string;
  metadataDeg: number;
  featuresDeg: number;
  bothDeg: number;
  focalPercent: number;
  medianPercent: number;
  p95Percent: number;
  driftStops: number;
  movedPercent: number;
}

/**
 * Median and 95th percentile of radiance against truth beyond 3 m: each cell of `cell` x `cell` pixels against the truth in its own true directions,
 * after one scale. `skip` leaves out directions (east, up, south) of which there is no one truth.
 */
export function stitch(
  built: BuildResult,
  truth: RgbImage,
  common: Quaternion,
  { cell = 1, skip = () => false }: { cell?: number; skip?: (d: Vec3) => boolean } = {},
): { median: number; p95: number } {
  const { width, height, data } = built.panorama;
  const ratios: number[] = [];
  for (let y0 = 0; y0 < height; y0 += cell) {
    for (let x0 = 0; x0 < width; x0 += cell) {
      let [own, true_, whole] = [0, 0, true];
      for (let k = 0; k < cell * cell && whole; k++) {
        const [x, y] = [x0 + (k % cell), y0 + Math.floor(k / cell)];
        const a = anglesAtPixel(x, y, width, height);
        const d = rotate(common, directionFromAngles(a.azimuthDeg, a.elevationDeg));
        whole = d[1] >= -0.54 && !skip(d) && built.mask[y * width + x] === 0;
        const i = 3 * (y * width + x);
        own += luminance(data[i], data[i + 1], data[i + 2], built.panorama.space);
        true_ += lookUp(truth, d);
      }
      if (whole && Number.isFinite(own / true_)) ratios.push(own / true_);
    }
  }
  ratios.sort((p, q) => p - q);
  const scale = ratios[ratios.length >> 1];
  const errors = ratios.map((r) => Math.abs(r / scale - 1)).sort((p, q) => p - q);
  return { median: 100 * errors[errors.length >> 1], p95: 100 * errors[Math.floor(errors.length * 0.95)] };
}

/** Luminance of a panorama in a direction, linear between pixel centres. */
function lookUp(image: RgbImage, d: Vec3): number {
  const a = anglesFromDirection(d);
  const fx = (a.azimuthDeg / 360) * image.width - 0.5;
  const fy = Math.max(0, Math.min(image.height - 1.001, ((90 - a.elevationDeg) / 180) * image.height - 0.5));
  const [xa, ya] = [Math.floor(fx), Math.floor(fy)];
  const [tx, ty] = [fx - xa, fy - ya];
  const at = (x: number, y: number) => {
    const i = 3 * (y * image.width + ((x + image.width) % image.width));
    return luminance(image.data[i], image.data[i + 1], image.data[i + 2], image.space);
  };
  return (
    (at(xa, ya) * (1 - tx) + at(xa + 1, ya) * tx) * (1 - ty) +
    (at(xa, ya + 1) * (1 - tx) + at(xa + 1, ya + 1) * tx) * ty
  );
}

export async function offModelFigure(round: OffModelRound): Promise<OffModelFigure> {
  const shot = await rigRound({
    spec: round.spec,
    station: round.station,
    stepEv: 8 / 3,
    width: WIDTH,
    faults: round.faults,
    pointingErrorDeg: round.pointingErrorDeg,
  });
  const truth = await truthPanorama(round.spec, round.station, WIDTH);
  const actual = shot.truth.attitudes.map((a) => quaternionFromAttitude(a.actual));
  return onDisk(shot, async (files) => {
    const build = (options: BuildOptions) => buildPanorama({ files, rig: shot.rig, width: WIDTH, options });
    const both = await build({});
    const features = await build({ geometry: 'features', camera: 'file', moved: false });
    const rms = (b: BuildResult) => commonRotation(b.attitudes, actual);
    const { common } = rms(both);
    const s = stitch(both, truth, common);
    return {
      name: round.name,
      metadataDeg: commonRotation(
        shot.truth.attitudes.map((a) => quaternionFromAttitude(a.nominal)),
        actual,
      ).rmsDeg,
      featuresDeg: rms(features).rmsDeg,
      bothDeg: rms(both).rmsDeg,
      focalPercent: 100 * (both.focalScale / shot.truth.lens.focalFactor - 1),
      medianPercent: s.median,
      p95Percent: s.p95,
      driftStops: both.lightDriftStops ?? 0,
      movedPercent: 100 * both.movedFraction,
    };
  });
}

/** Brackets of one span and of less, by their step: frames and stops between them. */
const STEPS = [
  [9, 2],
  [7, 8 / 3],
  [6, 3],
  [3, 3],
  [5, 4],
] as const;

/** What the step of a bracket costs in light, with nothing else that moves or changes. */
export async function stepsSection(): Promise<Section> {
  const rounds = offModelRounds().slice(0, 3);
  const rows = [];
  for (const [frames, stepEv] of STEPS) {
    const found: { median: number; p95: number }[] = [];
    for (const { spec, station, faults, pointingErrorDeg } of rounds) {
      const shot = await rigRound({ spec, station, frames, stepEv, width: WIDTH, faults, pointingErrorDeg });
      const truth = await truthPanorama(spec, station, WIDTH);
      const actual = shot.truth.attitudes.map((a) => quaternionFromAttitude(a.actual));
      found.push(
        await onDisk(shot, async (files) => {
          const built = await buildPanorama({ files, rig: shot.rig, width: WIDTH });
          return stitch(built, truth, commonRotation(built.attitudes, actual).common);
        }),
      );
    }
    const each = (f: (x: { median: number; p95: number }) => number) => found.map((x) => f(x).toFixed(2)).join(' / ');
    rows.push({
      what: `${frames} frames, ${stepEv.toFixed(1)} stops apart: radiance against truth, median; 95th percentile`,
      bound: '-',
      measured: `${each((x) => x.median)} %; ${each((x) => x.p95)} %`,
      holds: null,
    });
  }
  return {
    title: 'Steps of a bracket',
    how: 'The first three of the off-model rounds with other brackets: what a wide step costs where the response has to be recovered from the frames themselves.',
    rows,
  };
}

export async function offModelSection(): Promise<Section> {
  const figures: OffModelFigure[] = [];
  for (const round of offModelRounds()) figures.push(await offModelFigure(round));
  const still = figures.filter((f) => !f.name.includes('cloud'));
  const worst = (f: (x: OffModelFigure) => number, list = figures) => Math.max(...list.map((x) => Math.abs(f(x))));
  return {
    title: 'Off-model rounds',
    how: `Six fisheye views x 7 frames at 8/3 EV as 8-bit JPEG, ${WIDTH} px: shutter speeds off by 5 % (one sigma), a film-like response with another curve in each channel, blur of 0.6 px, 0.3 % veil, views 3° off in heading, tilt and roll, focal length 3 to 5 % off with an odd polynomial, and what the name says. "Features only" starts from equal steps with loose priors and believes neither attitude nor focal length.`,
    rows: [
      {
        what: 'view pointing, metadata and features, worst round, rms',
        bound: '0.02°',
        measured: `${worst((f) => f.bothDeg).toFixed(4)}°`,
        holds: worst((f) => f.bothDeg) <= 0.02,
      },
      {
        what: 'stitched radiance against truth beyond 3 m, median, worst round without cloud',
        bound: '2 %',
        measured: `${worst((f) => f.medianPercent, still).toFixed(2)} %`,
        holds: worst((f) => f.medianPercent, still) <= 2,
      },
      {
        what: 'the same, 95th percentile',
        bound: '8 %',
        measured: `${worst((f) => f.p95Percent, still).toFixed(2)} %`,
        holds: worst((f) => f.p95Percent, still) <= 8,
      },
      ...figures.map((f) => ({
        what: `${f.name}: pointing by metadata only / features only / both`,
        bound: '-',
        measured: `${f.metadataDeg.toFixed(3)} / ${f.featuresDeg.toFixed(4)} / ${f.bothDeg.toFixed(4)}°; focal length ${f.focalPercent.toFixed(3)} % off; radiance ${f.medianPercent.toFixed(2)} / ${f.p95Percent.toFixed(2)} %; light drift ${f.driftStops.toFixed(2)} stop; moved ${f.movedPercent.toFixed(1)} %`,
        holds: null,
      })),
    ],
  };
}
