import { DEG, type Vec3 } from '../sphere/direction';

/** Unit quaternion [x, y, z, w]; it turns vectors from its source frame to its target frame. CONVENTIONS.md section 1. */
export type Quaternion = readonly [number, number, number, number];

export const IDENTITY: Quaternion = [0, 0, 0, 1];

/** Product a b: first b, then a. */
export function multiply(a: Quaternion, b: Quaternion): Quaternion {
  return [
    a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1],
    a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
    a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3],
    a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2],
  ];
}

/** The opposite turn. */
export function conjugate(q: Quaternion): Quaternion {
  return [-q[0], -q[1], -q[2], q[3]];
}

export function normalizeQuaternion(q: Quaternion): Quaternion {
  const n = Math.hypot(q[0], q[1], q[2], q[3]);
  if (n === 0) throw new RangeError('a zero quaternion is no rotation');
  return [q[0] / n, q[1] / n, q[2] / n, q[3] / n];
}

/** Right-handed turn by an angle in radians about a unit axis. */
export function fromAxisAngle(axis: Vec3, radians: number): Quaternion {
  const s = Math.sin(radians / 2);
  return [axis[0] * s, axis[1] * s, axis[2] * s, Math.cos(radians / 2)];
}

/** Turn by a rotation vector (axis times angle, radians). */
export function fromRotationVector(v: Vec3): Quaternion {
  const angle = Math.hypot(v[0], v[1], v[2]);
  if (angle < 1e-12) return normalizeQuaternion([v[0] / 2, v[1] / 2, v[2] / 2, 1]);
  return fromAxisAngle([v[0] / angle, v[1] / angle, v[2] / angle], angle);
}

/** Rotation vector (radians, length at most pi) of a unit quaternion. */
export function toRotationVector(q: Quaternion): Vec3 {
  const sign = q[3] < 0 ? -1 : 1;
  const s = Math.hypot(q[0], q[1], q[2]);
  if (s < 1e-12) return [2 * sign * q[0], 2 * sign * q[1], 2 * sign * q[2]];
  const k = (sign * 2 * Math.atan2(s, Math.abs(q[3]))) / s;
  return [q[0] * k, q[1] * k, q[2] * k];
}

/** Row-major 3 x 3 matrix of a unit quaternion. */
export function toMatrix(q: Quaternion): Float64Array {
  const [x, y, z, w] = q;
  return Float64Array.of(
    1 - 2 * (y * y + z * z),
    2 * (x * y - z * w),
    2 * (x * z + y * w),
    2 * (x * y + z * w),
    1 - 2 * (x * x + z * z),
    2 * (y * z - x * w),
    2 * (x * z - y * w),
    2 * (y * z + x * w),
    1 - 2 * (x * x + y * y),
  );
}

/** Turns a vector by a unit quaternion. */
export function rotate(q: Quaternion, v: Vec3): Vec3 {
  const [x, y, z, w] = q;
  const [a, b, c] = v;
  // Twice the vector part crossed with the vector: the turn of a unit quaternion without its matrix.
  const [tx, ty, tz] = [2 * (y * c - z * b), 2 * (z * a - x * c), 2 * (x * b - y * a)];
  return [a + w * tx + y * tz - z * ty, b + w * ty + z * tx - x * tz, c + w * tz + x * ty - y * tx];
}

/** Angle of the turn that leads from one rotation to another, degrees. */
export function turnApartDeg(a: Quaternion, b: Quaternion): number {
  return Math.hypot(...toRotationVector(multiply(a, conjugate(b)))) / DEG;
}
