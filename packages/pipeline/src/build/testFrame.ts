import { decodePicture, luminance, NOMINAL_LUMINANCE_PER_UNIT } from '@tawny/core';
import { decodeFrame, FileProblem } from '@tawny/formats';
import { readSourceFrame } from './frames';
import type { Rig } from './rig';

export interface TestFrame {
  /** Nominal cd/m2 of the darkest and the brightest per cent that the frame holds. */
  darkest: number;
  brightest: number;
  /** Shares of the frame that are cut off, and lost in noise. */
  clippedShare: number;
  darkShare: number;
}

const CLIPPED = 0.98;
const DARK = 0.004;

/** What one frame says of the light, for planning the bracket. @throws FileProblem naming the file, also when it does not tell its exposure */
export async function testFrame(path: string, name: string, rig: Rig): Promise<TestFrame> {
  const { exposure, curve, primaries } = await readSourceFrame(path, name, rig);
  if (!(exposure > 0))
    throw new FileProblem('unsupported', name, 'does not tell its exposure time: it cannot tell the light');
  const { data } = decodePicture(await decodeFrame(path, name), { curve, range: 'full', primaries });
  const held: number[] = [];
  let [clipped, dark, all] = [0, 0, 0];
  const step = 3 * Math.max(1, Math.floor(data.length / 3 / 200000));
  for (let i = 0; i < data.length; i += step) {
    all++;
    if (Math.max(data[i], data[i + 1], data[i + 2]) > CLIPPED) clipped++;
    else if (luminance(data[i], data[i + 1], data[i + 2], 'rec709') < DARK) dark++;
    else held.push(luminance(data[i], data[i + 1], data[i + 2], 'rec709'));
  }
  if (held.length < 100)
    throw new FileProblem(
      'unsupported',
      name,
      clipped > dark
        ? 'is white nearly all over: take a shorter test frame'
        : 'is black nearly all over: take a longer test frame',
    );
  held.sort((a, b) => a - b);
  const unit = NOMINAL_LUMINANCE_PER_UNIT / exposure;
  return {
    darkest: unit * held[Math.floor(0.01 * held.length)],
    brightest: unit * held[Math.floor(0.99 * held.length)],
    clippedShare: clipped / all,
    darkShare: dark / all,
  };
}
