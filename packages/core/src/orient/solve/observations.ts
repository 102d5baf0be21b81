import { CIRCLE_95, sigmaOf95 } from '../../estimate/confidence';
import { undistort } from '../../camera/distortion';
import { offsetInWorld } from '../../camera/stationFromCamera';
import {
  anglesFromDirection,
  cross,
  DEG,
  directionFromAngles,
  dot,
  normalize,
  wrap180,
  type Vec3,
} from '../../sphere/direction';
import { sunPosition } from '../../sun/ephemeris';
import { quaternionFromAttitude } from '../attitude';
import { horizonDipDeg } from '../horizonDip';
import { UNKNOWN_CLOCK_S, UNKNOWN_LEVEL_DEG } from '../north';
import { conjugate, multiply, rotate, toRotationVector, type Quaternion } from '../quaternion';
import type { CompassSource, OrientationSources, PickSource, PlateSource, SourceKind } from './sources';

/** What one source says of the turn `panorama -> world`: residuals that are 0 where it is right. */
export interface Observation {
  name: string;
  kind: SourceKind;
  /** One sigma of each residual, radians. */
  sigmas: readonly number[];
  /** Seen minus expected, radians. `hidden` holds the unknowns behind the sources, each in its own sigmas. */
  residual: (turn: Quaternion, hidden: Float64Array) => readonly number[];
  /** Direction in the panorama and in the world, for sources that are directions. */
  pair: ((hidden: Float64Array) => { seen: Vec3; world: Vec3 }) | null;
}

/** Unknowns that several residuals share: clock, declination, the plate's pose, distances. All have a prior of one. */
export interface Problem {
  observations: readonly Observation[];
  hidden: number;
  /** Index of the plate's heading among the hidden, where nothing holds it. */
  freeHeading: number | null;
  frame: 'trueNorth' | 'set';
}

/** What may be assumed otherwise than it was stated: see `causes.ts`. */
export interface Variant {
  /** Hours that the stated time is behind. */
  clockHours?: number;
  /** One sigma of the clock, seconds. */
  clockSigmaS?: number;
  /** A compass's declination, whatever was stated. */
  declinationDeg?: (compass: CompassSource) => number;
  /** One sigma of what all compasses share. */
  compassSigmaDeg?: number;
  /** The panorama's directions as they would be, had it been read the other way. */
  seen?: (direction: Vec3) => Vec3;
  /** One sigma, degrees, of sources that are not believed, by name. */
  loose?: ReadonlyMap<string, number>;
}

/** The atmosphere bends light by more or less than the standard one: 95 %, high and within 5 degrees of the horizon. */
const REFRACTION_DEG = [0.02, 0.1] as const;
/** Edges that were built upright lean by this much (one sigma). */
const BUILT_LEAN_DEG = 0.1;
/** Ends of an edge are marked this well in the panorama, pixels. */
const END_SIGMA_PX = 1.5;
/** Haze and swell hide where the horizon truly lies, one sigma, degrees; nobody knows how high the eye was over the water, with the refraction, but by this share of its dip. */
const HORIZON_SIGMA_DEG = 0.03;
const DIP_SHARE = 0.5;
/** Where nobody measured how far the camera stood from the station: one sigma of each axis, metres. */
const UNKNOWN_OFFSET_M = 1;
/** Inverse of a distance that nobody knows, 1/m: from 3.5 m to the horizon. */
const UNKNOWN_NEARNESS = { mean: 0.08, sigma: 0.1 } as const;
/** A heading that nothing holds, radians. */
const FREE_HEADING = Math.PI;

const UP: Vec3 = [0, 1, 0];

/** Names of the sources in the order in which they are judged. */
export const nameOf = {
  sun: 'sun',
  level: 'level',
  assumedLevel: 'level (assumed)',
  hand: 'hand',
  vertical: (k: number) => `vertical ${k + 1}`,
  horizon: (k: number) => `horizon ${k + 1}`,
} as const;

/**
 * The observations of some sources. @param assumeLevel holds the level where nobody looked, as loosely as rigs lean
 * @throws RangeError when picks come without the plate's camera
 */
export function problemOf(s: OrientationSources, assumeLevel: boolean, variant: Variant = {}): Problem {
  const observations: Observation[] = [];
  let hidden = 0;
  const unknown = () => hidden++;
  const flip = variant.seen ?? ((d: Vec3) => d);
  const loosened = (name: string, sigmaDeg: readonly number[]) => {
    const loose = variant.loose?.get(name);
    return sigmaDeg.map((v) => DEG * (loose === undefined ? v : Math.hypot(v, loose)));
  };
  const add = (name: string, kind: SourceKind, sigmaDeg: readonly number[], residual: Observation['residual']) =>
    observations.push({ name, kind, sigmas: loosened(name, sigmaDeg), residual, pair: null });
  const direction = (
    name: string,
    kind: SourceKind,
    sigmaDeg: readonly [number, number],
    seen: Vec3,
    world: (hidden: Float64Array) => Vec3,
  ) =>
    observations.push({
      name,
      kind,
      sigmas: loosened(name, sigmaDeg),
      residual: (turn, h) => tangent(seen, rotate(conjugate(turn), world(h))),
      pair: (h) => ({ seen, world: world(h) }),
    });

  if (s.sun) {
    const { sun } = s;
    const clock = unknown();
    const clockS = variant.clockSigmaS ?? sigmaOf95(sun.clockS ?? UNKNOWN_CLOCK_S);
    const at = sun.utc.getTime() + 3600000 * (variant.clockHours ?? 0);
    const refraction = REFRACTION_DEG[sun.elevationDeg < 5 ? 1 : 0];
    const sigma = sigmaOf95(Math.hypot(sun.uncertaintyDeg, refraction));
    const path = sunPath(sun.place);
    direction(nameOf.sun, 'sun', [sigma, sigma], flip(directionFromAngles(sun.azimuthDeg, sun.elevationDeg)), (h) =>
      path(at - 1000 * clockS * h[clock]),
    );
  }
  if (s.level || assumeLevel) {
    const name = s.level ? nameOf.level : nameOf.assumedLevel;
    const sigma = sigmaOf95(s.level?.uncertaintyDeg ?? UNKNOWN_LEVEL_DEG);
    // In the panorama's axes: how it leans is the same wherever its north lies.
    add(name, 'level', [sigma, sigma], (turn) => lean(rotate(conjugate(turn), UP)));
  }
  if (s.hand) {
    const back = conjugate(s.hand.quaternion);
    const sigma = sigmaOf95(s.hand.uncertaintyDeg);
    add(nameOf.hand, 'hand', [sigma, sigma, sigma], (turn) => toRotationVector(multiply(turn, back)));
  }
  if (s.compass.length > 0) {
    const shared = unknown();
    for (const c of s.compass) {
      const seen = flip(directionFromAngles(c.panoramaAzimuthDeg, 0));
      const declination = variant.declinationDeg?.(c) ?? c.declinationDeg;
      const together = Math.hypot(c.declinationSigmaDeg, variant.compassSigmaDeg ?? 0);
      add(c.name, 'compass', [sigmaOf95(c.uncertaintyDeg)], (turn, h) => {
        const bearing = anglesFromDirection(rotate(turn, seen)).azimuthDeg;
        return [DEG * wrap180(bearing - (c.readingDeg - c.biasDeg + declination) - together * h[shared])];
      });
    }
  }
  for (const m of s.marks) {
    const world = directionFromAngles(m.azimuthDeg, m.elevationDeg);
    const sigma = sigmaOf95(m.uncertaintyDeg);
    direction(m.name, 'mark', [sigma, sigma], flip(inPanorama(m)), () => world);
  }
  let freeHeading: number | null = null;
  const north = s.sun !== null || s.compass.length > 0 || s.marks.length > 0;
  if (s.picks.length > 0) {
    if (!s.plate) throw new RangeError('picks need the camera of their plate: focal length, tilt and roll at least');
    const { plate } = s;
    const pose = [unknown(), unknown(), unknown()] as const;
    const offset = [unknown(), unknown(), unknown()] as const;
    const zoom = unknown();
    if (plate.headingDeg === null && north) freeHeading = pose[0];
    const camera = plateRays(plate, pose, zoom, freeHeading !== null);
    const apart = offsetOf(s, offset, headingOf(plate, pose[0], freeHeading !== null));
    const perPx = 360 / s.panoramaWidthPx;
    for (const pick of s.picks) {
      const near = nearnessOf(pick, unknown());
      const { ray, sigmaDeg } = camera(pick);
      const { panoramaElevationDeg: el } = pick;
      const level = Math.max(0.02, Math.cos(el * DEG));
      direction(
        pick.name,
        'pick',
        [Math.hypot(pick.sigmaPx * perPx * level, sigmaDeg), Math.hypot(pick.sigmaPx * perPx, sigmaDeg)],
        flip(inPanorama(pick)),
        (h) => {
          const [d, o, n] = [ray(h), apart(h), near(h)];
          return normalize([d[0] + n * o[0], d[1] + n * o[1], d[2] + n * o[2]]);
        },
      );
    }
  }
  const pointedDeg = (withinDeg: number | undefined) =>
    Math.max((END_SIGMA_PX * 360) / s.panoramaWidthPx, sigmaOf95(withinDeg ?? 0));
  s.verticals.forEach(([az1, el1, az2, el2, withinDeg], k) => {
    const [a, b] = [flip(directionFromAngles(az1, el1)), flip(directionFromAngles(az2, el2))];
    const across = cross(a, b);
    const length = Math.asin(Math.min(1, Math.hypot(...across)));
    if (length < DEG * 0.2)
      throw new RangeError(`the ends of ${nameOf.vertical(k)} lie on one point: mark them farther apart`);
    const normal = normalize(across);
    // Carried on to the zenith, an error of the ends grows with the way.
    const along = (d: Vec3) => Math.atan2(dot(cross(UP, d), normal), dot(UP, d));
    const [ta, tb] = [along(a), along(b)];
    // Across an upright edge a pixel is the smaller the higher it lies.
    const [ea, eb] = [Math.cos(el1 * DEG) * Math.sin(tb), Math.cos(el2 * DEG) * Math.sin(ta)];
    const grown = Math.hypot(ea, eb) / Math.abs(Math.sin(tb - ta));
    const sigma = Math.hypot(grown * pointedDeg(withinDeg), BUILT_LEAN_DEG);
    add(nameOf.vertical(k), 'vertical', [sigma], (turn) => [
      Math.asin(Math.max(-1, Math.min(1, rotate(turn, normal)[1]))),
    ]);
  });
  if (s.horizon) {
    const dip = DEG * horizonDipDeg(s.horizon.heightM);
    // The eye's height is the same for every point: it lowers the whole horizon and leans nothing.
    const eye = unknown();
    s.horizon.points.forEach(([az, el, withinDeg], k) => {
      const seen = flip(directionFromAngles(az, el));
      const sigma = Math.hypot(pointedDeg(withinDeg), HORIZON_SIGMA_DEG);
      add(nameOf.horizon(k), 'horizon', [sigma], (turn, h) => [
        Math.asin(Math.max(-1, Math.min(1, rotate(turn, seen)[1]))) + dip * (1 + DIP_SHARE * h[eye]),
      ]);
    });
  }
  const ownNorth =
    north || (s.plate !== null && s.plate.headingDeg !== null && (s.picks.length > 0 || s.hand !== null));
  return { observations, hidden, freeHeading, frame: ownNorth ? 'trueNorth' : 'set' };
}

const inPanorama = (d: { panoramaAzimuthDeg: number; panoramaElevationDeg: number }): Vec3 =>
  directionFromAngles(d.panoramaAzimuthDeg, d.panoramaElevationDeg);

/** Where b lies from a on the sphere, radians along a's azimuth and elevation. */
function tangent(a: Vec3, b: Vec3): [number, number] {
  const level = Math.hypot(a[0], a[2]);
  const right: Vec3 = level < 1e-9 ? [1, 0, 0] : [-a[2] / level, 0, a[0] / level];
  const up = cross(right, a);
  const [x, y] = [dot(right, b), dot(up, b)];
  const off = Math.hypot(x, y);
  const angle = Math.atan2(off, dot(a, b));
  // Opposite directions: any way is as far.
  if (off < 1e-12) return [angle, 0];
  return [(angle * x) / off, (angle * y) / off];
}

/** How far a direction leans from straight up, radians about two level axes. */
function lean(up: Vec3): [number, number] {
  const off = Math.hypot(up[0], up[2]);
  const angle = Math.atan2(off, up[1]);
  if (off < 1e-12) return [angle, 0];
  return [(angle * up[0]) / off, (angle * up[2]) / off];
}

/** Between times this far apart the sun moves straight: a twentieth of a degree. */
const SUN_STEP_MS = 12000;

/** The sun's direction by time, milliseconds, without steps: the solver feels its way along it. */
function sunPath(place: Parameters<typeof sunPosition>[0]): (ms: number) => Vec3 {
  const known = new Map<number, Vec3>();
  const at = (step: number): Vec3 => {
    let d = known.get(step);
    if (!d) known.set(step, (d = sunPosition(place, new Date(step * SUN_STEP_MS)).direction));
    return d;
  };
  return (ms) => {
    const step = Math.floor(ms / SUN_STEP_MS);
    const t = ms / SUN_STEP_MS - step;
    const [a, b] = [at(step), at(step + 1)];
    return normalize([a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]), a[2] + t * (b[2] - a[2])]);
  };
}

/** World directions of the plate's pixels, by the errors of its attitude and focal length, and how far a pixel's error turns them. */
function plateRays(plate: PlateSource, pose: readonly [number, number, number], zoom: number, freeHeading: boolean) {
  const { uncertainty: u } = plate;
  const heading = headingOf(plate, pose[0], freeHeading);
  const rotation = (h: Float64Array) =>
    quaternionFromAttitude({
      headingDeg: heading(h),
      tiltDeg: plate.tiltDeg + sigmaOf95(u.tiltDeg) * h[pose[1]],
      rollDeg: plate.rollDeg + sigmaOf95(u.rollDeg) * h[pose[2]],
    });
  return (pick: PickSource) => {
    const seen = [
      (pick.xPx - plate.centreXPx) / plate.focalXPx,
      (pick.yPx - plate.centreYPx) / plate.focalYPx,
    ] as const;
    const ideal = plate.distortion ? undistort(plate.distortion, ...seen) : seen;
    if (!ideal) throw new RangeError(`${pick.name}: the plate's lens sends no ray to ${pick.xPx}, ${pick.yPx}`);
    const cos2 = 1 / (1 + ideal[0] ** 2 + ideal[1] ** 2);
    // The mean of a pixel's error along the radius (cos² of the angle off the axis) and across it (cos).
    const sigmaDeg =
      (pick.sigmaPx * Math.sqrt((cos2 * (1 + cos2)) / 2)) / Math.sqrt(Math.abs(plate.focalXPx) * plate.focalYPx) / DEG;
    const ray = (h: Float64Array): Vec3 => {
      const k = 1 + sigmaOf95(u.focalShare) * h[zoom];
      return rotate(rotation(h), normalize([ideal[0] / k, -ideal[1] / k, -1]));
    };
    return { ray, sigmaDeg };
  };
}

/** The plate's heading by its own error, degrees; where nothing holds it, any. */
function headingOf(plate: PlateSource, index: number, free: boolean): (h: Float64Array) => number {
  const sigmaDeg = free ? FREE_HEADING / DEG : plate.headingDeg === null ? 0 : sigmaOf95(plate.uncertainty.headingDeg);
  return (h) => (plate.headingDeg ?? 0) + sigmaDeg * h[index];
}

/** From the station to the plate's pupil, world axes, metres. */
function offsetOf(
  s: OrientationSources,
  index: readonly [number, number, number],
  heading: (h: Float64Array) => number,
): (h: Float64Array) => Vec3 {
  const paced = s.plate?.stationOffset;
  if (paced) {
    const sigma = (s.plate!.uncertainty.positionM ?? 0) / CIRCLE_95;
    return (h) => {
      const o = offsetInWorld(paced, heading(h));
      return [sigma * h[index[0]] - o[0], sigma * h[index[1]] - o[1], sigma * h[index[2]] - o[2]];
    };
  }
  const at = s.plate?.position;
  const known = at && s.station;
  const sigma = known ? (s.plate!.uncertainty.positionM ?? 0) / CIRCLE_95 : UNKNOWN_OFFSET_M;
  const [east, up, south] = known
    ? [at.eastM - s.station!.eastM, at.upM - s.station!.upM, s.station!.northM - at.northM]
    : [0, 0, 0];
  return (h) => [east + sigma * h[index[0]], up + sigma * h[index[1]], south + sigma * h[index[2]]];
}

/** One over the distance of a pick. */
function nearnessOf({ distanceM, distanceShare }: PickSource, index: number): (h: Float64Array) => number {
  if (distanceM === null) return (h) => Math.max(0, UNKNOWN_NEARNESS.mean + UNKNOWN_NEARNESS.sigma * h[index]);
  return (h) => Math.max(0, (1 + sigmaOf95(distanceShare) * h[index]) / distanceM);
}
