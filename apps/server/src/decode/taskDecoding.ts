import { readFile } from 'node:fs/promises';
import type { PictureDecoding } from '@tawny/contract';
import type { Curve, Decoding } from '@tawny/core';
import { readClf } from '@tawny/formats';

/** A decoding as a decoding process is given it: a curve of the kit stands as a file beside the picture. */
export type TaskDecoding = Omit<PictureDecoding, 'curve'> & { curve: Curve | { path: string; name: string } };

/** In the process that decodes: the curve's file becomes its steps. @throws FileProblem naming the curve's file */
export async function decodingFor({ curve, range, primaries }: TaskDecoding): Promise<Decoding> {
  return {
    curve: typeof curve === 'string' ? curve : readClf(await readFile(curve.path), curve.name).nodes,
    range,
    primaries,
  };
}
