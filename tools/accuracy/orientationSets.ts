import {
  anglesFromDirection,
  DEG,
  directionFromAngles,
  conjugate,
  fromRotationVector,
  magneticDeclinationDeg,
  multiply,
  noSources,
  normalize,
  quaternionFromAttitude,
  rotate,
  sigmaOf95,
  sunPosition,
  yawQuaternion,
  type Attitude,
  type OrientationSources,
  type Place,
  type Quaternion,
  type Stand,
  type Vec3,
} from '@tawny/core';
import type { createRandom } from '@tawny/simset';

type Random = ReturnType<typeof createRandom>;

/** A set whose panorama lies as `turn` says, and what its sources say of it. */
export interface OrientationSet {
  turn: Quaternion;
  sources: OrientationSources;
}

export const NOTHING = noSources(2048);

const between = (random: Random, a: number, b: number) => a + (b - a) * random.next();

/** A panorama turned anyhow about the vertical and off level by some degrees (one sigma of each axis). */
export function drawTurn(random: Random, leanDeg: number): Quaternion {
  const lean = fromRotationVector([leanDeg * DEG * random.normal(), 0, leanDeg * DEG * random.normal()]);
  return multiply(yawQuaternion(between(random, -180, 180)), lean);
}

/** A direction of the world as the panorama shows it, off by normal errors of one sigma (degrees) along and across. */
export function seenAt(random: Random, turn: Quaternion, world: Vec3, sigmaDeg: number, alongAzimuth = true) {
  const own = anglesFromDirection(rotate(conjugate(turn), world));
  const level = alongAzimuth ? Math.cos(own.elevationDeg * DEG) : 1;
  const elevation = own.elevationDeg + sigmaDeg * random.normal();
  return { panoramaAzimuthDeg: own.azimuthDeg + (sigmaDeg * random.normal()) / level, panoramaElevationDeg: elevation };
}

/** Some place at some time with the sun in the wanted part of the sky. */
export function drawSky(random: Random, lowestDeg: number, highestDeg: number, leastDeclinationDeg = 0) {
  for (;;) {
    const place: Place = {
      latitudeDeg: between(random, -60, 60),
      longitudeDeg: between(random, -180, 180),
      altitudeM: 0,
    };
    const utc = new Date(Date.UTC(2026, 0, 1) + 365 * 86400000 * random.next());
    const sun = sunPosition(place, utc);
    if (sun.elevationDeg < lowestDeg || sun.elevationDeg > highestDeg) continue;
    const declinationDeg = magneticDeclinationDeg(place, utc);
    if (Math.abs(declinationDeg) < leastDeclinationDeg) continue;
    return { place, utc, sun, declinationDeg };
  }
}

export function drawSun(
  random: Random,
  turn: Quaternion,
  sky: ReturnType<typeof drawSky>,
  { aimDeg = 0.06, clockS = 30 } = {},
): OrientationSources['sun'] {
  const seen = seenAt(random, turn, sky.sun.direction, sigmaOf95(aimDeg));
  return {
    azimuthDeg: seen.panoramaAzimuthDeg,
    elevationDeg: seen.panoramaElevationDeg,
    uncertaintyDeg: aimDeg,
    place: sky.place,
    utc: new Date(sky.utc.getTime() + 1000 * sigmaOf95(clockS) * random.normal()),
    clockS,
  };
}

export function drawCompasses(
  random: Random,
  turn: Quaternion,
  sky: ReturnType<typeof drawSky>,
  { readings = 1, uncertaintyDeg = 3, fromModel = false } = {},
): OrientationSources['compass'] {
  const sigma = fromModel ? 0.5 : 0;
  // The model is off by the same at all readings of a place.
  const declination = sky.declinationDeg + sigma * random.normal();
  return Array.from({ length: readings }, (_, k) => {
    const world = directionFromAngles(between(random, 0, 360), 0);
    const own = anglesFromDirection(rotate(conjugate(turn), world)).azimuthDeg;
    // Read along an azimuth of the panorama, on the level: where that direction truly points.
    const bearing = anglesFromDirection(rotate(turn, directionFromAngles(own, 0))).azimuthDeg;
    return {
      name: `compass ${k + 1}`,
      panoramaAzimuthDeg: own,
      readingDeg: bearing - declination + sigmaOf95(uncertaintyDeg) * random.normal(),
      biasDeg: 0,
      declinationDeg: sky.declinationDeg,
      declinationSigmaDeg: sigma,
      modelDeg: sky.declinationDeg,
      uncertaintyDeg,
    };
  });
}

/** Things round the sphere, none at its poles. */
export function drawMarks(random: Random, turn: Quaternion, count: number, sigmaDeg: number) {
  return Array.from({ length: count }, (_, k) => {
    const azimuthDeg = (360 * k) / count + between(random, -25, 25);
    const elevationDeg = between(random, -25, 45);
    const world = directionFromAngles(azimuthDeg, elevationDeg);
    const seen = seenAt(random, turn, world, sigmaDeg);
    return { name: `mark ${k + 1}`, ...seen, azimuthDeg, elevationDeg, uncertaintyDeg: 1.96 * sigmaDeg };
  });
}

/** What no source says: the camera as it was, and where each thing truly stood. */
export interface PickTruth {
  truePlate: NonNullable<OrientationSources['plate']>;
  /** From the station; `along`: how its direction moves for a share of its distance from the camera, times the distance. */
  truth: { world: Vec3; along: Vec3; distance: number; offAxisCos: number }[];
}

export interface PlateDraw {
  picks: number;
  fieldDeg: number;
  sigmaPx: number;
  /** Share of a distance, 95 %. */
  distanceShare: number;
  heading: boolean;
  panoramaWidthPx: number;
}

/** A plate of some things that the panorama shows too, from a camera that stood a metre or three from the station. */
export function drawPicks(
  random: Random,
  turn: Quaternion,
  { picks, fieldDeg, sigmaPx, distanceShare, heading, panoramaWidthPx }: PlateDraw,
): Pick<OrientationSources, 'picks' | 'plate' | 'station'> & PickTruth {
  const [widthPx, heightPx] = [2048, 1152];
  const focal = widthPx / 2 / Math.tan((fieldDeg / 2) * DEG);
  const pose: Attitude = {
    headingDeg: heading ? between(random, 0, 360) : 0,
    tiltDeg: between(random, -8, 8),
    rollDeg: between(random, -2, 2),
  };
  const u = { headingDeg: 0.2, tiltDeg: 0.2, rollDeg: 0.2, positionM: 0.05, focalShare: 0.002 };
  const camera = quaternionFromAttitude(pose);
  const away = between(random, 0, 360);
  const apart = between(random, 1, 3);
  const station: Stand = { eastM: 4, upM: 1.6, northM: -2 };
  const position: Stand = {
    eastM: station.eastM + apart * Math.sin(away * DEG),
    upM: between(random, 1.2, 2),
    northM: station.northM + apart * Math.cos(away * DEG),
  };
  // Spread over the picture as somebody would: one a quarter.
  const corners = [[-1, -1], [1, -1], [-1, 1], [1, 1]]; // prettier-ignore
  const truth: PickTruth['truth'] = [];
  const drawn = Array.from({ length: picks }, (_, k) => {
    const [sx, sy] = corners[k % 4];
    const x = widthPx * (0.5 + sx * between(random, 0.1, 0.45));
    const y = heightPx * (0.5 + sy * between(random, 0.1, 0.45));
    const ray = rotate(camera, normalize([(x - widthPx / 2) / focal, (heightPx / 2 - y) / focal, -1]));
    const distance = between(random, 5, 60);
    const point: Vec3 = [
      position.eastM + distance * ray[0] - station.eastM,
      position.upM + distance * ray[1] - station.upM,
      -(position.northM - distance * ray[2] - station.northM),
    ];
    const world = normalize(point);
    const far = Math.hypot(...point);
    // d(point) = ray d(distance): by the share of the distance, over how far it is from the station.
    const along: Vec3 = [0, 1, 2].map((c) => (ray[c] * distance * distance) / far) as [number, number, number];
    truth.push({ world, along, distance, offAxisCos: focal / Math.hypot(focal, x - widthPx / 2, y - heightPx / 2) });
    const seen = seenAt(random, turn, world, (sigmaPx * 360) / panoramaWidthPx, false);
    return {
      name: `pick ${k + 1}`,
      ...seen,
      xPx: x + sigmaPx * random.normal(),
      yPx: y + sigmaPx * random.normal(),
      distanceM: distance * (1 + sigmaOf95(distanceShare) * random.normal()),
      distanceShare,
      sigmaPx,
    };
  });
  const off = (half: number) => sigmaOf95(half) * random.normal();
  const scale = 1 + off(u.focalShare);
  const truePlate = {
    focalXPx: focal,
    focalYPx: focal,
    centreXPx: widthPx / 2,
    centreYPx: heightPx / 2,
    distortion: null,
    ...pose,
    position,
    uncertainty: u,
  };
  return {
    station,
    truePlate,
    truth,
    picks: drawn,
    plate: {
      ...truePlate,
      focalXPx: focal * scale,
      focalYPx: focal * scale,
      headingDeg: heading ? pose.headingDeg + off(u.headingDeg) : null,
      tiltDeg: pose.tiltDeg + off(u.tiltDeg),
      rollDeg: pose.rollDeg + off(u.rollDeg),
    },
  };
}

/** Upright edges as somebody marks them in the panorama, built as upright as walls are. */
export function drawVerticals(random: Random, turn: Quaternion, count: number, panoramaWidthPx: number) {
  const sigma = (1.5 * 360) / panoramaWidthPx;
  return Array.from({ length: count }, (_, k) => {
    const azimuth = (360 * k) / count + between(random, -20, 20);
    const lean = 0.1 * random.normal();
    const [low, high] = [between(random, -15, 5), between(random, 15, 45)];
    const end = (el: number) => {
      // A wall that leans sideways: its top is off by as much as it is high.
      const world = directionFromAngles(azimuth + lean * Math.tan(el * DEG), el);
      const seen = seenAt(random, turn, world, sigma, false);
      return [seen.panoramaAzimuthDeg, seen.panoramaElevationDeg] as const;
    };
    return [...end(low), ...end(high)] as const;
  });
}
