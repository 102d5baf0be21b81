import {
  photometricExposure,
  tStopFromFNumber,
  usualDecoding,
  type Curve,
  type Decoding,
  type FrameFacts,
  type FrameLook,
} from '@tawny/core';
import {
  FileProblem,
  lookAtFrame,
  readFrameHead,
  type FileDecoding,
  type FrameHead,
  type ImageMetadata,
} from '@tawny/formats';
import type { Rig } from './rig';

/** A frame on disk with what its file says of it. */
export interface SourceFrame extends FrameFacts {
  path: string;
  bits: 8 | 16 | 32;
  look: FrameLook | null;
  metadata: ImageMetadata;
  /** What its code values are taken for before the round is measured. */
  curve: Curve;
  primaries: Decoding['primaries'];
  /** What the file itself says of its code values. */
  meaning: FileDecoding;
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

/** Curve and primaries of a frame: the rig's statement, what the file says, what its depth is usually for. @throws FileProblem naming the file */
function meaningOf({ bits, meaning }: FrameHead, rig: Rig, name: string) {
  const { curve, primaries } = usualDecoding(bits) as { curve: Curve; primaries: 'rec709' };
  const { decoding, source } = meaning;
  if (decoding?.range === 'legal')
    throw new FileProblem(
      'unsupported',
      name,
      'holds codes of legal range; frames of a bracket are merged in full range',
    );
  const notes =
    decoding || rig.curve || bits === 8
      ? []
      : [`frames do not say what their ${bits} bits mean (${source}): taken as linear, which is an assumption`];
  return {
    curve: rig.curve ?? decoding?.curve ?? curve,
    primaries: rig.primaries ?? decoding?.primaries ?? primaries,
    notes,
  };
}

/** Reads size, depth and metadata of a frame and glances at it; its pixels stay on disk. @throws FileProblem naming the file */
export async function readSourceFrame(path: string, name: string, rig: Rig): Promise<SourceFrame> {
  const head = await readFrameHead(path, name);
  const { width, height, bits, metadata } = head;
  const { curve, primaries, notes: meant } = meaningOf(head, rig, name);
  const look = await lookAtFrame(path, name);
  const stated = frameExposure(metadata, rig);
  return {
    path,
    name,
    width,
    height,
    bits,
    metadata,
    curve,
    primaries,
    meaning: head.meaning,
    attitude: metadata.attitude,
    takenAtMs: metadata.takenAtMs,
    exposure: stated.exposure,
    look,
    notes: [...stated.notes, ...meant],
  };
}
