import { halfWidth95 } from '../../estimate/confidence';
import { chiSquareLimit, type Agreement } from '../../estimate/sources';
import { anglesFromDirection, DEG, wrap180 } from '../../sphere/direction';
import { conjugate, fromRotationVector, multiply, rotate, type Quaternion } from '../quaternion';
import { explainTurn } from './causes';
import { fitTurn, type Fit } from './fit';
import { nameOf, problemOf } from './observations';
import type { OrientationCause, OrientationSources, SourceKind } from './sources';

export interface JudgedOrientationSource {
  name: string;
  kind: SourceKind;
  /** How far it lies from what was adopted, degrees of arc. */
  residualDeg: number;
  /** Share of the information in what was adopted; the shares sum to 1. */
  weight: number;
  /** Set aside. */
  outlier: boolean;
  cause: OrientationCause | null;
}

export interface SolvedOrientation {
  /** Panorama to world, or to the set frame. */
  turn: Quaternion;
  /** World azimuth of the panorama's azimuth 0 once it is level, [-180, 180). */
  yawDeg: number;
  frame: 'trueNorth' | 'set';
  /** 95 % half width about the vertical. */
  uncertaintyDeg: number;
  /** 95 % half width about the worse of two level axes. */
  uncertaintyTiltDeg: number;
  /** About east, up and south, rad²: row-major 3 x 3. */
  covariance: Float64Array;
  /** agrees: what is not set aside agrees; disagrees: nothing may be adopted without a choice; cannotTell: nothing checks it. */
  verdict: Agreement;
  /** What explains a contradiction; null where there is none. */
  cause: OrientationCause | null;
  sources: JudgedOrientationSource[];
  /** What is missing or degenerate, and what would resolve it. */
  degenerate: string | null;
  /** Heading of the plate in the frame, where picks told it. */
  plateHeadingDeg: number | null;
}

/** A lean that is known worse than this (one sigma, degrees) wants the level, though nobody looked. */
const WANTS_LEVEL_DEG = 0.75;
/** A turn about the vertical that is known no better than this is not known. */
const NOT_TOLD_DEG = 60;
/** Two picks nearer than this, in both pictures, are one: pixels of the plate, degrees in the panorama. */
const SAME_PX = 3;
const SAME_DEG = 0.3;

/** A turn by three sources needs two that are left when one is set aside. */
const ENOUGH = 3;

/**
 * The full rotation of a panorama from everything that speaks of it, by robust least squares on directions (Wahba 1965) with what
 * they share (clock, declination, the plate's camera, distances) as unknowns of their own. Sources that contradict each other are tested:
 * of three and more the wrong one is named and set aside when the tests are sure of it; of two neither is adopted. World axes of
 * CONVENTIONS.md section 1; a plate without a heading looks along azimuth 0 of the set frame (section 8).
 * @throws RangeError when nothing tells the turn about the vertical, or picks come without a camera
 */
export function solveOrientation(given: OrientationSources): SolvedOrientation {
  const { sources, repeated } = withoutRepeats(given);
  let kept: OrientationSources = sources;
  const aside = new Map<string, OrientationCause>();
  let mayAssume = true;
  let { fit, assumeLevel } = plainFit(kept, mayAssume);
  if (!tellsTurn(fit)) throw notTold();
  let cause: OrientationCause | null = null;
  let suspects: readonly string[] = [];
  let [picture, chance] = [false, false];
  while (misplaced(fit)) {
    const explained = explainTurn(kept, assumeLevel, fit);
    chance = explained.chance;
    if (chance) break;
    cause = explained.cause;
    suspects = explained.suspects;
    if (explained.picture) {
      fit = explained.fit;
      picture = true;
      break;
    }
    const rest = without(kept, explained.aside);
    if (explained.aside.length === 0 || count(kept) < ENOUGH || count(rest) === 0) break;
    const next = plainFit(rest, mayAssume && !explained.aside.includes(nameOf.assumedLevel));
    if (!tellsTurn(next.fit)) break;
    for (const name of explained.aside) aside.set(name, cause);
    mayAssume &&= !explained.aside.includes(nameOf.assumedLevel);
    suspects = [];
    kept = rest;
    ({ fit, assumeLevel } = next);
  }
  const disagrees = picture || (misplaced(fit) && !chance);
  const widened = misplaced(fit) && !picture ? Math.max(1, fit.chi2 / Math.max(1, freedom(fit))) : 1;
  const covariance = fit.covariance.map((v) => v * widened);
  const all = aside.size > 0 ? problemOf(sources, assumeLevel) : fit.problem;
  const information = new Map(fit.problem.observations.map((o) => [o.name, informationOf(fit, o)]));
  const total = [...information.values()].reduce((sum, v) => sum + v, 0);
  const judged = all.observations.map((o): JudgedOrientationSource => {
    const own = aside.get(o.name) ?? null;
    // What is hidden behind the others is theirs: a source set aside is compared as it was stated.
    const at = aside.size > 0 ? new Float64Array(all.hidden) : fit.hidden;
    const counted = fit.problem.observations.find((f) => f.name === o.name);
    const residual = counted ? counted.residual(fit.turn, fit.hidden) : o.residual(fit.turn, at);
    return {
      name: o.name,
      kind: o.kind,
      residualDeg: Math.hypot(...residual) / DEG,
      weight: (information.get(o.name) ?? 0) / total,
      outlier: own !== null,
      cause: own ?? (disagrees && (picture || suspects.includes(o.name)) ? cause : null),
    };
  });
  return {
    turn: fit.turn,
    yawDeg: yawOf(fit.turn),
    frame: fit.problem.frame,
    uncertaintyDeg: halfWidth95(Math.sqrt(covariance[4])) / DEG,
    uncertaintyTiltDeg: halfWidth95(Math.sqrt(largest(covariance[0], covariance[8], covariance[2]))) / DEG,
    covariance,
    verdict: disagrees ? 'disagrees' : freedom(fit) === 0 || unchecked(kept) ? 'cannotTell' : 'agrees',
    cause,
    sources: [...judged, ...repeated.map((r) => ({ ...r, residualDeg: 0, weight: 0, outlier: false, cause: null }))],
    degenerate: degenerateWords(kept, repeated.map((r) => r.name), assumeLevel), // prettier-ignore
    plateHeadingDeg: fit.problem.freeHeading === null ? null : wrap180(180 * fit.hidden[fit.problem.freeHeading]),
  };
}

/** World azimuth of the panorama's azimuth 0 once its up is brought upright by the shortest way, degrees. */
export function yawOf(turn: Quaternion): number {
  const up = rotate(conjugate(turn), [0, 1, 0]);
  const axis = Math.hypot(up[0], up[2]);
  const angle = Math.atan2(axis, up[1]);
  const level = axis < 1e-12 ? ([0, 0, 0, 1] as const) : fromRotationVector([(-up[2] / axis) * angle, 0, (up[0] / axis) * angle]); // prettier-ignore
  const yaw = multiply(turn, conjugate(level));
  return wrap180(anglesFromDirection(rotate(yaw, [0, 0, -1])).azimuthDeg);
}

/** The fit of all sources, the level assumed where nothing else holds it. */
function plainFit(s: OrientationSources, mayAssume: boolean): { fit: Fit; assumeLevel: boolean } {
  const bare = problemOf(s, false);
  if (bare.observations.length === 0) throw notTold();
  const fit = fitTurn(bare, s);
  const worst = Math.sqrt(largest(fit.covariance[0], fit.covariance[8], fit.covariance[2])) / DEG;
  const assumeLevel = mayAssume && s.level === null && worst > WANTS_LEVEL_DEG;
  return { fit: assumeLevel ? fitTurn(problemOf(s, true), s) : fit, assumeLevel };
}

const tellsTurn = (fit: Fit) => Math.sqrt(fit.covariance[4]) / DEG < NOT_TOLD_DEG;

const notTold = () =>
  new RangeError(
    'nothing tells the turn about the vertical: find the sun, read a compass, mark surveyed things, pick the same things in plate and panorama, or turn it by hand',
  );

const freedom = (fit: Fit) => fit.problem.observations.reduce((n, o) => n + o.sigmas.length, 0) - 3;

function misplaced(fit: Fit): boolean {
  const n = freedom(fit);
  return n > 0 && fit.chi2 > chiSquareLimit(n, 0.99);
}

/** One source of the turn that the level cannot check: of a sun it checks the height. */
const unchecked = (s: OrientationSources): boolean =>
  !s.sun && (s.hand ? 1 : 0) + s.compass.length + s.marks.length + s.picks.length === 1;

/** Sources that could stand for themselves: upright edges speak together, and so do points of the horizon. */
function count(s: OrientationSources): number {
  const one = (there: unknown) => (there ? 1 : 0);
  return (
    one(s.sun) +
    one(s.level) +
    one(s.hand) +
    s.compass.length +
    s.marks.length +
    s.picks.length +
    one(s.verticals.length) +
    one(s.horizon?.points.length)
  );
}

function without(s: OrientationSources, names: readonly string[]): OrientationSources {
  const stays = (o: { name: string }) => !names.includes(o.name);
  return {
    ...s,
    sun: names.includes(nameOf.sun) ? null : s.sun,
    level: names.includes(nameOf.level) ? null : s.level,
    hand: names.includes(nameOf.hand) ? null : s.hand,
    compass: s.compass.filter(stays),
    marks: s.marks.filter(stays),
    picks: s.picks.filter(stays),
    verticals: s.verticals.filter((_, k) => !names.includes(nameOf.vertical(k))),
    horizon: s.horizon && {
      ...s.horizon,
      points: s.horizon.points.filter((_, k) => !names.includes(nameOf.horizon(k))),
    },
  };
}

/** Two picks on one point speak once. */
function withoutRepeats(s: OrientationSources) {
  const repeated: { name: string; kind: SourceKind }[] = [];
  const picks = s.picks.filter((p, k) => {
    const again = s.picks.slice(0, k).some((o) => {
      const across = wrap180(o.panoramaAzimuthDeg - p.panoramaAzimuthDeg) * Math.cos(p.panoramaElevationDeg * DEG);
      const apart = Math.hypot(across, o.panoramaElevationDeg - p.panoramaElevationDeg);
      return Math.hypot(o.xPx - p.xPx, o.yPx - p.yPx) < SAME_PX && apart < SAME_DEG;
    });
    if (again) repeated.push({ name: p.name, kind: 'pick' });
    return !again;
  });
  return { sources: { ...s, picks }, repeated };
}

function degenerateWords(s: OrientationSources, repeated: readonly string[], assumeLevel: boolean): string | null {
  const words: string[] = [];
  if (repeated.length > 0)
    words.push(`${repeated.join(', ')} lies on a point that was picked before and adds nothing: pick something else`);
  if (assumeLevel && s.marks.length + s.picks.length > 0)
    words.push(
      'the marks and picks lie too near each other to tell how level the panorama is, which was assumed: pick things farther apart, or mark upright edges',
    );
  const placed = s.plate?.stationOffset || (s.station && s.plate?.position);
  if (s.picks.length > 0 && !placed && s.picks.some((p) => p.distanceM === null))
    words.push(
      'how far the camera stood from the station is not known, and near things shift: state where it stood and the distances of the picks',
    );
  return words.length === 0 ? null : words.join('; ');
}

const largest = (a: number, c: number, b: number) => (a + c) / 2 + Math.hypot((a - c) / 2, b);

/** How much of the turn a source tells: trace of its information times the covariance of all. */
function informationOf(fit: Fit, o: Fit['problem']['observations'][number]): number {
  const h = 1e-6;
  const here = o.residual(fit.turn, fit.hidden);
  const slopes = [0, 1, 2].map((axis) => {
    const v = [0, 0, 0].map((_, k) => (k === axis ? h : 0)) as [number, number, number];
    return o.residual(multiply(fromRotationVector(v), fit.turn), fit.hidden).map((r, i) => (r - here[i]) / h);
  });
  let sum = 0;
  for (let a = 0; a < 3; a++)
    for (let b = 0; b < 3; b++)
      o.sigmas.forEach((sigma, i) => (sum += (fit.covariance[3 * a + b] * slopes[a][i] * slopes[b][i]) / sigma ** 2));
  return sum;
}
