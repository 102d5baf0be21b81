import fs from 'node:fs/promises';
import { photometricExposure, tStopFromFNumber, type FrameFacts } from '@tawny/core';
import { FileProblem, readImageHead, readMetadata, type ImageMetadata } from '@tawny/formats';
import type { Rig } from './rig';

/** A frame on disk with what its file says of it. */
export interface SourceFrame extends FrameFacts {
  path: string;
  bits: 8 | 16;
  metadata: ImageMetadata;
  notes: string[];
}

/** Exposure of a frame from its metadata and the rig; what is missing is assumed equal over the round and said so. @throws FileProblem without a shutter time */
export function frameExposure(metadata: ImageMetadata, rig: Pick<Rig, 'ndStops' | 'transmission'>, name: string): { exposure: number; notes: string[] } {
  if (metadata.shutterS === null) {
    throw new FileProblem('no-exposure', name, 'its metadata holds no exposure time; choose the file as the camera wrote it (messengers and editors strip it)');
  }
  const notes: string[] = [];
  if (metadata.fNumber === null) notes.push('no aperture in the metadata: taken as f/8, the same for all frames');
  if (metadata.iso === null) notes.push('no ISO in the metadata: taken as 100, the same for all frames');
  const exposure = photometricExposure({
    shutterS: metadata.shutterS,
    iso: metadata.iso ?? 100,
    tStop: tStopFromFNumber(metadata.fNumber ?? 8, rig.transmission),
    ndStops: rig.ndStops ?? 0,
  });
  return { exposure, notes };
}

/** Reads size, depth and metadata of a frame; its pixels stay on disk. @throws FileProblem naming the file */
export async function readSourceFrame(path: string, name: string, rig: Rig): Promise<SourceFrame> {
  const bytes = await fs.readFile(path);
  const head = await readImageHead(bytes, name);
  const metadata = await readMetadata(bytes);
  const { exposure, notes } = frameExposure(metadata, rig, name);
  return { path, name, width: head.width, height: head.height, bits: head.bits, metadata, takenAtMs: metadata.takenAtMs, exposure, notes };
}
