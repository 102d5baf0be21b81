import { readFile } from 'node:fs/promises';
import { boxShrink, linearFromCodes } from '@tawny/core';
import {
  decodeFrame,
  exrMetadata,
  isExr,
  readFrameHead,
  readImageHead,
  type FrameHead,
  type ImageMetadata,
} from '@tawny/formats';
import { previewJpeg, readSourceFrame, simulatePhone, testFrame } from '@tawny/pipeline';
import { comparePictures } from './compare';
import { probeVideo, videoFrame } from './video';

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
  const small = boxShrink(linearFromCodes(decoded), Math.max(1, Math.floor(width / previewWidth)));
  return { head: { ...head, width, height, bits }, preview: await previewJpeg(small) };
}

async function imageHeads(list: readonly { path: string; name: string }[]) {
  const heads: { name: string; width: number; height: number }[] = [];
  for (const { path, name } of list) {
    const { width, height } = await readImageHead(await readFile(path), name);
    heads.push({ name, width, height });
  }
  return heads;
}

/** All that is done with bytes from outside on behalf of a request; every file that is refused is a FileProblem naming it. */
export const DECODE_TASKS = {
  fileFacts,
  look,
  imageHeads,
  readSourceFrame,
  testFrame,
  comparePictures,
  probeVideo,
  videoFrame,
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
