import { measureGlare, type GlareMeasurement, type RgbImage } from '@tawny/core';
import { readLinearPicture, type StatedDecoding } from '../panorama/readLinearPicture';
import type { RunControl } from '../progress';
import { mergeFiles } from './bracketFiles';
import { lensesOf } from './placeViews';
import type { Rig } from './rig';

const glareOf = (seen: RgbImage, covered: RgbImage, rig: Rig, coverDeg?: number): GlareMeasurement =>
  measureGlare(seen, covered, lensesOf(rig, seen, () => undefined)[0], coverDeg);

/**
 * The veiling glare of a rig from two merged views of the same look, the sun seen in one and covered in the other.
 * @throws FileProblem naming the file, RangeError when sizes differ or no sun stands out
 */
export async function rigGlare(
  open: string,
  covered: string,
  rig: Rig,
  coverDeg?: number,
  stated?: StatedDecoding,
): Promise<GlareMeasurement> {
  const read = (file: string) => readLinearPicture(file, undefined, stated);
  return glareOf(await read(open), await read(covered), rig, coverDeg);
}

type Files = readonly { path: string; name: string }[];

/** The same from the frames of the two brackets. @throws FileProblem, RangeError */
export async function measureRigGlare(
  seen: Files,
  covered: Files,
  rig: Rig,
  coverDeg: number,
  control: RunControl = {},
): Promise<GlareMeasurement> {
  const merge = async (files: Files, words: string) => {
    try {
      // A single frame that cuts the sun off would make its energy, and with it the glare, a guess.
      return await mergeFiles(files, { ndStops: rig.ndStops ?? 0, camera: 'file', takeOut: false }, control);
    } catch (error) {
      throw error instanceof RangeError ? new RangeError(`sun ${words}: ${error.message}`) : error;
    }
  };
  const open = await merge(seen, 'seen');
  if (open.clippedFraction > 1e-5)
    throw new RangeError(
      'sun seen: even the shortest frame cuts it off, so its light is not known; shoot shorter frames or take ND',
    );
  return glareOf(open.image, (await merge(covered, 'covered')).image, rig, coverDeg);
}
