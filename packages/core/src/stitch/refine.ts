import { gaussNewton } from '../estimate/normalEquations';
import { spreadOfResiduals, tukeyCut, tukeyWeight } from '../estimate/robust';
import { fromRotationVector, multiply, normalizeQuaternion, type Quaternion } from '../orient/quaternion';
import { DEG, type Vec3 } from '../sphere/direction';
import { logPlane, smoothAndShrink } from './logPlane';
import {
  absoluteDifferences,
  accumulate,
  addSums,
  differenceOf,
  overlapRoom,
  overlapRows,
  PER_VIEW,
  spreadOfViews,
  SUMS,
  viewOf,
  type FitState,
} from './overlaps';
import { overlapNoise } from './overlapNoise';
import {
  FALLOFF_SIGMA,
  naturalFalloff,
  type FalloffCovariance,
  type LensCovariance,
  type View,
  type Vignetting,
} from './view';

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
  /** What of that the noise of the views' pixels explains, as they state it, in stops. */
  noiseStops: number;
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

/** Pupils sit a few centimetres from the axis at most, axes a metre or two above the ground. */
const PUPIL_SIGMA = 0.02;
/** A stated angle of view is right to this share, one sigma, and on its way there a lens follows its projection to this at a radian. */
const STATED_FOCAL = 0.03;
const STATED_POLY = 0.007;
/** The polynomial's second term against its first. */
const SECOND_TERM = 0.2;
/** Neighbouring looks share what the model lacks (parallax, flare, moving leaves): so many of them tell as much as one. */
const ALIKE_ROWS = 40;
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
  const state: FitState = {
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
        const rows = overlapRows(views, planes, attitudes, state, directions, room);
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
  const attitudes = start.map((q, i) => normalizeQuaternion(multiply(fromRotationVector(turns[i]), q)));
  const noise = overlapNoise(views, attitudes, state, fibonacci(sampleCount), finest);
  return {
    attitudes,
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
    noiseStops: noise / Math.LN2,
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

/** Evenly spread directions on the sphere. */
function fibonacci(count: number): Vec3[] {
  const golden = Math.PI * (3 - Math.sqrt(5));
  return Array.from({ length: count }, (_, k) => {
    const y = 1 - (2 * (k + 0.5)) / count;
    const r = Math.sqrt(1 - y * y);
    return [Math.cos(golden * k) * r, y, Math.sin(golden * k) * r];
  });
}
