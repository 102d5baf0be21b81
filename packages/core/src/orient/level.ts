import { halfWidth95 } from '../estimate/confidence';
import { luminance } from '../colour/primaries';
import { createImage, type RgbImage } from '../image/image';
import { smooth } from '../image/smooth';
import { arcDeg, DEG, type Vec3 } from '../sphere/direction';
import { assertLatlong, resampleLatlong } from '../sphere/latlong';
import { rotatePanorama } from '../sphere/rotatePanorama';
import { conjugate, fromRotationVector, multiply, rotate, type Quaternion } from './quaternion';

export interface LevelEstimate {
  /** The true up in the panorama's frame. */
  up: Vec3;
  /** Angle between that and the panorama's zenith, degrees. */
  tiltDeg: number;
  /** Half width of the 95 % interval of either axis, degrees. */
  uncertaintyDeg: number;
  /** Edge places that agree. */
  places: number;
  /** Turns the panorama's content so that it is level: premultiply the views' attitudes. */
  correction: Quaternion;
}

/** Verticals may lean by this much against the zenith as it is. */
const WIDEST_LEAN_DEG = 9;
const HIGHEST_EL_DEG = 60;
/** Lines on the ground that run away from the camera look upright, too: only what rises over the horizon is asked. */
const LOWEST_EL_DEG = -3;
const LEAST_PLACES = 400;
const WINDOW = 5;
/** Lintels, ropes and shadows pull by about this much whatever leans (measured on the simulated sets) ... */
const SYSTEMATIC_DEG = 0.14;
/** ... and steps of pixels hide a share of the lean that is left. */
const UNSEEN_SHARE = 0.3;
/** Measured again after it was taken out until less than this is left, and so often at most. */
const SETTLED_DEG = 0.05;
const ROUNDS = 5;
/** Wide enough to tell a tenth of a degree. */
const MEASURED_WIDTH = 1024;
/** What is wider than this is averaged down to it first: turned at twice the width that is measured, stairs of pixels are gone. */
export const LEVEL_WIDTH = 2 * MEASURED_WIDTH;
/** Places within this much azimuth belong to the same post or wall: what leans there leans together. */
const THING_DEG = 10;

/**
 * Levels a panorama by what stands upright in it: a straight line in the world is a great circle, and those of upright lines all pass through the zenith. Every strong edge
 * gives the normal of its great circle (the direction of its gradient on the sphere); up is the direction at right angles to most of them (robust least squares,
 * narrowing from `WIDEST_LEAN_DEG`). Ropes and ladders lean either way and fall out. What is found is taken out of a copy and measured again: the estimate is the better the
 * less is left, and its uncertainty is that of the last one.
 * @returns null when too little stands upright, or only in one direction
 * @throws RangeError unless width = 2 x height
 */
export function levelFromVerticals(panorama: RgbImage): LevelEstimate | null {
  assertLatlong(panorama);
  const given = averagedTo(LEVEL_WIDTH, panorama);
  let last = leanOf(averagedTo(MEASURED_WIDTH, given));
  if (!last) return null;
  let correction = last.correction;
  const turned = createImage(given.width, given.height, given);
  for (let round = 1; round < ROUNDS && last.tiltDeg > SETTLED_DEG; round++) {
    const next = leanOf(averagedTo(MEASURED_WIDTH, rotatePanorama(given, correction, turned)));
    if (!next) break;
    correction = multiply(next.correction, correction);
    last = next;
  }
  const up = rotate(conjugate(correction), [0, 1, 0]);
  return { ...last, up, tiltDeg: arcDeg(up, [0, 1, 0]), correction };
}

const averagedTo = (width: number, panorama: RgbImage) =>
  panorama.width > width ? resampleLatlong(panorama, width) : panorama;

/** One measurement: right for small leans, too little for large ones. */
function leanOf(panorama: RgbImage): LevelEstimate | null {
  const { width, height } = panorama;
  const { normals, weights } = edgeNormals(panorama);
  if (weights.length < LEAST_PLACES) return null;
  let [ux, uz] = [0, 0];
  let last = { sum: 0, xx: 0, xz: 0, zz: 0, inliers: 0 };
  let things = new Map<number, [number, number]>();
  const pixelDeg = 360 / width;
  for (const limitDeg of [WIDEST_LEAN_DEG, 5, 3, 2, 1.2, Math.max(0.6, 2 * pixelDeg), Math.max(0.6, 2 * pixelDeg)]) {
    const limit = limitDeg * DEG;
    const a = { sum: 0, xx: 0, xz: 0, zz: 0, bx: 0, bz: 0, inliers: 0 };
    things = new Map();
    for (let k = 0; k < weights.length; k++) {
      const [nx, ny, nz] = [normals[3 * k], normals[3 * k + 1], normals[3 * k + 2]];
      const e = nx * ux + ny + nz * uz;
      const u = e / limit;
      if (Math.abs(u) >= 1) continue;
      const w = weights[k] * (1 - u * u) ** 2;
      a.xx += w * nx * nx;
      a.xz += w * nx * nz;
      a.zz += w * nz * nz;
      a.bx -= w * nx * e;
      a.bz -= w * nz * e;
      a.sum += w;
      a.inliers++;
      const thing = Math.floor(Math.atan2(nx, nz) / (THING_DEG * DEG));
      const score = things.get(thing) ?? [0, 0];
      things.set(thing, [score[0] + w * nx * e, score[1] + w * nz * e]);
    }
    const determinant = a.xx * a.zz - a.xz * a.xz;
    if (a.inliers < LEAST_PLACES || !(determinant > 1e-3 * a.sum * a.sum)) return null;
    ux += (a.bx * a.zz - a.bz * a.xz) / determinant;
    uz += (a.bz * a.xx - a.bx * a.xz) / determinant;
    last = a;
  }
  const determinant = last.xx * last.zz - last.xz * last.xz;
  // Cluster-robust ("sandwich") covariance with things as clusters: A^-1 B A^-1.
  let [bxx, bxz, bzz] = [0, 0, 0];
  for (const [sx, sz] of things.values()) {
    bxx += sx * sx;
    bxz += sx * sz;
    bzz += sz * sz;
  }
  const [ixx, ixz, izz] = [last.zz / determinant, -last.xz / determinant, last.xx / determinant];
  const varianceX = ixx * ixx * bxx + 2 * ixx * ixz * bxz + ixz * ixz * bzz;
  const varianceZ = ixz * ixz * bxx + 2 * ixz * izz * bxz + izz * izz * bzz;
  const few = things.size / Math.max(1, things.size - 2);
  const n = Math.hypot(ux, 1, uz);
  const up: Vec3 = [ux / n, 1 / n, uz / n];
  const tilt = Math.acos(Math.min(1, up[1]));
  const axis = Math.hypot(up[0], up[2]);
  // Turns `up` onto +Y: about up x Y = (-uz, 0, ux).
  const turn: Vec3 = axis < 1e-12 ? [0, 0, 0] : [(-up[2] / axis) * tilt, 0, (up[0] / axis) * tilt];
  return {
    up,
    tiltDeg: tilt / DEG,
    uncertaintyDeg: Math.hypot(
      halfWidth95(Math.sqrt(few * Math.max(varianceX, varianceZ))) / DEG,
      0.1 * (180 / height),
      SYSTEMATIC_DEG,
      UNSEEN_SHARE * (tilt / DEG),
    ),
    places: last.inliers,
    correction: fromRotationVector(turn),
  };
}

/** Normals of the great circles along strong, straight edges that may be upright, with their weights. */
function edgeNormals(panorama: RgbImage): { normals: number[]; weights: number[] } {
  const { width, height, data } = panorama;
  const log = new Float32Array(width * height);
  for (let i = 0; i < log.length; i++)
    log[i] = Math.log(Math.max(1e-9, luminance(data[3 * i], data[3 * i + 1], data[3 * i + 2], panorama.space)));
  // Sharp edges that lean a little are stairs of pixels whose steps stand upright: unsmoothed they would pull towards no lean.
  smooth(log, width, height, true);
  const top = Math.max(3, Math.ceil(height * (0.5 - HIGHEST_EL_DEG / 180)));
  const bottom = Math.floor(height * (0.5 - LOWEST_EL_DEG / 180));
  const step = (2 * Math.PI) / width;
  // Structure tensor: its main direction over a window is far steadier than a single gradient.
  const tensor = [new Float32Array(width * height), new Float32Array(width * height), new Float32Array(width * height)];
  for (let y = top - 2; y < bottom + 2; y++) {
    const cosEl = Math.cos(Math.PI * (0.5 - (y + 0.5) / height));
    for (let x = 0; x < width; x++) {
      const [l, r] = [x === 0 ? width - 1 : x - 1, x === width - 1 ? 0 : x + 1];
      const at = (u: number, v: number) => log[v * width + u];
      // Scharr's kernel: the one of its size whose direction errs least.
      const gx =
        (3 * (at(r, y - 1) - at(l, y - 1)) + 10 * (at(r, y) - at(l, y)) + 3 * (at(r, y + 1) - at(l, y + 1))) /
        (32 * step * cosEl);
      const gy =
        -(3 * (at(l, y + 1) - at(l, y - 1)) + 10 * (at(x, y + 1) - at(x, y - 1)) + 3 * (at(r, y + 1) - at(r, y - 1))) /
        (32 * step);
      const i = y * width + x;
      tensor[0][i] = gx * gx;
      tensor[1][i] = gx * gy;
      tensor[2][i] = gy * gy;
    }
  }
  const reach = (WINDOW - 1) / 2;
  const strength: number[] = [];
  const found: { nx: number; ny: number; nz: number; s: number }[] = [];
  const sinLean = Math.sin(WIDEST_LEAN_DEG * DEG);
  for (let y = top; y < bottom; y++) {
    const el = Math.PI * (0.5 - (y + 0.5) / height);
    for (let x = 0; x < width; x++) {
      let [a, b, c] = [0, 0, 0];
      for (let v = -reach; v <= reach; v++) {
        for (let u = -reach; u <= reach; u++) {
          const i = (y + v) * width + ((x + u + width) % width);
          a += tensor[0][i];
          b += tensor[1][i];
          c += tensor[2][i];
        }
      }
      const spread = Math.hypot(a - c, 2 * b);
      const trace = a + c;
      // One direction must rule: corners and leaves have none.
      if (!(trace > 0) || spread < 0.9 * trace) continue;
      const angle = 0.5 * Math.atan2(2 * b, a - c);
      const [ga, ge] = [Math.cos(angle), Math.sin(angle)];
      // Gradient in the world: azimuth part along (cos az, 0, sin az), elevation part along (-sin az sin el, cos el, cos az sin el).
      const az = (x + 0.5) * step;
      const ny = ge * Math.cos(el);
      if (Math.abs(ny) > sinLean) continue;
      found.push({
        nx: ga * Math.cos(az) - ge * Math.sin(az) * Math.sin(el),
        ny,
        nz: ga * Math.sin(az) + ge * Math.cos(az) * Math.sin(el),
        s: trace,
      });
      strength.push(trace);
    }
  }
  strength.sort((p, q) => p - q);
  // The strongest third: the rest is texture.
  const least = strength[Math.floor(strength.length * 0.67)] ?? 0;
  const most = strength[Math.floor(strength.length * 0.95)] ?? 1;
  const kept = found.filter((f) => f.s >= least);
  return { normals: kept.flatMap((f) => [f.nx, f.ny, f.nz]), weights: kept.map((f) => Math.sqrt(Math.min(f.s, most))) };
}
