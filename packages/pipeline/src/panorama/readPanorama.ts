import fs from 'node:fs/promises';
import path from 'node:path';
import { assertLatlong, type RgbImage } from '@tawny/core';
import { FileProblem, readExr, readHdr, type PanoramaAttributes } from '@tawny/formats';

/** Reads a latitude-longitude panorama from OpenEXR or Radiance HDR. @throws FileProblem naming the file */
export async function readPanorama(file: string): Promise<{ image: RgbImage; attributes: PanoramaAttributes }> {
  const name = path.basename(file);
  const bytes = await fs.readFile(file).catch((e: NodeJS.ErrnoException) => {
    throw new FileProblem('not-an-image', name, e.code === 'ENOENT' ? 'there is no such file' : `cannot be read (${e.code})`);
  });
  const read = /\.hdr$/i.test(name) ? { image: readHdr(bytes, name), attributes: {} } : readExr(bytes, name);
  try {
    assertLatlong(read.image);
  } catch (error) {
    throw new FileProblem('unsupported', name, (error as Error).message);
  }
  const bad = read.image.data.findIndex((v) => !Number.isFinite(v));
  if (bad >= 0) throw new FileProblem('damaged-image', name, `holds a value that is not a number at pixel ${Math.floor(bad / 3)}`);
  return read;
}
