import fs from 'node:fs/promises';
import sharp from 'sharp';
import { decodingTable, LOOK_SIDE, lookOf, luminance, type FrameLook } from '@tawny/core';
import { FileProblem } from '../errors';
import { assertWhole, readImageHead } from '../image/decode';
import { decodeFrame } from './readFrame';
import { isExr } from '../exr/read';
import { isHdr } from '../hdr/read';
import { isRaw } from './raw';

/** Side to which 8-bit pictures are shrunk while decoding: much faster than decoding them whole. */
const GLANCE = 6 * LOOK_SIDE;

/**
 * A frame at a glance (see `FrameLook`). 8-bit frames are read shrunk and as if they were sRGB. Null for camera raw: developing it would take as long as the merge.
 * @throws FileProblem naming the file
 */
export async function lookAtFrame(path: string, name: string): Promise<FrameLook | null> {
  const bytes = await fs.readFile(path);
  assertWhole(bytes, name);
  if (isRaw(bytes, name)) return null;
  if (!isExr(bytes) && !isHdr(bytes) && (await readImageHead(bytes, name)).bits === 8) {
    const glance = sharp(bytes, { failOn: 'truncated' })
      .rotate()
      .removeAlpha()
      .toColourspace('srgb')
      .resize(GLANCE, GLANCE, { fit: 'fill', kernel: 'linear', fastShrinkOnLoad: true })
      .raw();
    const { data, info } = await glance.toBuffer({ resolveWithObject: true }).catch(() => {
      throw new FileProblem('damaged-image', name, 'breaks off or is damaged; copy it again from the card');
    });
    const table = decodingTable('srgb', 255);
    const step = info.channels;
    return lookOf(
      Float32Array.from({ length: GLANCE * GLANCE }, (_, i) =>
        luminance(
          table[data[i * step]],
          table[data[i * step + (step > 2 ? 1 : 0)]],
          table[data[i * step + (step > 2 ? 2 : 0)]],
          'rec709',
        ),
      ),
      GLANCE,
      GLANCE,
    );
  }
  const { width, height, codes } = await decodeFrame(path, name);
  const scale = codes instanceof Float32Array ? 1 : codes instanceof Uint16Array ? 1 / 65535 : 1 / 255;
  return lookOf(
    Float32Array.from(
      { length: width * height },
      (_, i) => scale * luminance(codes[3 * i], codes[3 * i + 1], codes[3 * i + 2], 'rec709'),
    ),
    width,
    height,
  );
}
