import fs from 'node:fs/promises';
import path from 'node:path';
import { linearFromCodes, type RgbImage } from '@tawny/core';
import { decodeImage, FileProblem, readExr, readHdr } from '@tawny/formats';

/** Any picture as linear floats: EXR and HDR as they are, 16 bits as linear, 8 bits by the sRGB curve. @throws FileProblem naming the file */
export async function readLinearPicture(file: string): Promise<RgbImage> {
  const name = path.basename(file);
  const bytes = await fs.readFile(file).catch((e: NodeJS.ErrnoException) => {
    throw new FileProblem('not-an-image', name, e.code === 'ENOENT' ? 'there is no such file' : `cannot be read (${e.code})`);
  });
  if (/\.exr$/i.test(name)) return readExr(bytes, name).image;
  if (/\.hdr$/i.test(name)) return readHdr(bytes, name);
  return linearFromCodes(await decodeImage(bytes, name));
}
