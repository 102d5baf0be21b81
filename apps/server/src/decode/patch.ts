import {
  inSpace,
  measurePatch,
  type PatchMeasure,
  type PatchRect,
  type RgbImage,
  type WorkingSpace,
} from '@tawny/core';
import { readMeasuredPicture } from '@tawny/pipeline';
import { decodingFor, type TaskDecoding } from './taskDecoding';

/** From shares of the picture to pixels. */
export function inPixels(rect: PatchRect, image: Pick<RgbImage, 'width' | 'height'>): PatchRect {
  return {
    left: rect.left * image.width,
    right: rect.right * image.width,
    top: rect.top * image.height,
    bottom: rect.bottom * image.height,
  };
}

/** Mean of a patch of a plate, marked in shares of the picture, in a working space. @throws FileProblem naming the file, RangeError on a mark that cannot be measured */
export async function measurePlate(
  plate: { path: string; name: string; decoding: TaskDecoding },
  rect: PatchRect,
  space: WorkingSpace,
): Promise<PatchMeasure> {
  const { image, clipped } = await readMeasuredPicture(plate.path, plate.name, await decodingFor(plate.decoding));
  return measurePatch(inSpace(image, space), inPixels(rect, image), 'plate', clipped);
}
