/** A vector in the world frame of CONVENTIONS.md section 1: +X east, +Y up, -Z true north. */
export type Vec3 = readonly [number, number, number];

export const DEG = Math.PI / 180;

/** Wraps any angle in degrees to [0, 360). */
export function wrap360(deg: number): number {
  const w = deg % 360;
  return w < 0 ? w + 360 : w === 0 ? 0 : w;
}

/** Wraps any angle in degrees to [-180, 180). */
export function wrap180(deg: number): number {
  return wrap360(deg + 180) - 180;
}

/**
 * Unit vector of an azimuth (degrees clockwise from true north) and elevation (degrees above the
 * horizon): `( sin az cos el, sin el, -cos az cos el )`. CONVENTIONS.md section 1.
 */
export function directionFromAngles(azimuthDeg: number, elevationDeg: number): Vec3 {
  const az = azimuthDeg * DEG;
  const el = elevationDeg * DEG;
  const c = Math.cos(el);
  return [Math.sin(az) * c, Math.sin(el), -Math.cos(az) * c];
}

/** Azimuth [0, 360) and elevation [-90, 90] in degrees of a vector of any non-zero length. */
export function anglesFromDirection(v: Vec3): { azimuthDeg: number; elevationDeg: number } {
  const horizontal = Math.hypot(v[0], v[2]);
  return {
    azimuthDeg: wrap360(Math.atan2(v[0], -v[2]) / DEG),
    elevationDeg: Math.atan2(v[1], horizontal) / DEG,
  };
}

export function dot(a: Vec3, b: Vec3): number {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

export function cross(a: Vec3, b: Vec3): Vec3 {
  return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
}

/** Unit vector along v. @throws RangeError for a zero vector. */
export function normalize(v: Vec3): Vec3 {
  const n = Math.hypot(v[0], v[1], v[2]);
  if (n === 0) throw new RangeError('a zero vector has no direction');
  return [v[0] / n, v[1] / n, v[2] / n];
}

/** Angle between two vectors in degrees of arc, [0, 180]; exact for tiny angles too. */
export function arcDeg(a: Vec3, b: Vec3): number {
  const c = cross(a, b);
  return Math.atan2(Math.hypot(c[0], c[1], c[2]), dot(a, b)) / DEG;
}
