import {
  DEG,
  FALLOFF_SIGMA,
  falloffStops,
  halfWidth95,
  LEVEL_ROWS,
  LEVEL_WIDTH,
  LIMITS,
  median,
  multiply,
  placementDeg,
  sigmaOf95,
  signed,
  turnedOutOfPlace,
  type LevelEstimate,
  type Refinement,
  type RefineOptions,
  type View,
  type Vignetting,
} from '@tawny/core';
import type { RunControl } from '../progress';
import { runInThread } from '../threads/pool';
import { composeInThreads } from './parallel';
import type { Rig } from './rig';

/** A view whose pointing is known no better than this is held by metadata rather than by its pictures. */
const WEAK_TIE_DEG = 0.3;
/** What views show of upright things: their pixels, the blur of lens and coding, and seams. Measured on rounds whose lean is known. */
const DETAIL_PX = 2;
/** A lean below this is left: it is within what verticals can tell. */
const LEAST_LEAN_DEG = 0.15;

export interface FittedViews {
  views: View[];
  /** By how much views differ where they overlap. */
  residualStops: number;
  /** What of that their noise does not explain; null where nothing was fitted. */
  seamStops: number | null;
  pointingSigmaDeg: number | null;
  lightDriftStops: number | null;
  focalScale: number;
  /** 95 % half width of it as a share; null when it was not fitted. */
  focalUncertainty: number | null;
  poly: readonly [number, number];
  /** Falloff of the lens and how well it is known between middle and edge (95 %, stops); null when nothing was fitted. */
  falloff: { terms: Vignetting; uncertaintyStops: number } | null;
  /** How far things may stand off where a view is alone with them: 95 %, degrees, at the angle where that is most; null when nothing was fitted. */
  placementDeg: number | null;
  pupilShare: number;
  warnings: string[];
}

/** Shared errors of all overlaps (pupil, tone, moving leaves) keep a focal length from being known better than this share, one sigma. */
const LEAST_FOCAL_SIGMA = 0.001;
/** A lens that was learnt is the same lens next time: its polynomial may still be off by this, one sigma. */
const LEARNED_POLY = 0.005;
/** Between rounds a lens is refocused and comes off the body: its focal length may change by this share, one sigma. */
const REMOUNTED = 0.003;

/** How well the falloff of any lens is known beforehand, as `falloffStops`. */
const ANY_FALLOFF_STOPS = falloffStops(
  FALLOFF_SIGMA.flatMap((s, i) => FALLOFF_SIGMA.map((_, j) => (i === j ? s * s : 0))),
);
/** The axis of the next round may stand higher and the camera lie elsewhere on its rail: the pupil's share may change by this, one sigma. */
const RESEATED = 0.005;
/** Stop and focus change a falloff: what was learnt of it is believed to no less than this share of what is known of any lens. */
const LEAST_FALLOFF = 0.05;

/** What earlier rounds taught of the rig holds the fit; without it the usual spread of statements does. */
function priorsOf(learned: Rig['learned']): RefineOptions {
  if (!learned) return {};
  const { falloff } = learned;
  // Known so much better than of any lens: all of its terms are.
  const share = falloff ? Math.max(LEAST_FALLOFF, Math.min(1, falloff.uncertaintyStops / ANY_FALLOFF_STOPS)) : 1;
  return {
    focalPrior: Math.hypot(sigmaOf95(learned.focalUncertainty), REMOUNTED),
    focalPriorAt: 0,
    polyPrior: LEARNED_POLY,
    ...(learned.pupilMmPerM === undefined ? {} : { pupilPrior: { mean: learned.pupilMmPerM / 1000, sigma: RESEATED } }),
    ...(falloff
      ? {
          falloffPrior: {
            mean: falloff.terms,
            sigma: FALLOFF_SIGMA.map((s) => share * s) as [number, number, number],
          },
        }
      : {}),
  };
}

/** Attitudes, lens, gains and vignetting from the overlaps, in a thread. A lone view, or `geometry: 'metadata'`, stays as it is. */
export async function fitViews(
  placed: View[],
  geometry: 'metadata' | 'features' | 'refined',
  learned: Rig['learned'],
  control: RunControl,
): Promise<FittedViews> {
  const untouched: FittedViews = {
    views: placed,
    residualStops: 0,
    seamStops: null,
    pointingSigmaDeg: null,
    lightDriftStops: null,
    focalScale: 1,
    focalUncertainty: null,
    poly: placed[0].lens.poly ?? [0, 0],
    falloff: null,
    placementDeg: null,
    pupilShare: 0,
    warnings: [],
  };
  if (placed.length < 2 || geometry === 'metadata') return untouched;
  const fitted = (options: RefineOptions): Promise<Refinement> =>
    runInThread('refine', { views: placed, options }, control);
  const warnings: string[] = [];
  const priors = priorsOf(learned);
  let fit = await fitted(geometry === 'features' ? { pointingPriorDeg: 60, focalPrior: 1 } : priors);
  if (learned && geometry !== 'features' && Math.abs(fit.focalScale - 1) > 3 * priors.focalPrior!) {
    // Another lens: what was learnt of the old one says nothing of it.
    fit = await fitted({});
    warnings.push(
      `the focal length is ${(100 * Math.abs(fit.focalScale - 1)).toFixed(1)} % ${fit.focalScale > 1 ? 'longer' : 'shorter'} than earlier rounds taught of this rig: was another lens on it, or the zoom moved?`,
    );
  }
  const views = placed.map((v, i) => ({
    ...v,
    lens: { ...v.lens, focalPx: v.lens.focalPx * fit.focalScale, poly: fit.poly },
    attitude: fit.attitudes[i],
    logGain: fit.logGains[i],
    vignetting: fit.vignetting,
    ...(fit.falloffCovariance ? { falloffCovariance: fit.falloffCovariance } : {}),
    ...(fit.lensCovariance ? { lensCovariance: fit.lensCovariance } : {}),
    pupilShare: fit.pupilShare,
  }));
  const lightDriftStops = (Math.max(...fit.logGains) - Math.min(...fit.logGains)) / Math.LN2;
  if (lightDriftStops > LIMITS.drift.good) {
    const stops = fit.logGains.map((g) => signed(g / Math.LN2, 2)).join(', ');
    warnings.push(
      `the light changed by ${lightDriftStops.toFixed(2)} stop during the round (views in order: ${stops} stop); they are brought to their mean, the light itself is not`,
    );
  }
  fit.pointingSigmaDeg.forEach((sigma, i) => {
    if (sigma > WEAK_TIE_DEG)
      warnings.push(
        `view ${i + 1} is weakly tied to the others (its pictures tell its direction to ${sigma.toFixed(1)}°): metadata hold it`,
      );
  });
  const off = turnedOutOfPlace(
    placed.map((v) => v.attitude),
    fit.attitudes,
  );
  // With all of them far from what was said none is out of place.
  const most = Math.max(LIMITS.place.good, 3 * median(off));
  off.forEach((deg, i) => {
    if (deg > most && fit.pointingSigmaDeg[i] <= WEAK_TIE_DEG)
      warnings.push(
        `view ${i + 1} stands ${deg.toFixed(1)}° from where the rig puts it, its pictures say: they were followed; was a click stop missed?`,
      );
  });
  if (fit.samples < 50) warnings.push('the views hardly overlap: they stay where metadata put them');
  control.onLog?.(
    `fitted ${fit.samples} overlap samples: residual ${fit.residualStops.toFixed(3)} stop (by their noise ${fit.noiseStops.toFixed(3)}), focal length x ${fit.focalScale.toFixed(5)}, polynomial ${fit.poly.map((v) => v.toFixed(5)).join(', ')}, pupil ${(1000 * fit.pupilShare).toFixed(1)} mm ahead for every metre of height`,
  );
  return {
    views,
    residualStops: fit.residualStops,
    seamStops: Math.sqrt(Math.max(0, fit.residualStops ** 2 - fit.noiseStops ** 2)),
    pointingSigmaDeg: Math.max(...fit.pointingSigmaDeg),
    lightDriftStops,
    focalScale: fit.focalScale,
    focalUncertainty: halfWidth95(fit.focalScaleSigma, LEAST_FOCAL_SIGMA),
    poly: fit.poly,
    falloff: fit.falloffCovariance && {
      terms: fit.vignetting,
      uncertaintyStops: falloffStops(fit.falloffCovariance),
    },
    placementDeg: fit.lensCovariance && placementDeg(fit.lensCovariance, views[0].lens),
    pupilShare: fit.pupilShare,
    warnings,
  };
}

/** Turns all views so that what stands upright in them does; leaves them when verticals tell too little or nothing leans. */
export async function levelViews(
  views: View[],
  control: RunControl,
): Promise<{ views: View[]; level: LevelEstimate | null }> {
  // How sure its pixels are does not matter.
  const bare = views.map(({ uncertainty: _u, falloffCovariance: _f, lensCovariance: _l, ...view }): View => view);
  const { panorama } = await composeInThreads(bare, LEVEL_WIDTH, [], { signal: control.signal }, LEVEL_ROWS);
  const level = await runInThread('level', { panorama, detailDeg: DETAIL_PX / (DEG * views[0].lens.focalPx) }, control);
  if (!level) return { views, level };
  const sure = level.tiltDeg > Math.max(LEAST_LEAN_DEG, 1.2 * level.uncertaintyDeg);
  control.onLog?.(
    `verticals lean by ${level.tiltDeg.toFixed(2)} ± ${level.uncertaintyDeg.toFixed(2)}°: ${sure ? 'levelled' : 'left as it is'}`,
  );
  return {
    views: sure ? views.map((v) => ({ ...v, attitude: multiply(level.correction, v.attitude) })) : views,
    level,
  };
}
