import sharp from 'sharp';
import { RELATIVE_REC709, type RgbImage } from '@tawny/core';
import { FileProblem } from '../errors';
import { assertWholeTiff } from '../image/tiffExtent';

/** A floating-point TIFF as linear RGB, upright. @throws FileProblem naming the file */
export async function readFloatTiff(bytes: Uint8Array, name: string): Promise<RgbImage> {
  assertWholeTiff(bytes, name);
  try {
    // libvips takes float RGB for scRGB, which is linear: the way there and back changes no value.
    const { data, info } = await sharp(bytes, { failOn: 'truncated', ignoreIcc: true })
      .rotate()
      .pipelineColourspace('scrgb')
      .toColourspace('scrgb')
      .removeAlpha()
      .raw({ depth: 'float' })
      .toBuffer({ resolveWithObject: true });
    if (info.channels !== 3)
      throw new FileProblem('unsupported', name, `has ${info.channels} channels; colour pictures are needed`);
    return {
      ...RELATIVE_REC709,
      width: info.width,
      height: info.height,
      data: new Float32Array(data.buffer.slice(data.byteOffset, data.byteOffset + data.length)),
    };
  } catch (error) {
    if (error instanceof FileProblem) throw error;
    throw new FileProblem('damaged-image', name, 'breaks off or is damaged; copy it again from the card');
  }
}
