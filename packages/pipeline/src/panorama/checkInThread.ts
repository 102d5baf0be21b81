import type { CheckFacts, ExpectedHeight, RgbImage } from '@tawny/core';
import type { PanoramaAttributes } from '@tawny/formats';
import type { RunControl } from '../progress';
import { runInThread } from '../threads/pool';
import type { CheckedPanorama } from './check';

/** `checkPanorama` in a thread: of a large panorama it takes seconds, in which whoever waits is told how far it is, and can cancel. */
export function checkInThread(
  panorama: RgbImage,
  attributes: PanoramaAttributes,
  known: Partial<CheckFacts>,
  expected: ExpectedHeight | null,
  control: RunControl,
): Promise<CheckedPanorama> {
  return runInThread('check', { panorama, attributes, known, expected }, control);
}
