import { gaussNewton, NormalEquations } from '../../estimate/normalEquations';
import type { Vec3 } from '../../sphere/direction';
import {
  conjugate,
  fromRotationVector,
  multiply,
  normalizeQuaternion,
  toRotationVector,
  type Quaternion,
} from '../quaternion';
import type { Problem } from './observations';
import { headingOfPicks, starts } from './start';
import type { OrientationSources } from './sources';

/** A turn by least squares on directions, the hidden unknowns held by their priors. */
export interface Fit {
  problem: Problem;
  turn: Quaternion;
  hidden: Float64Array;
  /** Covariance of the turn about east, up and south (world axes), rad²: row-major 3 x 3. */
  covariance: Float64Array;
  /** Sum of squared residuals over their sigmas, priors included. */
  chi2: number;
  /** Logarithm of the evidence up to a constant that all variants of the same sources share (Laplace's approximation). */
  logEvidence: number;
}

/** Starts that are followed to the end, and steps at most. */
const FOLLOWED = 3;
const PASSES = 25;
/** Settled, radians and sigmas. */
const SETTLED = 1e-6;
/** Nothing known of an axis, radians: keeps the equations solvable, and is noticed afterwards. */
const NOTHING = 3;
const STEP = 1e-6;
/** A step is cut to this, radians and sigmas: residuals bend. */
const LONGEST = 0.5;

/** Fits the turn from the best starts. */
export function fitTurn(problem: Problem, sources: OrientationSources): Fit {
  const middle = new Float64Array(problem.hidden);
  const fits = distinct(starts(problem, sources, middle)).map((start) => fitFrom(problem, start));
  return fits.reduce((best, fit) => (fit.chi2 < best.chi2 ? fit : best));
}

/** Starts that differ: two that are nearer than this lead to the same place. */
const SAME_START = 0.05;
function distinct(found: readonly Quaternion[]): Quaternion[] {
  const kept: Quaternion[] = [];
  for (const q of found) {
    if (kept.length === FOLLOWED) break;
    if (kept.every((k) => Math.hypot(...toRotationVector(multiply(q, conjugate(k)))) > SAME_START)) kept.push(q);
  }
  return kept;
}

function fitFrom(problem: Problem, start: Quaternion): Fit {
  const { observations, hidden: count } = problem;
  let turn = start;
  const hidden = new Float64Array(count);
  if (problem.freeHeading !== null) hidden[problem.freeHeading] = headingOfPicks(problem, start, hidden);
  const size = 3 + count;
  const columns = Int32Array.from({ length: size }, (_, i) => i);
  const slopes = new Float64Array(size);
  let filled: NormalEquations | null = null;
  const fill = (equations: NormalEquations): boolean => {
    for (const o of observations) {
      const here = o.residual(turn, hidden);
      const moved: (readonly number[])[] = [];
      for (let axis = 0; axis < 3; axis++) moved.push(o.residual(nudged(turn, axis), hidden));
      for (let k = 0; k < count; k++) {
        hidden[k] += STEP;
        moved.push(o.residual(turn, hidden));
        hidden[k] -= STEP;
      }
      here.forEach((r, i) => {
        moved.forEach((m, c) => (slopes[c] = wrapped(m[i] - r) / STEP));
        equations.add(columns, slopes, r, 1 / o.sigmas[i] ** 2);
      });
    }
    for (let k = 0; k < count; k++) equations.prior(3 + k, hidden[k], 1);
    for (let axis = 0; axis < 3; axis++) equations.prior(axis, 0, NOTHING);
    filled = equations;
    return true;
  };
  gaussNewton({
    size,
    passes: PASSES,
    fill,
    move: (step) => {
      const most = step.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
      const k = Math.min(1, LONGEST / most);
      turn = normalizeQuaternion(multiply(fromRotationVector([k * step[0], k * step[1], k * step[2]]), turn));
      for (let i = 0; i < count; i++) hidden[i] += k * step[3 + i];
      return most < SETTLED;
    },
  });
  const last = filled ?? new NormalEquations(size);
  const { covariance, logDeterminant } = last.solve();
  const all = covariance();
  const chi2 = observations.reduce((sum, o) => sum + squares(o.residual(turn, hidden), o.sigmas), 0);
  const prior = hidden.reduce((sum, h) => sum + h * h, 0);
  const sigmas = observations.reduce((sum, o) => sum + o.sigmas.reduce((t, v) => t + Math.log(v), 0), 0);
  return {
    problem,
    turn,
    hidden,
    covariance: Float64Array.from({ length: 9 }, (_, i) => all[Math.floor(i / 3) * size + (i % 3)]),
    chi2: chi2 + prior,
    logEvidence: -(chi2 + prior + logDeterminant()) / 2 - sigmas,
  };
}

const squares = (residual: readonly number[], sigmas: readonly number[]) =>
  residual.reduce((sum, r, i) => sum + (r / sigmas[i]) ** 2, 0);

/** A bearing that steps over south does not slope by a full turn. */
const wrapped = (r: number) => (r > Math.PI ? r - 2 * Math.PI : r < -Math.PI ? r + 2 * Math.PI : r);

function nudged(turn: Quaternion, axis: number): Quaternion {
  const v: Vec3 = [axis === 0 ? STEP : 0, axis === 1 ? STEP : 0, axis === 2 ? STEP : 0];
  return multiply(fromRotationVector(v), turn);
}
