import { gaussNewton, type NormalEquations } from '../estimate/normalEquations';
import { spreadOfResiduals, tukeyCut, tukeyWeight } from '../estimate/robust';
import type { RgbImage } from '../image/image';
import { luminance } from '../colour/primaries';
import { lensRadius, type Lens } from '../optics/lens';
import { fromRotationVector, multiply, normalizeQuaternion, toMatrix, type Quaternion } from '../orient/quaternion';
import { DEG, type Vec3 } from '../sphere/direction';
import {
  FALLOFF_SIGMA,
  logVignetting,
  naturalFalloff,
  throughPupil,
  type FalloffCovariance,
  type LensCovariance,
  type View,
  type Vignetting,
} from './view';

/** A view's picture reduced to the logarithm of its luminance, NaN where it must not be used. */
interface LogPlane {
  width: number;
  height: number;
  data: Float32Array;
  /** Shrink factor against the lens's pixels. */
  factor: number;
}

export interface Refinement {
  attitudes: Quaternion[];
  logGains: number[];
  vignetting: Vignetting;
  /** Null when nothing was solved. */
  falloffCovariance: FalloffCovariance | null;
  /** Factor on the stated focal length. */
  focalScale: number;
  /** Standard deviation of it on the axis, from the normal equations; that of the priors when nothing was solved. */
  focalScaleSigma: number;
  /** Departure of the lens from its projection, see `Lens.poly`. */
  poly: readonly [number, number];
  /** Of focal scale and polynomial together; null when nothing was solved. */
  lensCovariance: LensCovariance | null;
  /** Entrance pupil ahead of the rotation axis over the axis's height above the ground, see `View.pupilShare`. */
  pupilShare: number;
  /** Robust spread of the remaining log differences in the overlaps, in stops. */
  residualStops: number;
  /** One-sigma pointing uncertainty per view in degrees, from the normal equations. */
  pointingSigmaDeg: number[];
  samples: number;
}

export interface RefineOptions {
  /** How far metadata may be off: standard deviations of the priors. */
  pointingPriorDeg?: number;
  focalPrior?: number;
  /** Angle off the axis, radians, at which the lens's scale is known to `focalPrior`; left out, its edge: there an angle of view is stated. */
  focalPriorAt?: number;
  gainPrior?: number;
  /** Spread of the odd polynomial's coefficients; 0 keeps the stated projection. */
  polyPrior?: number;
  /** What is known of the falloff; left out, that lenses of the projection depart from their natural one by `FALLOFF_SIGMA`. */
  falloffPrior?: { mean: Vignetting; sigma: Vignetting };
  /** What is known of the pupil's share; left out, that it is small. */
  pupilPrior?: { mean: number; sigma: number };
  /** Directions of the sphere looked at on the finest scale. */
  samples?: number;
}

const PER_VIEW = 4;
/** Unknowns of all views together: focal scale, two of the polynomial, pupil share, three of the vignetting. */
const SHARED = 7;
/** Pupils sit a few centimetres from the axis at most, axes a metre or two above the ground. */
const PUPIL_SIGMA = 0.02;
/** A stated angle of view is right to this share, one sigma, and on its way there a lens follows its projection to this at a radian. */
const STATED_FOCAL = 0.03;
const STATED_POLY = 0.007;
/** The polynomial's second term against its first. */
const SECOND_TERM = 0.2;
/** Neighbouring looks share what the model lacks (parallax, flare, moving leaves): so many of them tell as much as one. */
const ALIKE_ROWS = 40;
/** A view whose looks spread this many times as wide as all is not in its place yet. */
const FAR_OUT = 1.5;
/** A step below this (radians, or natural log) ends the work at one scale. */
const SETTLED = 2e-6;
const SETTLED_COARSE = 1e-5;
/** Rounds of the fit at one scale at most. A view that starts several degrees off needs many while pictures are coarse; the finest scale only polishes. */
const COARSE_ROUNDS = 12;
const FINE_ROUNDS = 8;
/** Directions looked at on the coarser scales. */
const COARSE_SAMPLES = 2700;

/**
 * Refines attitudes, focal length, the lens's odd polynomial, the pupil's offset, per-view gain and vignetting of overlapping views by robust least squares on the
 * logarithm of luminance in all overlaps, coarse to fine (dense alignment; Lucas and Kanade's idea on the sphere).
 * The focal length, the polynomial and the falloff are held near what is stated of the lens, or known of lenses, by their priors.
 * One common rotation stays undetermined and is held near the metadata by the priors.
 * Frames: attitudes are camera-to-panorama. Needs pictures that overlap; views without overlap keep their metadata.
 */
export function refineViews(views: readonly View[], options: RefineOptions = {}): Refinement {
  const pointingPrior = (options.pointingPriorDeg ?? 3) * DEG;
  const focalPrior = options.focalPrior ?? STATED_FOCAL;
  const gainPrior = options.gainPrior ?? 0.3;
  const edge = (options.focalPriorAt ?? views[0].lens.maxTheta) ** 2;
  const polyPrior = Math.max(1e-9, options.polyPrior ?? STATED_POLY);
  const falloff = options.falloffPrior ?? { mean: naturalFalloff(views[0].lens.projection), sigma: FALLOFF_SIGMA };
  const pupil = options.pupilPrior ?? { mean: 0, sigma: PUPIL_SIGMA };
  const sampleCount = options.samples ?? 16000;
  const n = views.length;
  const scaleAt = n * PER_VIEW;
  const polyAt = scaleAt + 1;
  const pupilAt = polyAt + 2;
  const vignettingAt = pupilAt + 1;
  const size = vignettingAt + 3;

  const start = views.map((v) => v.attitude);
  const turns = views.map((): Vec3 => [0, 0, 0]);
  const stated = views[0].lens.poly ?? [0, 0];
  const state: State = {
    focalScale: 1,
    poly: [stated[0], stated[1]],
    pupilShare: pupil.mean,
    gains: views.map(() => 0),
    vignetting: [...falloff.mean],
  };
  let residual = 0;
  let used = 0;
  let covariance: Float64Array | null = null;

  const longSide = Math.max(views[0].lens.width, views[0].lens.height);
  const finest = Math.max(1, Math.round(longSide / 1500));
  const factors = [16, 8, 4, 2, 1].map((k) => k * finest).filter((f) => longSide / f >= 60);
  const base = views.map((v) => logPlane(v.image, v.clipped, finest));

  const room = overlapRoom(Math.max(sampleCount, COARSE_SAMPLES), n);
  const sums = new Float64Array(n * n * SUMS);
  for (const factor of factors) {
    const planes = base.map((p) => smoothAndShrink(p, factor / finest));
    const last = factor === factors[factors.length - 1];
    const directions = fibonacci(last ? sampleCount : Math.min(sampleCount, COARSE_SAMPLES));
    const solved = gaussNewton({
      size,
      passes: last ? FINE_ROUNDS : COARSE_ROUNDS,
      fill: (equations) => {
        sums.fill(0);
        const attitudes = start.map((q, i) => normalizeQuaternion(multiply(fromRotationVector(turns[i]), q)));
        const { rows } = overlapRows(views, planes, attitudes, state, directions, room);
        if (rows < 50) return false;
        const spread = spreadOfResiduals(absoluteDifferences(room, rows));
        residual = spread;
        used = rows;
        const spreads = spreadOfViews(room, rows, n, spread);
        for (let r = 0; r < rows; r++) {
          const own = Math.max(spreads[viewOf(room, r, 0)], spreads[viewOf(room, r, 1)]);
          const robust = tukeyWeight(differenceOf(room, r) / Math.max(1e-4, tukeyCut(own)));
          if (robust > 0) accumulate(sums, n, room, r, robust / (ALIKE_ROWS * own * own));
        }
        addSums(sums, n, equations);
        for (let v = 0; v < n; v++) {
          for (let k = 0; k < 3; k++) equations.prior(v * PER_VIEW + k, turns[v][k], pointingPrior);
          equations.prior(v * PER_VIEW + 3, state.gains[v], gainPrior);
        }
        const departs = state.poly.map((v, k) => v - stated[k]);
        const atEdge = state.focalScale - 1 + edge * (departs[0] + edge * departs[1]);
        equations.add([scaleAt, polyAt, polyAt + 1], [1, edge, edge * edge], atEdge, 1 / focalPrior ** 2);
        equations.prior(polyAt, departs[0], polyPrior);
        equations.prior(polyAt + 1, departs[1], SECOND_TERM * polyPrior);
        equations.prior(pupilAt, state.pupilShare - pupil.mean, pupil.sigma);
        for (let k = 0; k < 3; k++)
          equations.prior(vignettingAt + k, state.vignetting[k] - falloff.mean[k], falloff.sigma[k]);
        return true;
      },
      move: (step) => {
        holdCommonRotation(step, n);
        for (let v = 0; v < n; v++) {
          const o = v * PER_VIEW;
          turns[v] = [turns[v][0] + step[o], turns[v][1] + step[o + 1], turns[v][2] + step[o + 2]];
          state.gains[v] += step[o + 3];
        }
        state.focalScale += step[scaleAt];
        for (let k = 0; k < 2; k++) state.poly[k] += step[polyAt + k];
        state.pupilShare += step[pupilAt];
        for (let k = 0; k < 3; k++) state.vignetting[k] += step[vignettingAt + k];
        return step.every((d) => Math.abs(d) < (last ? SETTLED : SETTLED_COARSE));
      },
    });
    if (solved) covariance = solved.covariance();
  }
  return {
    attitudes: start.map((q, i) => normalizeQuaternion(multiply(fromRotationVector(turns[i]), q))),
    logGains: state.gains,
    vignetting: state.vignetting,
    falloffCovariance: covariance && blockOf(covariance, size, vignettingAt),
    focalScale: state.focalScale,
    focalScaleSigma: covariance
      ? Math.sqrt((covariance as Float64Array)[scaleAt * size + scaleAt])
      : Math.hypot(focalPrior, edge * polyPrior, edge * edge * SECOND_TERM * polyPrior),
    poly: state.poly,
    lensCovariance: covariance && blockOf(covariance, size, scaleAt),
    pupilShare: state.pupilShare,
    residualStops: residual / Math.LN2,
    pointingSigmaDeg: views.map((_, v) => {
      const c = covariance;
      if (!c) return pointingPrior / DEG;
      const o = v * PER_VIEW;
      return Math.sqrt([o, o + 1, o + 2].reduce((sum, i) => sum + c[i * size + i], 0) / 3) / DEG;
    }),
    samples: used,
  };
}

/** The part of three neighbours in the covariance of all unknowns. */
const blockOf = (covariance: Float64Array, size: number, at: number): number[] =>
  [0, 1, 2].flatMap((i) => [0, 1, 2].map((j) => covariance[(at + i) * size + at + j]));

/** Overlaps say nothing of a turn common to all views: the mean of their turns stays where metadata put it. */
function holdCommonRotation(step: Float64Array, views: number): void {
  for (let k = 0; k < 3; k++) {
    let mean = 0;
    for (let v = 0; v < views; v++) mean += step[v * PER_VIEW + k] / views;
    for (let v = 0; v < views; v++) step[v * PER_VIEW + k] -= mean;
  }
}

/** Numbers of one view's look at a direction: view, value, angle off the axis, d value / d (turn, gain), d value / d (focal scale, polynomial, pupil share). */
const LOOK = 11;
const GRADIENT = 3;
const LENS = 7;

/** Looks of one fit, and the pairs of them that ought to agree. One room serves all iterations. */
interface OverlapRoom {
  looks: Float64Array;
  /** Two looks a row. */
  pairs: Uint32Array;
}

function overlapRoom(directions: number, views: number): OverlapRoom {
  return {
    looks: new Float64Array(directions * views * LOOK),
    pairs: new Uint32Array(directions * views * (views - 1)),
  };
}

/** By how much the two looks of a row disagree. */
function differenceOf({ looks, pairs }: OverlapRoom, row: number): number {
  return looks[pairs[2 * row] * LOOK + 1] - looks[pairs[2 * row + 1] * LOOK + 1];
}

function absoluteDifferences(room: OverlapRoom, rows: number): Float64Array {
  const out = new Float64Array(rows);
  for (let r = 0; r < rows; r++) out[r] = Math.abs(differenceOf(room, r));
  return out;
}

/** The view of the first or second look of a row. */
const viewOf = ({ looks, pairs }: OverlapRoom, row: number, which: 0 | 1): number =>
  looks[pairs[2 * row + which] * LOOK];

/**
 * How far the looks of each view lie from the others': that of all, but for views that are still far out of place. Judged by the spread of the
 * others they would be outliers as a whole, and stay where they are.
 */
function spreadOfViews(room: OverlapRoom, rows: number, views: number, spread: number): number[] {
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

interface State {
  focalScale: number;
  poly: [number, number];
  pupilShare: number;
  gains: number[];
  vignetting: [number, number, number];
}

/** World-to-picture projection of a radial lens behind its pupil, with preallocated result (x, y, theta). */
function projector(lens: Lens, attitude: Quaternion, pupilShare: number) {
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

function overlapRows(
  views: readonly View[],
  planes: readonly LogPlane[],
  attitudes: readonly Quaternion[],
  state: State,
  directions: readonly Vec3[],
  room: OverlapRoom,
): { rows: number } {
  const projectors = views.map((v, i) =>
    projector(
      { ...v.lens, focalPx: v.lens.focalPx * state.focalScale, poly: state.poly },
      attitudes[i],
      state.pupilShare,
    ),
  );
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
  return { rows };
}

/** Small turn (radians) for the derivative of the projection. */
const TURN = 1e-4;

function lookFrom(
  v: number,
  projector: { run: (x: number, y: number, z: number, share?: number) => boolean; out: Float64Array },
  plane: LogPlane,
  lens: Lens,
  d: Vec3,
  state: State,
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
const SUMS = UNKNOWNS + (UNKNOWNS * (UNKNOWNS + 1)) / 2;
const slopes = new Float64Array(UNKNOWNS);

/** Adds one row to the sums of its two views. */
function accumulate(sums: Float64Array, views: number, { looks, pairs }: OverlapRoom, row: number, w: number): void {
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
function addSums(sums: Float64Array, views: number, equations: NormalEquations): void {
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

function lookUp(plane: LogPlane, x: number, y: number): number {
  const fx = x / plane.factor - 0.5;
  const fy = y / plane.factor - 0.5;
  const xa = Math.floor(fx);
  const ya = Math.floor(fy);
  if (xa < 0 || ya < 0 || xa + 1 >= plane.width || ya + 1 >= plane.height) return NaN;
  const tx = fx - xa;
  const ty = fy - ya;
  const i = ya * plane.width + xa;
  const d = plane.data;
  return (
    (d[i] * (1 - tx) + d[i + 1] * tx) * (1 - ty) + (d[i + plane.width] * (1 - tx) + d[i + plane.width + 1] * tx) * ty
  );
}

function logPlane(image: RgbImage, clipped: Uint8Array, factor: number): LogPlane {
  const width = Math.floor(image.width / factor);
  const height = Math.floor(image.height / factor);
  const data = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let sum = 0;
      let bad = false;
      for (let j = 0; j < factor; j++) {
        for (let i = 0; i < factor; i++) {
          const p = (y * factor + j) * image.width + x * factor + i;
          sum += luminance(image.data[3 * p], image.data[3 * p + 1], image.data[3 * p + 2], image.space);
          bad ||= clipped[p] !== 0;
        }
      }
      data[y * width + x] = bad || !(sum > 0) ? NaN : Math.log(sum / (factor * factor));
    }
  }
  return { width, height, data, factor };
}

/** Shrinks by a whole factor (mean of logs, NaN spreads) and smooths 3 x 3, which makes the gradient meaningful between pixels. */
function smoothAndShrink(plane: LogPlane, factor: number): LogPlane {
  const width = Math.floor(plane.width / factor);
  const height = Math.floor(plane.height / factor);
  const small = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let j = 0; j < factor; j++) {
        for (let i = 0; i < factor; i++) sum += plane.data[(y * factor + j) * plane.width + x * factor + i];
      }
      small[y * width + x] = sum / (factor * factor);
    }
  }
  const data = new Float32Array(width * height).fill(NaN);
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      data[i] =
        (small[i - width - 1] +
          small[i - width + 1] +
          small[i + width - 1] +
          small[i + width + 1] +
          2 * (small[i - 1] + small[i + 1] + small[i - width] + small[i + width]) +
          4 * small[i]) /
        16;
    }
  }
  return { width, height, data, factor: plane.factor * factor };
}

/** Evenly spread directions on the sphere. */
function fibonacci(count: number): Vec3[] {
  const golden = Math.PI * (3 - Math.sqrt(5));
  return Array.from({ length: count }, (_, k) => {
    const y = 1 - (2 * (k + 0.5)) / count;
    const r = Math.sqrt(1 - y * y);
    return [Math.cos(golden * k) * r, y, Math.sin(golden * k) * r];
  });
}
