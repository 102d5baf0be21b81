import type { Clip, PictureDecoding, Plate, PlateCameraRecord, PlateCharacterRecord } from '@tawny/contract';
import { table } from '../table';
import { DECODING, type StoredDecoding } from './decoding';

/** Shutter and ISO as the file states them; null where the log decides. */
export type StoredPlate = Omit<Plate, 'decoding' | 'character'> & {
  /** With the decoding that it was measured in. */
  measuredCharacter: { character: PlateCharacterRecord; decoding: PictureDecoding } | null;
} & StoredDecoding & { previewHash: string; shutterS: number | null; iso: number | null };
export const Plates = table<StoredPlate>('plates', {
  takeId: 'uuid',
  referenceId: 'uuid?',
  name: 'text',
  hash: 'text',
  previewHash: 'text',
  widthPx: 'integer',
  heightPx: 'integer',
  bits: 'integer',
  shutterS: 'float8?',
  iso: 'float8?',
  exposure: 'float8',
  exposureSource: 'text',
  measuredCharacter: 'jsonb?',
  ...DECODING,
});
export type StoredPlateCamera = Omit<PlateCameraRecord, 'basis'>;
export const PlateCameras = table<StoredPlateCamera>('plate_cameras', {
  takeId: 'uuid',
  plateId: 'uuid',
  strokes: 'jsonb',
  found: 'jsonb',
  residualPx: 'float8',
  verdict: 'text',
  cause: 'text?',
  degenerate: 'text?',
});
export type StoredClip = Omit<Clip, 'decoding'> & StoredDecoding;
export const Clips = table<StoredClip>('clips', {
  takeId: 'uuid',
  name: 'text',
  kind: 'text',
  hash: 'text?',
  widthPx: 'integer',
  heightPx: 'integer',
  fps: 'float8',
  frames: 'integer',
  startTimecode: 'text?',
  startsAt: 'timestamptz?',
  startsAtFrom: 'text',
  stripFrames: 'jsonb',
  ...DECODING,
});
/** Frames of a clip: of a sequence all, of a video those that are looked through. */
export type ClipFrame = {
  id: string;
  createdAt: string;
  clipId: string;
  number: number;
  hash: string | null;
  previewHash: string;
};
export const ClipFrames = table<ClipFrame>(
  'clip_frames',
  { clipId: 'uuid', number: 'integer', hash: 'text?', previewHash: 'text' },
  { versioned: false },
);
