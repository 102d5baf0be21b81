import { EigenvalueDecomposition, Matrix } from 'ml-matrix';
import { quaternionFromAttitude } from '../orient/attitude';
import { rotate } from '../orient/quaternion';
import { anglesFromDirection, cross, DEG, normalize, wrap180, type Vec3 } from '../sphere/direction';
import type { StrokeFamily } from './strokeFamily';

/** Angles to start from, radians; azimuths by family. */
export interface Start {
  tilt: number;
  roll: number;
  heading: number;
  azimuths: Float64Array;
}

interface Optics {
  focal: number;
  ratio: number;
  centreX: number;
  centreY: number;
}

/** The camera that strokes would have at a focal length: up from the upright edges, else from two level families; else level. */
export function startOf(
  strokes: readonly { family: number; a: Vec3; b: Vec3 }[],
  families: readonly StrokeFamily[],
  optics: Optics,
): Start {
  const used = [...new Set(strokes.map((s) => s.family))];
  const own = new Map(used.map((f) => [f, commonDirection(strokes.filter((s) => s.family === f), optics)])); // prettier-ignore
  const vertical = used.find((f) => families[f].kind === 'vertical');
  const level = used.filter((f) => families[f].kind === 'level');
  let up: Vec3 = [0, 1, 0];
  if (vertical !== undefined) up = own.get(vertical)!;
  else if (level.length > 1) {
    const across = cross(own.get(level[0])!, own.get(level[1])!);
    if (Math.hypot(...across) > 1e-3) up = normalize(across);
  }
  // Cameras stand on their feet, or lie on a side: up is not below the picture's middle.
  if (up[1] < 0) up = [-up[0], -up[1], -up[2]];
  const tilt = Math.asin(Math.max(-1, Math.min(1, -up[2])));
  const roll = Math.atan2(-up[0], up[1]);
  const turn = quaternionFromAttitude({ headingDeg: 0, tiltDeg: tilt / DEG, rollDeg: roll / DEG });
  // Edges run both ways: the end within a quarter turn of the view is meant.
  const ahead = (f: number) => {
    const az = wrap180(anglesFromDirection(rotate(turn, own.get(f)!)).azimuthDeg);
    return Math.abs(az) > 90 ? wrap180(az + 180) : az;
  };
  const surveyed = level.filter((f) => families[f].azimuthDeg !== null);
  const headingDeg = surveyed.length > 0 ? wrap180(families[surveyed[0]].azimuthDeg! - ahead(surveyed[0])) : 0;
  const azimuths = new Float64Array(families.length);
  for (const f of level) azimuths[f] = (families[f].azimuthDeg ?? headingDeg + ahead(f)) * DEG;
  return { tilt, roll, heading: headingDeg * DEG, azimuths };
}

/** The camera-frame direction that lies nearest to all planes of the strokes. */
function commonDirection(strokes: readonly { a: Vec3; b: Vec3 }[], { focal, ratio, centreX, centreY }: Optics): Vec3 {
  const ray = ([x, y]: Vec3): Vec3 => normalize([(x - centreX) / (focal * ratio), -(y - centreY) / focal, -1]);
  const sum = Matrix.zeros(3, 3);
  for (const s of strokes) {
    // Not normalised: a long stroke says more.
    const n = cross(ray(s.a), ray(s.b));
    for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) sum.set(i, j, sum.get(i, j) + n[i] * n[j]);
  }
  const { eigenvectorMatrix, realEigenvalues } = new EigenvalueDecomposition(sum, { assumeSymmetric: true });
  const k = realEigenvalues.indexOf(Math.min(...realEigenvalues));
  return normalize([eigenvectorMatrix.get(0, k), eigenvectorMatrix.get(1, k), eigenvectorMatrix.get(2, k)]);
}
