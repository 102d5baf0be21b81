import {
  LIMITS,
  RELATIVE_REC709,
  groupBrackets,
  recoverResponse,
  type RecoveredResponse,
  type ResponseSample,
  type RgbImage,
} from '@tawny/core';
import type { RunControl } from '../progress';
import { runInThread } from '../threads/pool';
import { sharedBytes, sharedFloats } from '../threads/shared';
import { believed, ladderRung, measureCamera } from './camera';
import { toColours } from './mergeViews';
import { readSourceFrame, type SourceFrame } from './frames';
import type { Rig } from './rig';

export interface MergeFilesOptions {
  /** What is stated of the frames' code values; wins over their files. */
  meaning?: Pick<Rig, 'curve' | 'primaries'>;
  ndStops: number;
  camera: 'file' | 'round';
  takeOut: boolean;
}

export interface MergedFiles {
  image: RgbImage;
  widthPx: number;
  heightPx: number;
  frames: number;
  clippedFraction: number;
  starvedFraction: number;
  movedFraction: number;
  clipLevel: number;
  exposureFactors: number[];
  responseDepartureStops: number | null;
  warnings: string[];
}

/** What frames of any camera are read with. */
type FramesMeaning = Pick<Rig, 'curve' | 'primaries'>;
const anyRig = (ndStops: number, meaning: FramesMeaning = {}): Rig => ({
  projection: 'rectilinear',
  fovDeg: 60,
  views: 1,
  ndStops,
  ...meaning,
});

async function oneBracket(
  files: readonly { path: string; name: string }[],
  rig: Rig,
): Promise<{ frames: SourceFrame[]; ladder: number[]; exposuresFrom: 'files' | 'pictures' }> {
  const frames = await Promise.all(files.map((f) => readSourceFrame(f.path, f.name, rig)));
  const grouping = groupBrackets(frames);
  if (grouping.brackets.length !== 1)
    throw new RangeError(`the ${frames.length} frames form ${grouping.brackets.length} brackets: merge one at a time`);
  return { frames: grouping.brackets[0].frames, ladder: grouping.ladder, exposuresFrom: grouping.exposuresFrom };
}

/** One bracket of files to a linear picture. @throws FileProblem naming the file, RangeError for frames that are no bracket */
export async function mergeFiles(
  files: readonly { path: string; name: string }[],
  options: MergeFilesOptions,
  control: RunControl = {},
): Promise<MergedFiles> {
  const { frames, ladder, exposuresFrom } = await oneBracket(files, anyRig(options.ndStops, options.meaning));
  const camera =
    options.camera === 'file'
      ? believed(ladder)
      : await measureCamera([{ frames, notes: [] }], ladder, frames[0].curve, exposuresFrom, undefined, control);
  camera.log.forEach((l) => control.onLog?.(l));
  const { width, height } = frames[0];
  const image: RgbImage = { ...RELATIVE_REC709, width, height, data: sharedFloats(width * height * 3) };
  const clipped = sharedBytes(width * height);
  const facts = await runInThread(
    'mergeView',
    {
      frames: frames.map((f) => ({
        path: f.path,
        name: f.name,
        exposure: f.exposure * camera.exposureFactors[ladderRung(ladder, f.exposure)],
      })),
      width,
      height,
      curve: frames[0].curve,
      tables: camera.response?.tables,
      takeOut: options.takeOut,
      align: true,
      pixels: image.data,
      clipped,
    },
    control,
  );
  await toColours([{ image }], frames[0].primaries, control);
  return {
    image,
    widthPx: width,
    heightPx: height,
    frames: frames.length,
    clippedFraction: facts.clippedFraction,
    starvedFraction: facts.starvedFraction,
    movedFraction: facts.movedFraction,
    clipLevel: facts.clipLevel,
    exposureFactors: camera.exposureFactors,
    responseDepartureStops: camera.response?.departureStops ?? null,
    warnings: [...new Set([...frames.flatMap((f) => f.notes), ...camera.warnings])],
  };
}

/** Response of the camera from any number of brackets of 8-bit frames. @throws FileProblem, RangeError */
export async function responseOfFiles(
  files: readonly { path: string; name: string }[],
  meaning: FramesMeaning = {},
): Promise<RecoveredResponse & { exposures: number[]; toneMapped: boolean }> {
  const frames = await Promise.all(files.map((f) => readSourceFrame(f.path, f.name, anyRig(0, meaning))));
  const wide = frames.find((f) => f.bits !== 8);
  if (wide)
    throw new RangeError(
      `${wide.name} has ${wide.bits} bits: those are taken as linear, a response is recovered from 8-bit frames`,
    );
  const grouping = groupBrackets(frames);
  const samples: [ResponseSample[], ResponseSample[], ResponseSample[]] = [[], [], []];
  for (const b of grouping.brackets) {
    const look = await runInThread('sampleView', {
      frames: b.frames.map((f) => ({
        path: f.path,
        name: f.name,
        exposure: f.exposure,
        rung: ladderRung(grouping.ladder, f.exposure),
      })),
      most: 1500,
      width: b.frames[0].width,
      height: b.frames[0].height,
    });
    look.samples?.forEach((list, c) => samples[c].push(...list));
  }
  const response = recoverResponse(samples, grouping.ladder, { prior: grouping.brackets[0].frames[0].curve });
  return { ...response, exposures: grouping.ladder, toneMapped: response.residualRatio > LIMITS.unexplained.lost };
}
