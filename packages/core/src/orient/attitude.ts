import { anglesFromDirection, DEG, type Vec3 } from '../sphere/direction';
import { fromAxisAngle, multiply, rotate, type Quaternion } from './quaternion';

/** Heading, tilt and roll in degrees. CONVENTIONS.md section 1. */
export interface Attitude {
  headingDeg: number;
  tiltDeg: number;
  rollDeg: number;
}

const X: Vec3 = [1, 0, 0];
const Y: Vec3 = [0, 1, 0];
const Z: Vec3 = [0, 0, 1];

/** Camera-to-world rotation `Ry(-heading) Rx(tilt) Rz(-roll)`. */
export function quaternionFromAttitude({ headingDeg, tiltDeg, rollDeg }: Attitude): Quaternion {
  return multiply(
    multiply(fromAxisAngle(Y, -headingDeg * DEG), fromAxisAngle(X, tiltDeg * DEG)),
    fromAxisAngle(Z, -rollDeg * DEG),
  );
}

/** Heading [0, 360), tilt [-90, 90] and roll (-180, 180] of a camera-to-world rotation; roll is 0 when looking straight up or down. */
export function attitudeFromQuaternion(q: Quaternion): Attitude {
  const forward = rotate(q, [0, 0, -1]);
  const right = rotate(q, [1, 0, 0]);
  const { azimuthDeg, elevationDeg } = anglesFromDirection(forward);
  if (Math.abs(forward[1]) > 1 - 1e-12) {
    return { headingDeg: anglesFromDirection(right).azimuthDeg - 90, tiltDeg: elevationDeg, rollDeg: 0 };
  }
  const up = rotate(q, [0, 1, 0]);
  return { headingDeg: azimuthDeg, tiltDeg: elevationDeg, rollDeg: Math.atan2(-right[1], up[1]) / DEG };
}

/** Turn about the vertical that adds yawDeg to every azimuth. */
export function yawQuaternion(yawDeg: number): Quaternion {
  return fromAxisAngle(Y, -yawDeg * DEG);
}
