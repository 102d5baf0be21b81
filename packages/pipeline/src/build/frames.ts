import { photometricExposure, tStopFromFNumber, type FrameFacts, type FrameLook } from '@tawny/core';
import { lookAtFrame, readFrameHead, type ImageMetadata } from '@tawny/formats';
import type { Rig } from './rig';

/** A frame on disk with what its file says of it. */
export interface SourceFrame extends FrameFacts {
  path: string;
  bits: 8 | 16 | 32;
  look: FrameLook | null;
  metadata: ImageMetadata;
  notes: string[];
}

/**
 * Exposure of a frame from its metadata and the rig; what is missing is assumed equal over the round and said so. 0 when the file does not tell its exposure time: the
 * pictures have to.
 */
export function frameExposure(
  metadata: ImageMetadata,
  rig: Pick<Rig, 'ndStops' | 'transmission'>,
): { exposure: number; notes: string[] } {
  if (metadata.shutterS === null)
    return {
      exposure: 0,
      notes: [
        'no exposure time in the metadata (messengers and editors strip it): exposures are taken from the pictures, so the panorama has no scale of its own',
      ],
    };
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

/** Reads size, depth and metadata of a frame and glances at it; its pixels stay on disk. @throws FileProblem naming the file */
export async function readSourceFrame(path: string, name: string, rig: Rig): Promise<SourceFrame> {
  const { width, height, bits, format, metadata } = await readFrameHead(path, name);
  const look = await lookAtFrame(path, name);
  const stated = frameExposure(metadata, rig);
  const notes = [...stated.notes];
  if (format === 'raw' && !metadata.cameraMatrix)
    notes.push(
      'raw frames state no matrix of their camera: its own colours are taken for Rec. 709, which is an assumption',
    );
  return {
    path,
    name,
    width,
    height,
    bits,
    metadata,
    attitude: metadata.attitude,
    takenAtMs: metadata.takenAtMs,
    exposure: stated.exposure,
    look,
    notes,
  };
}
