import { Matrix } from 'ml-matrix';
import { rgbToXyz } from './convert';
import { WORKING_SPACES, type WorkingSpace } from './primaries';

/** CIE 1976 L*, a*, b*. */
export type Lab = readonly [number, number, number];

const KNEE = 6 / 29;
const f = (t: number) => (t > KNEE ** 3 ? Math.cbrt(t) : t / (3 * KNEE * KNEE) + 4 / 29);

/** L*a*b* of XYZ under a white (ISO/CIE 11664-4); values below zero go on along the line at the dark end. */
export function labOfXyz(xyz: readonly number[], white: readonly number[]): Lab {
  const [x, y, z] = [0, 1, 2].map((c) => f(xyz[c] / white[c]));
  return [116 * y - 16, 500 * (x - y), 200 * (y - z)];
}

/** XYZ of a linear working-space triple, white Y = 1. */
export function xyzOfWorking(rgb: readonly number[], space: WorkingSpace): [number, number, number] {
  const m = matrixOf(space);
  return [0, 1, 2].map((r) => m[3 * r] * rgb[0] + m[3 * r + 1] * rgb[1] + m[3 * r + 2] * rgb[2]) as [
    number,
    number,
    number,
  ];
}

const cached = new Map<WorkingSpace, readonly number[]>();
function matrixOf(space: WorkingSpace): readonly number[] {
  const known = cached.get(space);
  if (known) return known;
  const m: Matrix = rgbToXyz(WORKING_SPACES[space].chromaticities);
  const flat = m.to1DArray();
  cached.set(space, flat);
  return flat;
}

/** L*a*b* of a linear working-space triple under the space's own white, which is 1, 1, 1. */
export function labOfWorking(rgb: readonly number[], space: WorkingSpace): Lab {
  return labOfXyz(xyzOfWorking(rgb, space), xyzOfWorking([1, 1, 1], space));
}

const RAD = Math.PI / 180;

/**
 * Colour difference CIEDE2000 with all parametric factors 1 (ISO/CIE 11664-6; notation of Sharma, Wu and Dalal 2005).
 * Its length is that of `differenceVector`.
 */
export const deltaE2000 = (one: Lab, two: Lab): number => Math.hypot(...differenceVector(one, two));

/** CIEDE2000 as a vector whose length is the difference: lightness, chroma (with its share of the rotation term) and hue; for fits. */
export function differenceVector(one: Lab, two: Lab): [number, number, number] {
  const c1 = Math.hypot(one[1], one[2]);
  const c2 = Math.hypot(two[1], two[2]);
  const mean7 = ((c1 + c2) / 2) ** 7;
  const g = 0.5 * (1 - Math.sqrt(mean7 / (mean7 + 25 ** 7)));
  const [a1, a2] = [(1 + g) * one[1], (1 + g) * two[1]];
  const [k1, k2] = [Math.hypot(a1, one[2]), Math.hypot(a2, two[2])];
  const hue = (a: number, b: number) => (a === 0 && b === 0 ? 0 : (Math.atan2(b, a) / RAD + 360) % 360);
  const [h1, h2] = [hue(a1, one[2]), hue(a2, two[2])];
  const grey = k1 * k2 === 0;
  let dh = grey ? 0 : h2 - h1;
  if (dh > 180) dh -= 360;
  else if (dh < -180) dh += 360;
  const dL = two[0] - one[0];
  const dC = k2 - k1;
  const dH = 2 * Math.sqrt(k1 * k2) * Math.sin((dh / 2) * RAD);
  const L = (one[0] + two[0]) / 2;
  const C = (k1 + k2) / 2;
  let H = h1 + h2;
  if (!grey) {
    if (Math.abs(h1 - h2) > 180) H += H < 360 ? 360 : -360;
    H /= 2;
  }
  const T =
    1 -
    0.17 * Math.cos((H - 30) * RAD) +
    0.24 * Math.cos(2 * H * RAD) +
    0.32 * Math.cos((3 * H + 6) * RAD) -
    0.2 * Math.cos((4 * H - 63) * RAD);
  const turn = 30 * Math.exp(-(((H - 275) / 25) ** 2));
  const C7 = C ** 7;
  const rc = 2 * Math.sqrt(C7 / (C7 + 25 ** 7));
  const l50 = (L - 50) ** 2;
  const sL = 1 + (0.015 * l50) / Math.sqrt(20 + l50);
  const sC = 1 + 0.045 * C;
  const sH = 1 + 0.015 * C * T;
  const rotation = -Math.sin(2 * turn * RAD) * rc;
  const [c, h] = [dC / sC, dH / sH];
  // l^2 + c^2 + h^2 + r c h, as a sum of squares.
  return [dL / sL, c + (rotation * h) / 2, h * Math.sqrt(1 - (rotation * rotation) / 4)];
}
