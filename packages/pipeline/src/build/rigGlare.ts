import { measureGlare, type GlareMeasurement } from '@tawny/core';
import { readLinearPicture } from '../panorama/readLinearPicture';
import { lensesOf } from './placeViews';
import type { Rig } from './rig';

/**
 * The veiling glare of a rig from two merged views of the same look, the sun seen in one and covered in the other.
 * @throws FileProblem naming the file, RangeError when sizes differ or no sun stands out
 */
export async function rigGlare(open: string, covered: string, rig: Rig, coverDeg?: number): Promise<GlareMeasurement> {
  const [bright, dark] = [await readLinearPicture(open), await readLinearPicture(covered)];
  const [lens] = lensesOf(rig, bright, () => undefined);
  return measureGlare(bright, dark, lens, coverDeg);
}
