import path from 'node:path';
import { clippedPixels, CURVE_NAMES, decodePicture, type Decoding, type RgbImage } from '@tawny/core';
import { decodeFrame, FileProblem, readFrameHead, type FileDecoding } from '@tawny/formats';

/** What a person states of code values; it wins over what their file says. */
export type StatedDecoding = Partial<Decoding>;

/**
 * What code values mean, from what is stated and what their file says. Where a curve is stated, and nobody tells primaries, they are Rec. 709.
 * @throws FileProblem naming the file when nobody tells the curve
 */
export function decodingOf({ decoding, source }: FileDecoding, stated: StatedDecoding, name: string): Decoding {
  const curve = stated.curve ?? decoding?.curve;
  if (!curve)
    throw new FileProblem(
      'no-decoding',
      name,
      `does not say what its code values mean: ${source}. State its curve (${CURVE_NAMES}; or a Common LUT Format file)`,
    );
  return {
    curve,
    range: stated.range ?? decoding?.range ?? 'full',
    primaries: stated.primaries ?? decoding?.primaries ?? 'rec709',
  };
}

/** Any picture as scene-linear light in a working space, and its clipped pixels. @throws FileProblem naming the file, also when nobody tells what its codes mean */
export async function readMeasuredPicture(
  file: string,
  name = path.basename(file),
  stated: StatedDecoding = {},
): Promise<{ image: RgbImage; clipped: Uint8Array; decoding: Decoding }> {
  const { meaning } = await readFrameHead(file, name);
  const decoding = decodingOf(meaning, stated, name);
  const picture = await decodeFrame(file, name);
  const clipped = clippedPixels(picture);
  try {
    return { image: decodePicture(picture, decoding), clipped, decoding };
  } catch (error) {
    throw error instanceof RangeError ? new FileProblem('unsupported', name, error.message) : error;
  }
}

/** Any picture as scene-linear light, see `readMeasuredPicture`. @throws FileProblem naming the file */
export async function readLinearPicture(file: string, name?: string, stated?: StatedDecoding): Promise<RgbImage> {
  return (await readMeasuredPicture(file, name, stated)).image;
}
