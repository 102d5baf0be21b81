import { inverse, Matrix } from 'ml-matrix';
import type { RgbImage } from '../image/image';
import { sameChromaticities, WORKING_SPACES, type WorkingSpace } from './primaries';

/** Row-major 3 x 3: `out = m in`. */
export type ColourMatrix = readonly [number, number, number, number, number, number, number, number, number];

/** Bradford's cone responses from XYZ (Lam 1985; ICC.1 annex E). */
const BRADFORD = new Matrix([
  [0.8951, 0.2664, -0.1614],
  [-0.7502, 1.7135, 0.0367],
  [0.0389, -0.0685, 1.0296],
]);

const xyzOf = (x: number, y: number): [number, number, number] => [x / y, 1, (1 - x - y) / y];
const rows = (m: Matrix): ColourMatrix => m.to1DArray() as unknown as ColourMatrix;

/**
 * Linear RGB to XYZ of primaries and white given as CIE xy of red, green, blue, white (SMPTE RP 177); white has Y = 1.
 * @throws RangeError when they are not eight numbers that span a triangle
 */
export function rgbToXyz(chromaticities: readonly number[]): Matrix {
  if (chromaticities.length !== 8 || !chromaticities.every(Number.isFinite))
    throw new RangeError('primaries are eight numbers: x and y of red, green, blue and white');
  const [rx, ry, gx, gy, bx, by, wx, wy] = chromaticities;
  const area = (gx - rx) * (by - ry) - (bx - rx) * (gy - ry);
  if (Math.abs(area) < 1e-6 || [ry, gy, by, wy].some((y) => y === 0))
    throw new RangeError('the primaries lie on a line');
  const primaries = new Matrix([xyzOf(rx, ry), xyzOf(gx, gy), xyzOf(bx, by)]).transpose();
  const scale = inverse(primaries)
    .mmul(Matrix.columnVector(xyzOf(wx, wy)))
    .to1DArray();
  return primaries.mmul(Matrix.diag(scale));
}

/** XYZ under one white to XYZ under another, both as CIE xy, by Bradford's adaptation. */
function adaptation(from: readonly [number, number], to: readonly [number, number]): Matrix {
  const cones = (xy: readonly [number, number]) => BRADFORD.mmul(Matrix.columnVector(xyzOf(...xy))).to1DArray();
  const [a, b] = [cones(from), cones(to)];
  return inverse(BRADFORD)
    .mmul(Matrix.diag(b.map((v, i) => v / a[i])))
    .mmul(BRADFORD);
}

const whiteOf = (c: readonly number[]): [number, number] => [c[6], c[7]];

/** Linear values of any primaries to those of a working space, white to white. CONVENTIONS.md section 3. @throws RangeError see `rgbToXyz` */
export function toWorkingSpace(chromaticities: readonly number[], space: WorkingSpace): ColourMatrix {
  const target = WORKING_SPACES[space].chromaticities;
  return rows(
    inverse(rgbToXyz(target))
      .mmul(adaptation(whiteOf(chromaticities), whiteOf(target)))
      .mmul(rgbToXyz(chromaticities)),
  );
}

/** The working space whose primaries these are, to the rounding of files; null of others. */
export function workingSpaceOf(chromaticities: readonly number[]): WorkingSpace | null {
  const near = (s: WorkingSpace) => sameChromaticities(WORKING_SPACES[s].chromaticities, chromaticities);
  return (['rec709', 'acescg'] as const).find(near) ?? null;
}

/**
 * A sensor's own values to a working space, by the matrix from XYZ (D65) to camera that raw files state. Scaled so that a neutral
 * under D65 keeps the value of its green channel: exposures mean what they did. No white balance beyond that.
 * @throws RangeError when the matrix is none
 */
export function cameraToWorkingSpace(xyzToCamera: readonly number[], space: WorkingSpace): ColourMatrix {
  if (xyzToCamera.length !== 9 || !xyzToCamera.every(Number.isFinite))
    throw new RangeError('a camera matrix is nine numbers');
  const rec709 = rgbToXyz(WORKING_SPACES.rec709.chromaticities);
  const camera = Matrix.from1DArray(3, 3, [...xyzToCamera]).mmul(rec709);
  const white = camera.mmul(Matrix.columnVector([1, 1, 1])).to1DArray();
  if (!(white[1] > 0) || Math.abs(determinantOf(camera)) < 1e-9)
    throw new RangeError('the camera matrix cannot be turned round');
  const toRec709 = inverse(camera).mul(white[1]);
  if (space === 'rec709') return rows(toRec709);
  const on = toWorkingSpace(WORKING_SPACES.rec709.chromaticities, space);
  return rows(Matrix.from1DArray(3, 3, [...on]).mmul(toRec709));
}

const determinantOf = (m: Matrix) => {
  const [a, b, c, d, e, f, g, h, i] = m.to1DArray();
  return a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
};

/** `a` after `b`. */
export const afterMatrix = (a: ColourMatrix, b: ColourMatrix): ColourMatrix =>
  rows(Matrix.from1DArray(3, 3, [...a]).mmul(Matrix.from1DArray(3, 3, [...b])));

/** The way back. @throws RangeError when there is none */
export function inverseMatrix(m: ColourMatrix): ColourMatrix {
  const matrix = Matrix.from1DArray(3, 3, [...m]);
  if (Math.abs(determinantOf(matrix)) < 1e-12) throw new RangeError('the matrix cannot be turned round');
  return rows(inverse(matrix));
}

/** Multiplies interleaved RGB by a matrix, in place. */
export function applyMatrix(data: Float32Array, m: ColourMatrix): void {
  for (let i = 0; i < data.length; i += 3) {
    const [r, g, b] = [data[i], data[i + 1], data[i + 2]];
    data[i] = m[0] * r + m[1] * g + m[2] * b;
    data[i + 1] = m[3] * r + m[4] * g + m[5] * b;
    data[i + 2] = m[6] * r + m[7] * g + m[8] * b;
  }
}

/** A picture in a working space; itself when it is there already. */
export function inSpace(image: RgbImage, space: WorkingSpace): RgbImage {
  if (image.space === space) return image;
  const data = image.data.slice();
  applyMatrix(data, toWorkingSpace(WORKING_SPACES[image.space].chromaticities, space));
  return { ...image, data, space };
}
