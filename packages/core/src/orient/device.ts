import { anglesFromDirection, DEG, type Vec3 } from '../sphere/direction';
import type { Attitude } from './attitude';

/**
 * Where the back camera of a phone looks, from the three angles of its orientation sensor (degrees; turns about Z, then X, then Y of a frame with X east, Y north, Z up, as the
 * browser standard states them). The picture's upper edge is the phone's. Headings are against whatever north the sensor has.
 */
export function attitudeOfDevice(alphaDeg: number, betaDeg: number, gammaDeg: number): Attitude {
  const [a, b, g] = [alphaDeg * DEG, betaDeg * DEG, gammaDeg * DEG];
  const [ca, sa, cb, sb, cg, sg] = [Math.cos(a), Math.sin(a), Math.cos(b), Math.sin(b), Math.cos(g), Math.sin(g)];
  // Columns of Rz(a) Rx(b) Ry(g): the phone's right, upper edge and screen normal in east, north, up.
  const right: Vec3 = [ca * cg - sa * sb * sg, sa * cg + ca * sb * sg, -cb * sg];
  const upper: Vec3 = [-sa * cb, ca * cb, sb];
  const normal: Vec3 = [ca * sg + sa * sb * cg, sa * sg - ca * sb * cg, cb * cg];
  const ours = ([east, north, up]: Vec3): Vec3 => [east, up, -north];
  const { azimuthDeg, elevationDeg } = anglesFromDirection(ours([-normal[0], -normal[1], -normal[2]]));
  return { headingDeg: azimuthDeg, tiltDeg: elevationDeg, rollDeg: Math.atan2(-right[2], upper[2]) / DEG };
}

/** The shortest turn from one heading to another, -180 to 180 degrees, right positive. */
export function turnDeg(fromDeg: number, toDeg: number): number {
  return ((((toDeg - fromDeg + 180) % 360) + 360) % 360) - 180;
}
