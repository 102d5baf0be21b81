import { halfWidth95 } from '../estimate/confidence';
import { luminance } from '../colour/primaries';
import type { RgbImage } from '../image/image';
import { smooth } from '../image/smooth';
import { arcDeg, DEG, type Vec3 } from '../sphere/direction';
import { assertLatlong, averagedLatlong, resampleLatlong } from '../sphere/latlong';
import { rotateRows } from '../sphere/rotatePanorama';
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
/** Rows of the measured width that smoothing, gradients and windows reach beyond those that are asked. */
const SPARE_ROWS = 8;
/** Places to each side over which an edge has to be straight. */
const REACH = 2;
/** Rows beyond those edges that their gradients and the smoothing come from. */
const BEYOND = REACH + 2;
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
/** Turned by more than this (degrees) no picture is measured again: what leans so much is not told by what stands upright. */
const MOST_TURNED_DEG = 2 * WIDEST_LEAN_DEG;
/** Rows of a picture of `LEVEL_WIDTH` that are looked at however it is turned, the first and the one after the last: the others may stay empty. */
export const LEVEL_ROWS = rowsAsked(LEVEL_WIDTH, MOST_TURNED_DEG);
/** Places within this much azimuth belong to the same post or wall: what leans there leans together. */
const THING_DEG = 10;
/** One sigma of a level that hangs on a single thing. */
const UNDECIDED_DEG = 1;

/**
 * Levels a panorama by what stands upright in it: a straight line in the world is a great circle, and those of upright lines all pass through the zenith. Every strong edge
 * gives the normal of its great circle (the direction of its gradient on the sphere); up is the direction at right angles to most of them (robust least squares,
 * narrowing from `WIDEST_LEAN_DEG`). Ropes and ladders lean either way and fall out; how far the things that are left disagree is its uncertainty. What is found is taken out of a copy and measured again: the estimate is the better the
 * less is left, and its uncertainty is that of the last one.
 * @param detailDeg the smallest thing that the picture shows, degrees: finer than that nothing upright is known (half of its own pixel when left out)
 * @returns null when too little stands upright, or only in one direction
 * @throws RangeError unless width = 2 x height
 */
export function levelFromVerticals(panorama: RgbImage, detailDeg = 180 / panorama.width): LevelEstimate | null {
  assertLatlong(panorama);
  const given = greyAt(LEVEL_WIDTH, panorama);
  let last = leanOf(averagedTo(MEASURED_WIDTH, given), detailDeg);
  if (!last) return null;
  let correction = last.correction;
  const turned: Grey = { width: given.width, data: new Float32Array(given.data.length) };
  const [y0, y1] = rowsAsked(given.width);
  for (let round = 1; round < ROUNDS && last.tiltDeg > SETTLED_DEG; round++) {
    if (arcDeg(rotate(correction, [0, 1, 0]), [0, 1, 0]) > MOST_TURNED_DEG) break;
    rotateRows(given.data, 1, given.width, correction, turned.data, y0, y1);
    const next = leanOf(averagedTo(MEASURED_WIDTH, turned), detailDeg);
    if (!next) break;
    correction = multiply(next.correction, correction);
    last = next;
  }
  const up = rotate(conjugate(correction), [0, 1, 0]);
  return { ...last, up, tiltDeg: arcDeg(up, [0, 1, 0]), correction };
}

/** Luminance of a latitude-longitude picture, half as high as wide. */
interface Grey {
  width: number;
  data: Float32Array;
}

function greyAt(width: number, panorama: RgbImage): Grey {
  const given = panorama.width > width ? resampleLatlong(panorama, width) : panorama;
  const grey = new Float32Array(given.width * given.height);
  for (let i = 0; i < grey.length; i++)
    grey[i] = luminance(given.data[3 * i], given.data[3 * i + 1], given.data[3 * i + 2], given.space);
  return { width: given.width, data: grey };
}

const averagedTo = (width: number, grey: Grey): Grey =>
  grey.width > width ? { width, data: averagedLatlong(grey.data, 1, grey.width, width, rowsAsked(width)) } : grey;

/** First row, and the one after the last, that the edges of a picture of some width come from, averaged and smoothed, turned by so much: with some to spare. */
function rowsAsked(width: number, turnedDeg = 0): [number, number] {
  const height = width / 2;
  const spare = Math.ceil((SPARE_ROWS * width) / MEASURED_WIDTH);
  return [
    Math.max(0, Math.floor(height * (0.5 - (HIGHEST_EL_DEG + turnedDeg) / 180)) - spare),
    Math.min(height, Math.ceil(height * (0.5 - (LOWEST_EL_DEG - turnedDeg) / 180)) + spare),
  ];
}

/** One measurement: right for small leans, too little for large ones. */
function leanOf(grey: Grey, detailDeg: number): LevelEstimate | null {
  const { normals, weights } = edgeNormals(grey);
  if (weights.length < LEAST_PLACES) return null;
  let [ux, uz] = [0, 0];
  let things: Thing[] = [];
  // Two pixels.
  const finest = Math.max(0.6, 720 / grey.width);
  for (const limitDeg of [WIDEST_LEAN_DEG, 5, 3, 2, 1.2, finest, finest]) {
    things = thingsWithin(normals, weights, [ux, uz], limitDeg * DEG);
    const all = sumOf(things);
    const step = stepOf(all);
    if (all.places < LEAST_PLACES || !step) return null;
    ux += step[0];
    uz += step[1];
  }
  const sigma = jackknife(things);
  const n = Math.hypot(ux, 1, uz);
  const up: Vec3 = [ux / n, 1 / n, uz / n];
  const tilt = Math.acos(Math.min(1, up[1]));
  const axis = Math.hypot(up[0], up[2]);
  // Turns `up` onto +Y: about up x Y = (-uz, 0, ux).
  const turn: Vec3 = axis < 1e-12 ? [0, 0, 0] : [(-up[2] / axis) * tilt, 0, (up[0] / axis) * tilt];
  return {
    up,
    tiltDeg: tilt / DEG,
    uncertaintyDeg: Math.hypot(halfWidth95(sigma) / DEG, detailDeg, SYSTEMATIC_DEG, UNSEEN_SHARE * (tilt / DEG)),
    places: sumOf(things).places,
    correction: fromRotationVector(turn),
  };
}

/** Normal equations of the up direction's two free components, from the edge places of one thing. */
interface Thing {
  places: number;
  sum: number;
  xx: number;
  xz: number;
  zz: number;
  bx: number;
  bz: number;
}

const nothing = (): Thing => ({ places: 0, sum: 0, xx: 0, xz: 0, zz: 0, bx: 0, bz: 0 });

/** The equations of all things, without one of them. */
function sumOf(things: readonly Thing[], without?: Thing): Thing {
  const all = nothing();
  for (const t of things) if (t !== without) for (const k of Object.keys(all) as (keyof Thing)[]) all[k] += t[k];
  return all;
}

/** Equations of the places that lean less than a limit (biweight) against an up direction, thing by thing: a wall of a thousand places leans as one. */
function thingsWithin(
  normals: readonly number[],
  weights: readonly number[],
  [ux, uz]: readonly [number, number],
  limit: number,
): Thing[] {
  const things = new Map<number, Thing>();
  for (let k = 0; k < weights.length; k++) {
    const [nx, ny, nz] = [normals[3 * k], normals[3 * k + 1], normals[3 * k + 2]];
    const e = nx * ux + ny + nz * uz;
    const u = e / limit;
    if (Math.abs(u) >= 1) continue;
    const w = weights[k] * (1 - u * u) ** 2;
    const at = Math.floor(Math.atan2(nx, nz) / (THING_DEG * DEG));
    let thing = things.get(at);
    if (!thing) things.set(at, (thing = nothing()));
    thing.places++;
    thing.sum += w;
    thing.xx += w * nx * nx;
    thing.xz += w * nx * nz;
    thing.zz += w * nz * nz;
    thing.bx -= w * nx * e;
    thing.bz -= w * nz * e;
  }
  return [...things.values()];
}

/** Solves the equations; null when what they come from looks in one direction only. */
function stepOf(a: Thing): [number, number] | null {
  const determinant = a.xx * a.zz - a.xz * a.xz;
  if (!(determinant > 1e-3 * a.sum * a.sum)) return null;
  return [(a.bx * a.zz - a.bz * a.xz) / determinant, (a.bz * a.xx - a.bx * a.xz) / determinant];
}

/** Standard error of either component by leaving out one thing after the other: two things that rule show it, however well they fit. Radians. */
function jackknife(things: readonly Thing[]): number {
  const left = things.map((t) => stepOf(sumOf(things, t)));
  const known = left.filter((step) => step !== null);
  // A thing without which nothing is left to tell decides alone.
  if (known.length < things.length || known.length < 3) return UNDECIDED_DEG * DEG;
  const n = known.length;
  return Math.max(
    ...[0, 1].map((c) => {
      const mean = known.reduce((s, step) => s + step[c], 0) / n;
      return Math.sqrt(((n - 1) / n) * known.reduce((s, step) => s + (step[c] - mean) ** 2, 0));
    }),
  );
}

/** Sums of a plane's columns over the rows around one, see `REACH`. */
function sumRows(plane: Float32Array, width: number, row: number, out: Float64Array): void {
  out.fill(0);
  for (let y = row - REACH; y <= row + REACH; y++) {
    const o = y * width;
    for (let x = 0; x < width; x++) out[x] += plane[o + x];
  }
}

/** Normals of the great circles along strong, straight edges that may be upright, with their weights. */
function edgeNormals({ width, data }: Grey): { normals: number[]; weights: number[] } {
  const height = width / 2;
  const top = Math.max(3, Math.ceil(height * (0.5 - HIGHEST_EL_DEG / 180)));
  const bottom = Math.floor(height * (0.5 - LOWEST_EL_DEG / 180));
  // Planes hold the rows from `first` on alone.
  const first = Math.max(0, top - BEYOND);
  const rows = Math.min(height, bottom + BEYOND) - first;
  const log = new Float32Array(width * rows);
  for (let i = 0; i < log.length; i++) log[i] = Math.log(Math.max(1e-9, data[first * width + i]));
  // Sharp edges that lean a little are stairs of pixels whose steps stand upright: unsmoothed they would pull towards no lean.
  smooth(log, width, rows, true);
  const step = (2 * Math.PI) / width;
  // Structure tensor: its main direction over a window is far steadier than a single gradient.
  const [xx, xy, yy] = [0, 1, 2].map(() => new Float32Array(width * rows));
  for (let y = top - REACH; y < bottom + REACH; y++) {
    const cosEl = Math.cos(Math.PI * (0.5 - (y + 0.5) / height));
    for (let x = 0; x < width; x++) {
      const i = (y - first) * width + x;
      const [l, r] = [x === 0 ? width - 1 : -1, x === width - 1 ? 1 - width : 1];
      const [up, down] = [i - width, i + width];
      // Scharr's kernel: the one of its size whose direction errs least.
      const gx =
        (3 * (log[up + r] - log[up + l]) + 10 * (log[i + r] - log[i + l]) + 3 * (log[down + r] - log[down + l])) /
        (32 * step * cosEl);
      const gy =
        -(3 * (log[down + l] - log[up + l]) + 10 * (log[down] - log[up]) + 3 * (log[down + r] - log[up + r])) /
        (32 * step);
      xx[i] = gx * gx;
      xy[i] = gx * gy;
      yy[i] = gy * gy;
    }
  }
  const strength: number[] = [];
  const found: { nx: number; ny: number; nz: number; s: number }[] = [];
  const sinLean = Math.sin(WIDEST_LEAN_DEG * DEG);
  const [columnXx, columnXy, columnYy] = [xx, xy, yy].map(() => new Float64Array(width));
  for (let y = top; y < bottom; y++) {
    const el = Math.PI * (0.5 - (y + 0.5) / height);
    for (const [plane, column] of [[xx, columnXx], [xy, columnXy], [yy, columnYy]] as const) sumRows(plane, width, y - first, column); // prettier-ignore
    for (let x = 0; x < width; x++) {
      let a = 0;
      let b = 0;
      let c = 0;
      for (let u = x - REACH; u <= x + REACH; u++) {
        const at = u < 0 ? u + width : u >= width ? u - width : u;
        a += columnXx[at];
        b += columnXy[at];
        c += columnYy[at];
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
