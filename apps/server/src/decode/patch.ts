import {
  boxShrink,
  inSpace,
  measurePatch,
  type PatchMeasure,
  type PatchRect,
  type RgbImage,
  type WorkingSpace,
} from '@tawny/core';
import { encodeFloatPicture, readMeasuredPicture } from '@tawny/pipeline';
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

/** As wide as the sight shows a plate. */
const SIGHT_PX = 1600;

/** A plate's light for a screen: scene-linear Rec. 709, shrunk by a whole factor, in the form of `encodeFloatPicture`. @throws FileProblem naming the file */
export async function lightOfPlate(plate: { path: string; name: string; decoding: TaskDecoding }): Promise<Uint8Array> {
  const { image } = await readMeasuredPicture(plate.path, plate.name, await decodingFor(plate.decoding));
  return encodeFloatPicture(inSpace(boxShrink(image, Math.max(1, Math.ceil(image.width / SIGHT_PX))), 'rec709'));
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
