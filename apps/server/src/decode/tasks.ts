import { readFile } from 'node:fs/promises';
import { boxShrink, decodePicture, usualDecoding } from '@tawny/core';
import {
  decodeFrame,
  exrMetadata,
  isExr,
  readClf,
  readFrameHead,
  type FrameHead,
  type ImageMetadata,
} from '@tawny/formats';
import { previewJpeg, readSourceFrame, simulatePhone, testFrame } from '@tawny/pipeline';
import { comparePictures } from './compare';
import {
  characterOfPlate,
  chartOnPanorama,
  chartOnPlate,
  regionsOnPanorama,
  regionsOnPlate,
  lightOfPlate,
  measureOnPanorama,
  measureOnPlate,
} from './patches';
import { proposals } from './proposals';
import { measureSurface } from './surfaces';
import { probeVideo, videoFrame, videoPlate } from './video';

/** What a file says of itself without its pixels; OpenEXR files tell speed and focus as well. */
export interface FileFacts extends ImageMetadata {
  widthPx: number | null;
  heightPx: number | null;
  framesPerSecond: number | null;
  focusM: number | null;
}

async function fileFacts(path: string, name: string): Promise<FileFacts> {
  const bytes = await readFile(path);
  if (isExr(bytes)) return exrMetadata(bytes, name);
  const { width, height, metadata } = await readFrameHead(path, name);
  return { ...metadata, widthPx: width, heightPx: height, framesPerSecond: null, focusM: null };
}

/** Decodes a picture whole, and makes its preview. */
async function look(
  path: string,
  name: string,
  previewWidth: number,
): Promise<{ head: FrameHead; preview: Uint8Array }> {
  const head = await readFrameHead(path, name);
  const decoded = await decodeFrame(path, name);
  const { width, height, bits } = decoded;
  // A picture whose codes nobody explained is shown as if they were for a display.
  const shown = head.meaning.decoding ?? usualDecoding(bits === 32 ? 32 : 8);
  const small = boxShrink(decodePicture(decoded, shown), Math.max(1, Math.floor(width / previewWidth)));
  return { head: { ...head, width, height, bits }, preview: await previewJpeg(small) };
}

async function imageHeads(list: readonly { path: string; name: string }[]) {
  const heads: Pick<FrameHead & { name: string }, 'name' | 'width' | 'height' | 'meaning' | 'metadata'>[] = [];
  for (const { path, name } of list) {
    const { width, height, meaning, metadata } = await readFrameHead(path, name);
    heads.push({ name, width, height, meaning, metadata });
  }
  return heads;
}

/** What a Common LUT Format file says of itself; every step of it is read. */
async function readCurve(path: string, name: string) {
  const { name: title, input, output } = readClf(await readFile(path), name);
  return { name: title, input, output };
}

/** All that is done with bytes from outside on behalf of a request; every file that is refused is a FileProblem naming it. */
export const DECODE_TASKS = {
  fileFacts,
  look,
  imageHeads,
  readSourceFrame,
  testFrame,
  comparePictures,
  measureOnPlate,
  measureOnPanorama,
  characterOfPlate,
  chartOnPlate,
  regionsOnPanorama,
  regionsOnPlate,
  chartOnPanorama,
  measureSurface,
  lightOfPlate,
  proposals,
  readCurve,
  probeVideo,
  videoFrame,
  videoPlate,
  simulatePhone,
};

export type DecodeTasks = typeof DECODE_TASKS;
export type DecodeTask = keyof DecodeTasks;

/** Does a task somewhere: in a process of its own for the server, at once in a worker, which is one. */
export interface Decoder {
  run<K extends DecodeTask>(task: K, ...args: Parameters<DecodeTasks[K]>): Promise<Awaited<ReturnType<DecodeTasks[K]>>>;
}

type AnyTask = (...args: unknown[]) => Promise<unknown>;
export const taskOf = (name: DecodeTask): AnyTask => DECODE_TASKS[name] as unknown as AnyTask;

/** For processes that may be lost without harm to others. */
export const inThisProcess: Decoder = {
  run: (task, ...args) => taskOf(task)(...args) as Promise<never>,
};
