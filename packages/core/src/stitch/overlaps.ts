import type { NormalEquations } from '../estimate/normalEquations';
import { spreadOfResiduals } from '../estimate/robust';
import { lensRadius, type Lens } from '../optics/lens';
import { toMatrix, type Quaternion } from '../orient/quaternion';
import type { Vec3 } from '../sphere/direction';
import { lookUp, type LogPlane } from './logPlane';
import { logVignetting, throughPupil, type View } from './view';

/** Unknowns of one view: its turn and the logarithm of its gain. */
export const PER_VIEW = 4;
/** Unknowns of all views together: focal scale, two of the polynomial, pupil share, three of the vignetting. */
const SHARED = 7;
/** A view whose looks spread this many times as wide as all is not in its place yet. */
const FAR_OUT = 1.5;

/** Numbers of one view's look at a direction: view, value, angle off the axis, d value / d (turn, gain), d value / d (focal scale, polynomial, pupil share). */
const LOOK = 11;
const GRADIENT = 3;
const LENS = 7;

/** Looks of one fit, and the pairs of them that ought to agree. One room serves all iterations. */
export interface OverlapRoom {
  looks: Float64Array;
  /** Two looks a row. */
  pairs: Uint32Array;
}

/** Room for every pair of views in so many directions. */
export function overlapRoom(directions: number, views: number): OverlapRoom {
  return {
    looks: new Float64Array(directions * views * LOOK),
    pairs: new Uint32Array(directions * views * (views - 1)),
  };
}

/** By how much the two looks of a row disagree. */
export function differenceOf({ looks, pairs }: OverlapRoom, row: number): number {
  return looks[pairs[2 * row] * LOOK + 1] - looks[pairs[2 * row + 1] * LOOK + 1];
}

/** By how much the looks of each row disagree, without sign. */
export function absoluteDifferences(room: OverlapRoom, rows: number): Float64Array {
  const out = new Float64Array(rows);
  for (let r = 0; r < rows; r++) out[r] = Math.abs(differenceOf(room, r));
  return out;
}

/** The view of the first or second look of a row. */
export const viewOf = ({ looks, pairs }: OverlapRoom, row: number, which: 0 | 1): number =>
  looks[pairs[2 * row + which] * LOOK];

/**
 * How far the looks of each view lie from the others': that of all, but for views that are still far out of place. Judged by the spread of the
 * others they would be outliers as a whole, and stay where they are.
 */
export function spreadOfViews(room: OverlapRoom, rows: number, views: number, spread: number): number[] {
  const counts = new Uint32Array(views);
  for (let r = 0; r < rows; r++) for (const which of [0, 1] as const) counts[viewOf(room, r, which)]++;
  const differences = Array.from(counts, (count) => new Float64Array(count));
  counts.fill(0);
  for (let r = 0; r < rows; r++) {
    const difference = Math.abs(differenceOf(room, r));
    for (const which of [0, 1] as const) {
      const view = viewOf(room, r, which);
      differences[view][counts[view]++] = difference;
    }
  }
  return differences.map((of) => {
    const own = of.length === 0 ? spread : spreadOfResiduals(of);
    return own > FAR_OUT * spread ? own : spread;
  });
}

/** What is sought of lens, pupil and gains; attitudes stand beside it. */
export interface FitState {
  focalScale: number;
  poly: [number, number];
  pupilShare: number;
  gains: number[];
  vignetting: [number, number, number];
}

/** World-to-picture projection of a radial lens behind its pupil as a fit has them, with preallocated result (x, y, theta). */
export function projector(stated: Lens, attitude: Quaternion, { focalScale, poly, pupilShare }: FitState) {
  const lens = { ...stated, focalPx: stated.focalPx * focalScale, poly };
  const m = toMatrix(attitude);
  const out = new Float64Array(3);
  const forward = [-m[2], -m[5], -m[8]] as const;
  const look = new Float64Array(3);
  const run = (wx: number, wy: number, wz: number, share = pupilShare): boolean => {
    throughPupil(share, forward, wx, wy, wz, look);
    // Not taken apart: a typed array is slow at that.
    const dx = look[0];
    const dy = look[1];
    const dz = look[2];
    const cx = m[0] * dx + m[3] * dy + m[6] * dz;
    const cy = m[1] * dx + m[4] * dy + m[7] * dz;
    const cz = m[2] * dx + m[5] * dy + m[8] * dz;
    const s = Math.sqrt(cx * cx + cy * cy);
    const theta = Math.atan2(s, -cz);
    if (theta > 0.95 * lens.maxTheta) return false;
    const k = s < 1e-12 ? 0 : (lens.focalPx * lensRadius(lens, theta)) / s;
    out[0] = lens.centreX + k * cx;
    out[1] = lens.centreY - k * cy;
    out[2] = theta;
    return true;
  };
  return { run, out };
}

/** Looks in all directions from all views; returns how many pairs see the same place. */
export function overlapRows(
  views: readonly View[],
  planes: readonly LogPlane[],
  attitudes: readonly Quaternion[],
  state: FitState,
  directions: readonly Vec3[],
  room: OverlapRoom,
): number {
  const projectors = views.map((v, i) => projector(v.lens, attitudes[i], state));
  let looks = 0;
  let rows = 0;
  for (const d of directions) {
    const first = looks;
    for (let v = 0; v < views.length; v++)
      if (lookFrom(v, projectors[v], planes[v], views[v].lens, d, state, room.looks, looks * LOOK)) looks++;
    for (let i = first; i < looks; i++) {
      for (let j = i + 1; j < looks; j++) {
        room.pairs[2 * rows] = i;
        room.pairs[2 * rows + 1] = j;
        rows++;
      }
    }
  }
  return rows;
}

/** Small turn (radians) for the derivative of the projection. */
const TURN = 1e-4;

function lookFrom(
  v: number,
  projector: { run: (x: number, y: number, z: number, share?: number) => boolean; out: Float64Array },
  plane: LogPlane,
  lens: Lens,
  d: Vec3,
  state: FitState,
  into: Float64Array,
  at: number,
): boolean {
  const p = projector.out;
  if (!projector.run(d[0], d[1], d[2])) return false;
  const x = p[0];
  const y = p[1];
  const theta = p[2];
  const h = 0.5 * plane.factor;
  const value = lookUp(plane, x, y);
  const gx = (lookUp(plane, x + h, y) - lookUp(plane, x - h, y)) / (2 * h);
  const gy = (lookUp(plane, x, y + h) - lookUp(plane, x, y - h)) / (2 * h);
  if (Number.isNaN(value + gx + gy)) return false;
  for (let k = 0; k < 3; k++) {
    // Turning the view by +TURN about axis k is looking up the direction turned by -TURN: d - TURN (axis x d).
    const tx = k === 1 ? d[2] : k === 2 ? -d[1] : 0;
    const ty = k === 0 ? -d[2] : k === 2 ? d[0] : 0;
    const tz = k === 0 ? d[1] : k === 1 ? -d[0] : 0;
    if (!projector.run(d[0] - TURN * tx, d[1] - TURN * ty, d[2] - TURN * tz)) return false;
    into[at + GRADIENT + k] = (gx * (p[0] - x) + gy * (p[1] - y)) / TURN;
  }
  into[at + GRADIENT + 3] = -1;
  let pupil = 0;
  if (d[1] < 0) {
    if (!projector.run(d[0], d[1], d[2], state.pupilShare + TURN)) return false;
    pupil = (gx * (p[0] - x) + gy * (p[1] - y)) / TURN;
  }
  const outward = gx * (x - lens.centreX) + gy * (y - lens.centreY);
  const t = theta * theta;
  const departure = outward / (1 + t * (state.poly[0] + t * state.poly[1]));
  into[at] = v;
  into[at + 1] = value - logVignetting(state.vignetting, theta) - state.gains[v];
  into[at + 2] = theta;
  into[at + LENS] = outward / state.focalScale;
  into[at + LENS + 1] = departure * t;
  into[at + LENS + 2] = departure * t * t;
  into[at + LENS + 3] = pupil;
  return true;
}

/** Unknowns of a row: the first view's turn and gain, the second one's, then what all views share. */
const UNKNOWNS = 2 * PER_VIEW + SHARED;
/** Sums of two views: the right-hand side, then the upper triangle line by line. Close together they are several times as fast to add to as the equations of all views. */
export const SUMS = UNKNOWNS + (UNKNOWNS * (UNKNOWNS + 1)) / 2;
const slopes = new Float64Array(UNKNOWNS);

/** Adds one row to the sums of its two views. */
export function accumulate(
  sums: Float64Array,
  views: number,
  { looks, pairs }: OverlapRoom,
  row: number,
  w: number,
): void {
  const i = pairs[2 * row] * LOOK;
  const j = pairs[2 * row + 1] * LOOK;
  for (let k = 0; k < PER_VIEW; k++) {
    slopes[k] = looks[i + GRADIENT + k];
    slopes[PER_VIEW + k] = -looks[j + GRADIENT + k];
  }
  for (let k = 0; k < 4; k++) slopes[2 * PER_VIEW + k] = looks[i + LENS + k] - looks[j + LENS + k];
  const ti = looks[i + 2] * looks[i + 2];
  const tj = looks[j + 2] * looks[j + 2];
  slopes[2 * PER_VIEW + 4] = tj - ti;
  slopes[2 * PER_VIEW + 5] = tj * tj - ti * ti;
  slopes[2 * PER_VIEW + 6] = tj * tj * tj - ti * ti * ti;
  let at = (looks[i] * views + looks[j]) * SUMS;
  const right = -w * (looks[i + 1] - looks[j + 1]);
  for (let p = 0; p < UNKNOWNS; p++) sums[at++] += right * slopes[p];
  for (let p = 0; p < UNKNOWNS; p++) {
    const slope = w * slopes[p];
    for (let q = p; q < UNKNOWNS; q++) sums[at++] += slope * slopes[q];
  }
}

/** The sums of all pairs of views into the equations. */
export function addSums(sums: Float64Array, views: number, equations: NormalEquations): void {
  const { a, b, size } = equations;
  for (let i = 0; i < views; i++) {
    for (let j = i + 1; j < views; j++) {
      const column = (k: number) =>
        k < PER_VIEW ? i * PER_VIEW + k : k < 2 * PER_VIEW ? (j - 1) * PER_VIEW + k : size - UNKNOWNS + k;
      let at = (i * views + j) * SUMS;
      for (let p = 0; p < UNKNOWNS; p++) b[column(p)] += sums[at++];
      for (let p = 0; p < UNKNOWNS; p++)
        for (let q = p; q < UNKNOWNS; q++) a[column(p) * size + column(q)] += sums[at++];
    }
  }
  equations.mirror();
}
