import fs from 'node:fs/promises';
import path from 'node:path';
import { assertLatlong, boundOddPixels, decodePicture, type OddPixels, type RgbImage } from '@tawny/core';
import { exrDecoding, FileProblem, HDR_DECODING, readExr, readHdr, type PanoramaAttributes } from '@tawny/formats';
import { decodingOf, type StatedDecoding } from './readLinearPicture';

/** Reads a latitude-longitude panorama from OpenEXR or Radiance HDR; what is stated of its values wins over what the file says. Values that no light makes are bounded, and told in `odd`. @throws FileProblem naming the file */
export async function readPanorama(
  file: string,
  name = path.basename(file),
  stated: StatedDecoding = {},
): Promise<{ image: RgbImage; attributes: PanoramaAttributes; odd: OddPixels | null }> {
  const bytes = await fs.readFile(file).catch((e: NodeJS.ErrnoException) => {
    throw new FileProblem(
      'not-an-image',
      name,
      e.code === 'ENOENT' ? 'there is no such file' : `cannot be read (${e.code})`,
    );
  });
  const hdr = /\.hdr$/i.test(name);
  const asStored = Object.keys(stated).length > 0;
  const read = hdr ? { image: readHdr(bytes, name), attributes: {} } : readExr(bytes, name, { asStored });
  if (asStored) {
    const { width, height, data, unit } = read.image;
    const meaning = hdr ? HDR_DECODING : exrDecoding(read.attributes);
    read.image = { ...decodePicture({ width, height, codes: data }, decodingOf(meaning, stated, name)), unit };
  }
  try {
    assertLatlong(read.image);
  } catch (error) {
    throw new FileProblem('unsupported', name, (error as Error).message);
  }
  if (!read.image.data.some(Number.isFinite))
    throw new FileProblem('damaged-image', name, 'holds no value that is a finite number');
  const { image, odd } = boundOddPixels(read.image);
  return { image, attributes: read.attributes, odd };
}

/** Usual other orientations made ours: a mirrored panorama shows the sphere from outside, one upside down has row 0 at the nadir. Returns the same picture when nothing is to do. */
export function turned(
  image: RgbImage,
  { mirrored, upsideDown }: { mirrored: boolean; upsideDown: boolean },
): RgbImage {
  if (!mirrored && !upsideDown) return image;
  const { width, height } = image;
  const data = new Float32Array(image.data.length);
  for (let y = 0; y < height; y++) {
    const from = upsideDown ? height - 1 - y : y;
    for (let x = 0; x < width; x++) {
      const i = 3 * (from * width + (mirrored ? width - 1 - x : x));
      data.set(image.data.subarray(i, i + 3), 3 * (y * width + x));
    }
  }
  return { ...image, data };
}
