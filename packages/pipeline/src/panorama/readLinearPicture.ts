import path from 'node:path';
import { linearFromCodes, type RgbImage } from '@tawny/core';
import { decodeFrame } from '@tawny/formats';

/** Any picture as linear floats: EXR, HDR, float TIFF as they are, 16 bits and camera raw as linear, 8 bits by the sRGB curve. @throws FileProblem naming the file */
export async function readLinearPicture(file: string, name = path.basename(file)): Promise<RgbImage> {
  return linearFromCodes(await decodeFrame(file, name));
}
