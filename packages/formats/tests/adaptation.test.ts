import { execFileSync } from 'node:child_process';
import path from 'node:path';
import { applyMatrix, rgbToXyz, toWorkingSpace, WORKING_SPACES, type ColourMatrix } from '@tawny/core';

/** OpenColorIO's library is Debian's, and so is the interpreter that reads it. */
const PYTHON = '/usr/bin/python3';
const AP0 = [0.7347, 0.2653, 0, 1, 0.0001, -0.077, 0.32168, 0.33767];
const COLOURS = [0.18, 0.18, 0.18, 1, 1, 1, 0.9, 0.1, 0.05, 0.02, 0.6, 0.1, 0.05, 0.08, 1.4, -0.1, 0.4, 0.2];

const through = (m: ColourMatrix) => {
  const out = Float32Array.from(COLOURS);
  applyMatrix(out, m);
  return out;
};
/** What OpenColorIO makes of the same colours by its own built-in transforms, Bradford's adaptation among them. */
const builtin = (...builtins: string[]): number[] => {
  const script = path.join(__dirname, 'support', 'colourManagement.py');
  const input = JSON.stringify({ jobs: [{ builtins, rgb: COLOURS }] });
  return (JSON.parse(execFileSync(PYTHON, [script], { input, encoding: 'utf8' })) as number[][])[0];
};
const apart = (ours: ArrayLike<number>, theirs: readonly number[]) =>
  Math.max(...theirs.map((t, i) => Math.abs(ours[i] - t)));

test('from one working space to the other, white to white, as OpenColorIO does it', () => {
  const theirs = builtin('UTILITY - ACES-AP1_to_LINEAR-REC709_BFD');
  expect(apart(through(toWorkingSpace(WORKING_SPACES.acescg.chromaticities, 'rec709')), theirs)).toBeLessThan(2e-4);
  // The adaptation is not nothing: white stays white, and blue does not stay blue.
  expect(Math.abs(theirs[3] - 1)).toBeLessThan(1e-3);
  expect(Math.abs(theirs[14] - 1.4)).toBeGreaterThan(0.1);
});

test('primaries of a file to the working space', () => {
  const theirs = builtin('UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD');
  const toRec709 = toWorkingSpace(AP0, 'rec709');
  const xyz = through(toRec709);
  applyMatrix(xyz, rgbToXyz(WORKING_SPACES.rec709.chromaticities).to1DArray() as unknown as ColourMatrix);
  expect(apart(xyz, theirs)).toBeLessThan(2e-4);
});
