import { exactFNumber, exactShutterSeconds } from '@tawny/core';
import { FileProblem } from '../errors';
import { readAttributes } from '../exr/attributes';
import { EMPTY_METADATA, type ImageMetadata } from '../image/metadata';

export interface ExrFrameFacts extends ImageMetadata {
  widthPx: number | null;
  heightPx: number | null;
  framesPerSecond: number | null;
  focusM: number | null;
}

/** Camera state from the header of an OpenEXR frame; null where it says nothing. @throws FileProblem naming the file */
export function exrMetadata(bytes: Uint8Array, name: string): ExrFrameFacts {
  let a;
  try {
    a = readAttributes(bytes);
  } catch {
    throw new FileProblem('damaged-image', name, 'its OpenEXR header is damaged; copy it again from the card');
  }
  const m = a.capDate?.match(/^(\d{4}):(\d{2}):(\d{2}) (\d{2}:\d{2}:\d{2})$/);
  const local = m ? Date.parse(`${m[1]}-${m[2]}-${m[3]}T${m[4]}Z`) : NaN;
  const positive = (v: number | undefined) => (v !== undefined && Number.isFinite(v) && v > 0 ? v : null);
  const [shutterTagS, fNumberTag] = [positive(a.expTimeS), positive(a.aperture)];
  return {
    ...EMPTY_METADATA,
    shutterTagS,
    shutterS: shutterTagS === null ? null : exactShutterSeconds(shutterTagS),
    fNumberTag,
    fNumber: fNumberTag === null ? null : exactFNumber(fNumberTag),
    iso: positive(a.isoSpeed),
    focalLengthMm: positive(a.nominalFocalLengthMm),
    takenAtMs: Number.isNaN(local) ? null : local + 1000 * (a.utcOffsetS ?? 0),
    hasUtcOffset: a.utcOffsetS !== undefined,
    widthPx: a.widthPx ?? null,
    heightPx: a.heightPx ?? null,
    framesPerSecond: a.framesPerSecond ?? null,
    focusM: a.focusM ?? null,
  };
}
