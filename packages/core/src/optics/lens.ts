import type { Vec3 } from '../sphere/direction';

/** How the angle from the optical axis maps to the distance from the picture's centre. CONVENTIONS.md section 5. */
export type Projection = 'equidistant' | 'equisolid' | 'stereographic' | 'orthographic' | 'rectilinear' | 'latlong';

/**
 * A lens on an upright picture. Continuous picture coordinates: x right, y down, pixel centres at half integers.
 * For `latlong` the picture itself spans all azimuths (heading in the middle) and `focalPx` is pixels per radian.
 */
export interface Lens {
  readonly projection: Projection;
  readonly width: number;
  readonly height: number;
  readonly centreX: number;
  readonly centreY: number;
  /** Pixels per radian at the centre. */
  readonly focalPx: number;
  /** Rays farther from the axis than this (radians) do not reach the picture. */
  readonly maxTheta: number;
  /** How the lens departs from its projection: the ideal radius times `1 + k1 theta^2 + k2 theta^4` (an odd polynomial of the angle). */
  readonly poly?: readonly [number, number];
}

/** Distance from the centre in units of the focal length for an angle theta (radians) from the axis. */
export function radiusOfAngle(projection: Projection, theta: number): number {
  switch (projection) {
    case 'equidistant':
    case 'latlong':
      return theta;
    case 'equisolid':
      return 2 * Math.sin(theta / 2);
    case 'stereographic':
      return 2 * Math.tan(theta / 2);
    case 'orthographic':
      return theta <= Math.PI / 2 ? Math.sin(theta) : Infinity;
    case 'rectilinear':
      return theta < Math.PI / 2 ? Math.tan(theta) : Infinity;
  }
}

/** Inverse of `radiusOfAngle`; NaN where no angle reaches the radius. */
export function angleOfRadius(projection: Projection, radius: number): number {
  switch (projection) {
    case 'equidistant':
    case 'latlong':
      return radius;
    case 'equisolid':
      return 2 * Math.asin(radius / 2);
    case 'stereographic':
      return 2 * Math.atan(radius / 2);
    case 'orthographic':
      return Math.asin(radius);
    case 'rectilinear':
      return Math.atan(radius);
  }
}

/** Distance from the picture's centre in units of the focal length, the lens's own departure included. */
export function lensRadius(lens: Pick<Lens, 'projection' | 'poly'>, theta: number): number {
  const r = radiusOfAngle(lens.projection, theta);
  if (!lens.poly) return r;
  const t = theta * theta;
  return r * (1 + t * (lens.poly[0] + t * lens.poly[1]));
}

/** Inverse of `lensRadius` by Newton steps from the ideal angle; NaN where no angle reaches the radius. */
export function lensAngle(lens: Pick<Lens, 'projection' | 'poly'>, radius: number): number {
  let theta = angleOfRadius(lens.projection, radius);
  if (!lens.poly || Number.isNaN(theta)) return theta;
  for (let k = 0; k < 8; k++) {
    const h = 1e-5;
    const f = lensRadius(lens, theta) - radius;
    const slope = (lensRadius(lens, theta + h) - lensRadius(lens, theta - h)) / (2 * h);
    if (!(Math.abs(slope) > 1e-9)) return NaN;
    theta -= f / slope;
    if (Math.abs(f) < 1e-12) break;
  }
  return theta;
}

/**
 * The field of view (degrees) of a projection whose focal length turned out `scale` times what its stated field of view makes it, over the
 * same extent of the picture. @throws RangeError where the projection holds no such angle
 */
export function fieldOfViewScaled(projection: Projection, fovDeg: number, scale: number): number {
  const half = angleOfRadius(projection, radiusOfAngle(projection, (fovDeg * Math.PI) / 360) / scale);
  if (!(half > 0))
    throw new RangeError(`${projection} with ${fovDeg} degrees has no focal length ${scale} times as long`);
  return (half * 360) / Math.PI;
}

/** Which extent of the picture a stated field of view spans. */
export type FovAcross = 'longSide' | 'width' | 'height' | 'diagonal' | 'circle';

/** Largest field of view (degrees) that each projection can hold. */
const FOV_LIMIT: Record<Projection, number> = {
  equidistant: 360,
  equisolid: 359,
  stereographic: 340,
  orthographic: 180,
  rectilinear: 175,
  latlong: 360,
};

/**
 * A centred lens from a stated field of view.
 * @param circlePx diameter of the image circle in pixels, needed when the angle is stated across `circle`
 * @throws RangeError when the angle is not possible for the projection or the picture is too small
 */
export function lensFromFov(
  projection: Projection,
  fovDeg: number,
  size: { width: number; height: number },
  across: FovAcross = 'longSide',
  circlePx?: number,
): Lens {
  const { width, height } = size;
  if (width < 16 || height < 16) {
    throw new RangeError(`a picture of ${width} x ${height} pixels is too small to be a view`);
  }
  if (projection === 'latlong') {
    const focalPx = width / (2 * Math.PI);
    return { projection, width, height, centreX: width / 2, centreY: height / 2, focalPx, maxTheta: Math.PI };
  }
  if (!(fovDeg > 1 && fovDeg <= FOV_LIMIT[projection])) {
    throw new RangeError(
      `a field of view of ${fovDeg} degrees is not possible for a ${projection} lens (1 to ${FOV_LIMIT[projection]})`,
    );
  }
  const extent = {
    longSide: Math.max(width, height),
    width,
    height,
    diagonal: Math.hypot(width, height),
    circle: circlePx ?? Math.min(width, height),
  }[across];
  const half = (fovDeg / 2) * (Math.PI / 180);
  const focalPx = extent / 2 / radiusOfAngle(projection, half);
  const corner = angleOfRadius(projection, Math.hypot(width, height) / 2 / focalPx);
  const circular = across === 'circle' || across === 'longSide';
  const maxTheta = circular || Number.isNaN(corner) ? half : Math.min(corner, Math.PI);
  return { projection, width, height, centreX: width / 2, centreY: height / 2, focalPx, maxTheta };
}

/** Picture coordinates of a direction in the camera's frame (-Z ahead, +Y up), or null when it misses the picture. */
export function projectDirection(lens: Lens, d: Vec3): { x: number; y: number; theta: number } | null {
  if (lens.projection === 'latlong') {
    const azimuth = Math.atan2(d[0], -d[2]);
    const elevation = Math.atan2(d[1], Math.hypot(d[0], d[2]));
    return { x: lens.centreX + lens.focalPx * azimuth, y: lens.centreY - lens.focalPx * elevation, theta: 0 };
  }
  const s = Math.hypot(d[0], d[1]);
  const theta = Math.atan2(s, -d[2]);
  if (theta > lens.maxTheta) return null;
  const k = s < 1e-15 ? 0 : (lens.focalPx * lensRadius(lens, theta)) / s;
  const x = lens.centreX + k * d[0];
  const y = lens.centreY - k * d[1];
  return x >= 0 && x <= lens.width && y >= 0 && y <= lens.height ? { x, y, theta } : null;
}

/** Unit direction in the camera's frame of picture coordinates, or null outside the lens's image circle. */
export function unprojectPixel(lens: Lens, x: number, y: number): Vec3 | null {
  const dx = (x - lens.centreX) / lens.focalPx;
  const dy = (lens.centreY - y) / lens.focalPx;
  if (lens.projection === 'latlong') {
    const c = Math.cos(dy);
    return [Math.sin(dx) * c, Math.sin(dy), -Math.cos(dx) * c];
  }
  const r = Math.hypot(dx, dy);
  const theta = lensAngle(lens, r);
  if (!(theta <= lens.maxTheta)) return null;
  if (r < 1e-15) return [0, 0, -1];
  const s = Math.sin(theta) / r;
  return [dx * s, dy * s, -Math.cos(theta)];
}
