import { NORMAL_95 } from '../estimate/confidence';
import { quaternionFromAttitude } from '../orient/attitude';
import { rotate } from '../orient/quaternion';
import { DEG, type Vec3 } from '../sphere/direction';
import { rayAt, type Optics } from './strokesOptics';

/** A length in the picture that is known in metres. */
export interface KnownLength {
  from: readonly [number, number];
  to: readonly [number, number];
  lengthM: number;
  /** On the ground, or upright with `from` at its foot. */
  lying: 'ground' | 'vertical';
}

const STEP = 1e-6;

/** How the camera lies as far as it is solved: radians, log of the focal length. */
interface Lying {
  logFocal: number;
  tilt: number;
  roll: number;
}

/**
 * Height of the pupil over the ground from a length that is known, with its 95 % half width: the camera's own doubt and that of the length's ends.
 * @param covariance of the camera's unknowns
 * @param sigmaPx of an end in the picture
 * @throws RangeError for a length that does not start on the ground, or has none
 */
export function heightFromLength(
  { from, to, lengthM, lying }: KnownLength,
  optics: Optics,
  camera: Lying,
  covariance: (a: keyof Lying, b: keyof Lying) => number,
  sigmaPx: number,
): { value: number; uncertainty: number } {
  const lengthPerHeight = (s: Lying, dFrom: readonly [number, number], dTo: readonly [number, number]): number => {
    const turn = quaternionFromAttitude({ headingDeg: 0, tiltDeg: s.tilt / DEG, rollDeg: s.roll / DEG });
    const ray = ([x, y]: readonly [number, number], d: readonly [number, number]): Vec3 => {
      const own = rayAt(optics, s.logFocal, x + d[0], y + d[1]);
      if (!own) throw new RangeError('knownLength: the lens sends no ray to one of its ends');
      return rotate(turn, own);
    };
    const [p, q] = [ray(from, dFrom), ray(to, dTo)];
    if (!(p[1] < 0)) throw new RangeError('knownLength.from: it lies above the horizon, not on the ground');
    const foot: Vec3 = [p[0] / -p[1], -1, p[2] / -p[1]];
    if (lying === 'vertical') {
      const away = Math.hypot(foot[0], foot[2]);
      return Math.abs(1 + (away * q[1]) / Math.hypot(q[0], q[2]));
    }
    if (!(q[1] < 0)) throw new RangeError('knownLength.to: it lies above the horizon, not on the ground');
    return Math.hypot(q[0] / -q[1] - foot[0], q[2] / -q[1] - foot[2]);
  };
  const none = [0, 0] as const;
  const at = lengthPerHeight(camera, none, none);
  if (!(at > 0)) throw new RangeError('knownLength: its ends lie on one point');
  const value = lengthM / at;
  const columns = ['logFocal', 'tilt', 'roll'] as const;
  const slopes = columns.map(
    (c) => Math.log(lengthPerHeight({ ...camera, [c]: camera[c] + STEP }, none, none) / at) / STEP,
  );
  let variance = 0;
  columns.forEach((a, i) => columns.forEach((b, j) => (variance += slopes[i] * slopes[j] * covariance(a, b))));
  const ends = [
    [[STEP, 0], none],
    [[0, STEP], none],
    [none, [STEP, 0]],
    [none, [0, STEP]],
  ] as const;
  for (const [df, dt] of ends) variance += ((Math.log(lengthPerHeight(camera, df, dt) / at) / STEP) * sigmaPx) ** 2;
  return { value, uncertainty: NORMAL_95 * value * Math.sqrt(variance) };
}
