import {
  applyMatrix,
  levelFromVerticals,
  type CheckFacts,
  type ColourMatrix,
  type ExpectedHeight,
  type HeldRatio,
  type LevelEstimate,
  type Matched,
  type RecoveredResponse,
  type Refinement,
  type RgbImage,
} from '@tawny/core';
import { FileProblem, type PanoramaAttributes } from '@tawny/formats';
import { exposeViewTask, type ExposeViewInput } from '../simulate/exposeView';
import { renderStripTask, type RenderStripInput } from '../simulate/renderStrip';
import { mergeViewTask, type MergeViewInput, type MergeViewOutput } from '../build/mergeView';
import { compareFramesTask, type CompareFramesInput } from '../build/compareFrames';
import { sampleViewTask, type SampleViewInput, type SampleViewOutput } from '../build/sampleView';
import { checkViewTask, type CheckViewInput, type CheckViewOutput } from '../build/checkView';
import { mergeBandTask, type MergeBandInput } from '../build/mergeBand';
import { refineTask, type RefineInput } from '../build/refineTask';
import { responseTask, type ResponseInput } from '../build/responseTask';
import { checkPanorama, type CheckedPanorama } from '../panorama/check';
import { matchTask, type MatchInput } from '../build/matchTask';
import { removeGlareTask, type GlareInput } from '../build/glareTask';
import { composeStripTask, type ComposeStripInput } from '../build/composeStrip';
import type { SimulatedFile } from '../simulate/exposeView';

/** Every task that a worker thread can do. */
export interface TaskMap {
  renderStrip: { input: RenderStripInput; output: void };
  exposeView: { input: ExposeViewInput; output: SimulatedFile[] };
  checkView: { input: CheckViewInput; output: CheckViewOutput };
  compareFrames: { input: CompareFramesInput; output: (HeldRatio | null)[] };
  sampleView: { input: SampleViewInput; output: SampleViewOutput };
  response: { input: ResponseInput; output: { response: RecoveredResponse } | { reason: string } };
  mergeBand: { input: MergeBandInput; output: void };
  mergeView: { input: MergeViewInput; output: MergeViewOutput };
  refine: { input: RefineInput; output: Refinement };
  level: { input: { panorama: RgbImage; detailDeg: number }; output: LevelEstimate | null };
  matchViews: { input: MatchInput; output: Matched };
  removeGlare: { input: GlareInput; output: number };
  composeStrip: { input: ComposeStripInput; output: void };
  /** In place, in shared memory. */
  applyMatrix: { input: { pixels: Float32Array; matrix: ColourMatrix }; output: void };
  check: {
    input: {
      panorama: RgbImage;
      attributes: PanoramaAttributes;
      known: Partial<CheckFacts>;
      expected: ExpectedHeight | null;
    };
    output: CheckedPanorama;
  };
}

const TASKS: {
  [K in keyof TaskMap]: (input: TaskMap[K]['input']) => TaskMap[K]['output'] | Promise<TaskMap[K]['output']>;
} = {
  renderStrip: renderStripTask,
  exposeView: exposeViewTask,
  checkView: checkViewTask,
  compareFrames: compareFramesTask,
  sampleView: sampleViewTask,
  response: responseTask,
  mergeBand: mergeBandTask,
  mergeView: mergeViewTask,
  refine: refineTask,
  level: ({ panorama, detailDeg }) => levelFromVerticals(panorama, detailDeg),
  matchViews: matchTask,
  removeGlare: removeGlareTask,
  composeStrip: composeStripTask,
  applyMatrix: ({ pixels, matrix }) => applyMatrix(pixels, matrix),
  check: ({ panorama, attributes, known, expected }) => checkPanorama(panorama, attributes, known, expected),
};

/** A thread's answer: our own errors do not survive the way between threads, so they travel as data. */
export type TaskAnswer<T> = { output: T } | { problem: { code: FileProblem['code']; file: string; detail: string } };

export async function runTask<K extends keyof TaskMap>(
  task: K,
  input: TaskMap[K]['input'],
): Promise<TaskAnswer<TaskMap[K]['output']>> {
  try {
    return { output: await TASKS[task](input) };
  } catch (error) {
    if (error instanceof FileProblem) return { problem: { code: error.code, file: error.file, detail: error.detail } };
    throw error;
  }
}
