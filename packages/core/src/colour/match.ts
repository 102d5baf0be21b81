import { NORMAL_95 } from '../estimate/confidence';
import { NormalEquations } from '../estimate/normalEquations';
import { median, spreadOfResiduals } from '../estimate/robust';
import { deltaE2000, differenceVector, labOfWorking, type Lab } from './difference';
import { luminance, type WorkingSpace } from './primaries';
import type { ColourMatrix } from './convert';

/** Mean of one patch: linear working values, standard errors of the mean, share of it that is clipped. */
export interface PatchColour {
  name: string;
  rgb: readonly [number, number, number];
  sigma: readonly [number, number, number];
  clippedShare: number;
  /** Relative standard uncertainty that all of its picture's patches share; left out, none. */
  commonSigma?: number;
}

export interface MatchedPatch {
  name: string;
  /** CIEDE2000 between plate and panorama: scaled by exposure alone, by what was fitted, and by what was fitted without this patch. */
  before: number;
  after: number | null;
  leftOut: number | null;
  /** Why it has no part in the fit; null when it has. */
  reason: null | 'clipped' | 'shaded' | 'dark';
  /** The matched colour lies outside of the working primaries: it is kept as it is. */
  outOfGamut: boolean;
  /** What is left is far more than noise: the two cameras see its spectrum differently, and no matrix mends that. */
  metameric: boolean;
}

export interface ColourMatch {
  /** gains: one factor a channel, too few colours for more; matrix: three by three. */
  kind: 'gains' | 'matrix';
  /** `plate = 2^gainStops matrix panorama`; the matrix keeps the luminance of the working white. */
  matrix: ColourMatrix;
  gainStops: number;
  /** 95 % half width of the gain. */
  uncertaintyStops: number;
  /** Even light that lies over the plate and not over the panorama (below zero: the other way round), a channel, as a share of the plate's white; it was taken off. Null where the greys show none. */
  veil: [number, number, number] | null;
  deltaE2000: { mean: number; max: number; leaveOneOutMean: number | null; before: number };
  patches: MatchedPatch[];
}

/** L* of the brightest neutral when differences are worked out. COMMANDS.md */
const WHITE_L = 96;
const WHITE_Y = ((WHITE_L + 16) / 116) ** 3;
/** A patch with more of it clipped has no part. */
const CLIPPED_SHARE = 0.01;
/** Colours from which a matrix is fitted; fewer tell gains only. */
const MATRIX_FROM = 6;
/** Chroma, in CIELAB, below which a patch counts as neutral and from which as a colour. */
const NEUTRAL_CHROMA = 12;
/** A patch this much darker or brighter than the fit, in stops, and four times what the others scatter, stands in another light. */
const SHADED_STOPS = 0.25;
/** What neutrals may depart from proportion before a curve is at fault: the slope of one picture's stops over the other's. */
const SLOPE_LIMIT = 0.08;
/** Spread of an entry of the matrix about gains before a patch is seen: holds what few colours do not tell. */
const ENTRY_SIGMA = 0.5;
/** Spread of an even veil between two lenses before a grey is seen, a share of white; what greys depart from proportion by themselves; how far one stands out. */
const VEIL_SIGMA = 0.005;
const GREY_SIGMA = 0.01;
const VEIL_STANDS_OUT = 3;
/** Greys that depart more from a veil than so many standard errors have another reason. */
const VEIL_LEFT = 3;
/** Chroma up to which a patch is a grey, not a dull colour. */
const GREY_CHROMA = 5;
/** Greys that tell a veil. */
const VEIL_FROM = 4;
/** What a matrix leaves is the cameras' own from this difference on, and from so many times what noise makes. */
const METAMERIC = 1;
const METAMERIC_NOISE = 3;
/** Differences below this count as their square in the fit, so that it has a slope at zero. */
const SMOOTH = 0.25;
const PASSES = 40;
/** Share of what is left below which another step is not worth it. */
const SETTLED = 1e-5;

interface Pair {
  name: string;
  plate: readonly number[];
  panorama: readonly number[];
  /** Relative standard error of the two together. */
  noise: number;
}

const applied = (m: ArrayLike<number>, v: readonly number[]): [number, number, number] => [
  m[0] * v[0] + m[1] * v[1] + m[2] * v[2],
  m[3] * v[0] + m[4] * v[1] + m[5] * v[2],
  m[6] * v[0] + m[7] * v[1] + m[8] * v[2],
];

/**
 * The colours of a panorama's chart onto those of a plate's: the matrix of least mean CIEDE2000, held near plain gains by a weak prior.
 * Clipped patches have no part; those that stand in another light than the rest in one of the pictures are set aside and said.
 * @param plate patches of the plate; the two lists are matched by name
 * @param panorama the same patches in the panorama
 * @param keepWhite the brightest neutral is met exactly
 * @throws RangeError when fewer than two patches are in both, none is neutral or lit, or the neutrals say that a curve is at fault
 */
export function matchColours(
  plate: readonly PatchColour[],
  panorama: readonly PatchColour[],
  space: WorkingSpace,
  { keepWhite = false }: { keepWhite?: boolean } = {},
): ColourMatch {
  const lum = (v: readonly number[]) => luminance(v[0], v[1], v[2], space);
  const both = plate.flatMap((p) => {
    const other = panorama.find((q) => q.name === p.name);
    return other ? [{ p, q: other }] : [];
  });
  if (both.length < 2)
    throw new RangeError(
      `only ${both.length} patches have the same name in plate and panorama: at least two are needed`,
    );
  const reasonOf = ({ p, q }: (typeof both)[number]): MatchedPatch['reason'] => {
    if (Math.max(p.clippedShare, q.clippedShare) > CLIPPED_SHARE) return 'clipped';
    const told = (v: PatchColour) => lum(v.rgb) > 3 * Math.abs(lum(v.sigma)) && lum(v.rgb) > 0;
    return [...p.rgb, ...q.rgb].every(Number.isFinite) && told(p) && told(q) ? null : 'dark';
  };
  const noiseOf = ({ p, q }: (typeof both)[number]) => Math.hypot(lum(p.sigma) / lum(p.rgb), lum(q.sigma) / lum(q.rgb));
  const reasons = new Map(both.map((b) => [b.p.name, reasonOf(b)]));
  let pairs: Pair[] = both
    .filter((b) => reasons.get(b.p.name) === null)
    .map((b) => ({ name: b.p.name, plate: b.p.rgb, panorama: b.q.rgb, noise: noiseOf(b) }));
  if (pairs.length < 2)
    throw new RangeError('fewer than two patches are lit and not clipped in both plate and panorama');
  const white = brightestNeutral(pairs, space);
  assertProportional(pairs, space);

  let veil = veilOf(pairs, white, space);
  const unveiled = (rgb: readonly number[]) => rgb.map((v, c) => v - (veil?.[c] ?? 0));
  pairs = pairs.map((p) => ({ ...p, plate: unveiled(p.plate) }));
  let scale = WHITE_Y / lum(unveiled(white.plate));
  let fit = fitMatrix(pairs, { ...white, plate: unveiled(white.plate) }, space, scale, keepWhite, null);
  const shaded = shadedPatches(pairs, fit, lum);
  if (shaded.length > 0 && pairs.length - shaded.length >= 2) {
    for (const { name } of shaded) reasons.set(name, 'shaded');
    pairs = pairs.filter((p) => reasons.get(p.name) === null);
    if (!veil) {
      // What stood in another light hid it.
      veil = veilOf(pairs, brightestNeutral(pairs, space), space);
      pairs = pairs.map((p) => ({ ...p, plate: unveiled(p.plate) }));
    }
    const lit = brightestNeutral(pairs, space);
    scale = WHITE_Y / lum(lit.plate);
    fit = fitMatrix(pairs, lit, space, scale, keepWhite, fit);
  }
  const kept = brightestNeutral(pairs, space);
  const gain = lum(applied(fit, [1, 1, 1]));
  if (!(gain > 0))
    throw new RangeError('the patches of plate and panorama do not belong together: no matrix joins them');
  const scalar = Math.exp(median(pairs.map((p) => Math.log(lum(p.plate) / lum(p.panorama)))));
  const lab = (v: readonly number[]): Lab => labOfWorking(v.map((x) => x * scale), space); // prettier-ignore
  const difference = (m: ArrayLike<number>, p: Pair) => deltaE2000(lab(p.plate), lab(applied(m, p.panorama)));
  const only = [scalar, 0, 0, 0, scalar, 0, 0, 0, scalar];
  const loo = pairs.length > (coloursOf(pairs, space) >= MATRIX_FROM ? MATRIX_FROM : 2);
  const leftOut = new Map(
    loo
      ? pairs.map((p) => {
          const others = pairs.filter((o) => o !== p);
          const w = keepWhite ? kept : brightestNeutral(others, space);
          return [p.name, difference(fitMatrix(others, w, space, scale, keepWhite, fit), p)] as const;
        })
      : [],
  );
  const patches = both.map((b): MatchedPatch => {
    const { p, q } = b;
    const pair = { name: p.name, plate: unveiled(p.rgb), panorama: q.rgb, noise: noiseOf(b) };
    const reason = reasons.get(p.name) ?? null;
    const seen = reason === null || reason === 'shaded';
    const after = seen ? difference(fit, pair) : null;
    return {
      name: p.name,
      before: difference(only, { ...pair, plate: p.rgb }),
      after,
      metameric: reason === null && after! > Math.max(METAMERIC, METAMERIC_NOISE * noiseDifference(p, q, fit, lab)),
      leftOut: leftOut.get(p.name) ?? null,
      reason,
      outOfGamut: applied(fit, q.rgb).some((v) => v < 0),
    };
  });
  const used = patches.filter((p) => p.reason === null);
  const mean = (of: readonly number[]) => of.reduce((s, v) => s + v, 0) / of.length;
  // How far the fit leaves the patches' luminance, in stops, and what their own noise adds.
  const left = pairs.map((p) => Math.log2(lum(p.plate) / lum(applied(fit, p.panorama))));
  const scatter = Math.sqrt(left.reduce((s, v) => s + v * v, 0) / Math.max(1, left.length - 3));
  const noise = pairs.map((p) => p.noise / Math.LN2);
  const common = [(b: (typeof both)[number]) => b.p, (b: (typeof both)[number]) => b.q].map((of) =>
    mean(both.map((b) => of(b).commonSigma ?? 0)),
  );
  const sigma = Math.hypot(
    scatter / Math.sqrt(left.length),
    Math.hypot(...noise) / noise.length,
    Math.hypot(...common) / Math.LN2,
  );
  return {
    kind: coloursOf(pairs, space) >= MATRIX_FROM ? 'matrix' : 'gains',
    matrix: Array.from(fit, (v) => v / gain) as unknown as ColourMatrix,
    gainStops: Math.log2(gain),
    uncertaintyStops: NORMAL_95 * sigma,
    veil: veil && (veil.map((v) => v / lum(kept.plate)) as [number, number, number]),
    deltaE2000: {
      mean: mean(used.map((p) => p.after!)),
      max: Math.max(...used.map((p) => p.after!)),
      leaveOneOutMean: leftOut.size > 0 ? mean([...leftOut.values()]) : null,
      before: mean(used.map((p) => p.before)),
    },
    patches,
  };
}

/** Chroma of a patch after the plate's own white is made neutral, at the lightness of mid grey. */
function chroma(rgb: readonly number[], white: readonly number[], space: WorkingSpace): number {
  const level = 0.18 / luminance(rgb[0] / white[0], rgb[1] / white[1], rgb[2] / white[2], space);
  const [, a, b] = labOfWorking(rgb.map((v, c) => (v / white[c]) * level), space); // prettier-ignore
  return Math.hypot(a, b);
}

/**
 * The brightest patch that is neutral in both pictures. Neutral is what most bright patches agree on: the largest group
 * that shares its colour, so that a plate out of balance has a white, too.
 */
function brightestNeutral(pairs: readonly Pair[], space: WorkingSpace): Pair {
  const lum = (v: readonly number[]) => luminance(v[0], v[1], v[2], space);
  const alike = (a: Pair, b: Pair) =>
    Math.max(chroma(b.plate, a.plate, space), chroma(b.panorama, a.panorama, space)) < NEUTRAL_CHROMA;
  const groups = pairs.map((p) => pairs.filter((o) => alike(p, o)));
  const largest = groups.reduce((a, b) => (b.length > a.length ? b : a));
  return largest.reduce((a, b) => (lum(b.plate) > lum(a.plate) ? b : a));
}

const coloursOf = (pairs: readonly Pair[], space: WorkingSpace): number => {
  const white = brightestNeutral(pairs, space);
  return pairs.filter((p) => chroma(p.plate, white.plate, space) >= NEUTRAL_CHROMA).length;
};

/** @throws RangeError when the neutrals of one picture rise faster than those of the other: light is proportional, curves are not */
function assertProportional(pairs: readonly Pair[], space: WorkingSpace): void {
  const lum = (v: readonly number[]) => luminance(v[0], v[1], v[2], space);
  const white = brightestNeutral(pairs, space);
  const neutral = pairs.filter((p) => chroma(p.plate, white.plate, space) < NEUTRAL_CHROMA);
  // A veil lifts the dark ones; it is no curve.
  const told = neutral.filter((p) => lum(p.plate) > 0.06 * lum(white.plate));
  if (told.length < 4) return;
  const xy = told.map((p) => [Math.log2(lum(p.panorama)), Math.log2(lum(p.plate))]);
  const slopes = xy.flatMap((a, i) =>
    xy.slice(i + 1).flatMap((b) => (Math.abs(a[0] - b[0]) > 0.5 ? [(b[1] - a[1]) / (b[0] - a[0])] : [])),
  );
  if (slopes.length < 3) return;
  const slope = median(slopes);
  const spread = spreadOfResiduals(slopes.map((s) => Math.abs(s - slope)));
  if (Math.abs(slope - 1) > Math.max(SLOPE_LIMIT, 2 * spread))
    throw new RangeError(
      `the neutral patches rise ${slope.toFixed(2)} times as steeply in the plate as in the panorama: in one of them a curve was applied twice or never taken off; state how it is decoded`,
    );
}

/** CIEDE2000 that the noise of a patch alone would make, one sigma. */
function noiseDifference(p: PatchColour, q: PatchColour, fit: ArrayLike<number>, lab: (v: readonly number[]) => Lab) {
  const by = (rgb: readonly number[], sigma: readonly number[], through: (v: readonly number[]) => readonly number[]) =>
    [0, 1, 2].map((c) => deltaE2000(lab(through(rgb)), lab(through(rgb.map((v, k) => (k === c ? v + sigma[c] : v))))));
  return Math.hypot(...by(p.rgb, p.sigma, (v) => v), ...by(q.rgb, q.sigma, (v) => applied(fit, v)));
}

/**
 * The even light that the greys of the plate have beyond proportion, in the plate's unit: dark greys show it, bright ones the gain. Null where too few
 * greys are there or it does not stand out.
 */
function veilOf(pairs: readonly Pair[], white: Pair, space: WorkingSpace): [number, number, number] | null {
  const greys = pairs.filter(
    (p) =>
      chroma(p.panorama, white.panorama, space) < GREY_CHROMA && chroma(p.plate, white.plate, space) < NEUTRAL_CHROMA,
  );
  if (greys.length < VEIL_FROM) return null;
  const lum = (v: readonly number[]) => luminance(v[0], v[1], v[2], space);
  const told = (of: (v: readonly number[]) => number) => {
    const whiteValue = of(white.plate);
    const seen = greys.map((g) => {
      const value = of(g.plate) / whiteValue;
      return { x: of(g.panorama) / of(white.panorama), value, sigma: Math.hypot(GREY_SIGMA, g.noise) * value };
    });
    const equations = new NormalEquations(2);
    for (const { x, value, sigma } of seen) equations.add([0, 1], [x, 1], -value, 1 / sigma ** 2);
    equations.prior(1, 0, VEIL_SIGMA);
    const { step, covariance } = equations.solve();
    return {
      value: step[1] * whiteValue,
      standsOut: Math.abs(step[1]) / Math.sqrt(covariance()[3]),
      /** The worst that a grey departs from it, in its standard errors. */
      left: Math.max(...seen.map(({ x, value, sigma }) => Math.abs(step[0] * x + step[1] - value) / sigma)),
    };
  };
  const { standsOut, left } = told(lum);
  if (standsOut < VEIL_STANDS_OUT || left > VEIL_LEFT) return null;
  return [0, 1, 2].map((c) => told((v) => v[c]).value) as [number, number, number];
}

/** Patches that the fit leaves too dark or too bright as a whole. */
function shadedPatches(pairs: readonly Pair[], fit: ArrayLike<number>, lum: (v: readonly number[]) => number): Pair[] {
  const left = pairs.map((p) => Math.log2(lum(p.plate) / lum(applied(fit, p.panorama))));
  const middle = median(left);
  const off = left.map((v) => Math.abs(v - middle));
  const limit = Math.max(SHADED_STOPS, 4 * spreadOfResiduals(off));
  const shaded = pairs.filter((_, k) => off[k] > limit);
  return shaded.length <= pairs.length / 3 ? shaded : [];
}

/** Directions in which a row of the matrix may move while it keeps its product with a vector. */
function across(w: readonly number[]): [number[], number[]] {
  const length = Math.hypot(...w);
  const n = w.map((v) => v / length);
  const seed = Math.abs(n[0]) < 0.8 ? [1, 0, 0] : [0, 1, 0];
  const along = seed[0] * n[0] + seed[1] * n[1] + seed[2] * n[2];
  const u = seed.map((v, i) => v - along * n[i]);
  const ul = Math.hypot(...u);
  const a = u.map((v) => v / ul);
  return [a, [n[1] * a[2] - n[2] * a[1], n[2] * a[0] - n[0] * a[2], n[0] * a[1] - n[1] * a[0]]];
}

/**
 * The matrix of least mean CIEDE2000 by reweighted Gauss-Newton steps with halving, from plain gains or from a matrix that is near.
 * @returns row-major, panorama to plate
 */
function fitMatrix(
  pairs: readonly Pair[],
  white: Pair,
  space: WorkingSpace,
  scale: number,
  keepWhite: boolean,
  from: ArrayLike<number> | null,
): Float64Array {
  const gains = [0, 1, 2].map((c) =>
    keepWhite
      ? white.plate[c] / white.panorama[c]
      : Math.exp(
          median(pairs.filter((p) => p.plate[c] > 0 && p.panorama[c] > 0).map((p) => Math.log(p.plate[c] / p.panorama[c]))),
        ),
  ); // prettier-ignore
  const diagonal = Float64Array.from([gains[0], 0, 0, 0, gains[1], 0, 0, 0, gains[2]]);
  const matrix = coloursOf(pairs, space) >= MATRIX_FROM;
  // Directions of the nine entries that may move.
  const directions: Float64Array[] = [];
  const [a, b] = across(white.panorama);
  for (let row = 0; row < 3; row++) {
    const put = (v: readonly number[]) => {
      const d = new Float64Array(9);
      v.forEach((x, c) => (d[3 * row + c] = x * gains[row]));
      directions.push(d);
    };
    if (matrix && keepWhite) [a, b].forEach(put);
    else if (matrix) [0, 1, 2].forEach((c) => put([0, 1, 2].map((k) => (k === c ? 1 : 0))));
    else if (!keepWhite) put([0, 1, 2].map((k) => (k === row ? 1 : 0)));
  }
  if (directions.length === 0) return diagonal;
  const lab = (v: readonly number[]): Lab => labOfWorking(v.map((x) => x * scale), space); // prettier-ignore
  const targets = pairs.map((p) => lab(p.plate));
  const at = (p: Float64Array) => {
    const m = diagonal.slice();
    directions.forEach((d, k) => d.forEach((v, i) => (m[i] += p[k] * v)));
    return m;
  };
  const vectors = (m: ArrayLike<number>) =>
    pairs.map((p, i) => differenceVector(targets[i], lab(applied(m, p.panorama))));
  const cost = (p: Float64Array) =>
    vectors(at(p)).reduce((s, v) => s + Math.sqrt(v[0] ** 2 + v[1] ** 2 + v[2] ** 2 + SMOOTH ** 2), 0) +
    p.reduce((s, v) => s + (v / ENTRY_SIGMA) ** 2 / 2, 0);
  let state = new Float64Array(directions.length);
  if (from && matrix) {
    // What of a near matrix these directions can say.
    state = Float64Array.from(directions, (d) => {
      const norm = d.reduce((s, v) => s + v * v, 0);
      return d.reduce((s, v, i) => s + v * (from[i] - diagonal[i]), 0) / norm;
    });
  }
  let best = cost(state);
  for (let pass = 0; pass < PASSES; pass++) {
    const m = at(state);
    const here = vectors(m);
    const equations = new NormalEquations(directions.length);
    const slopes = directions.map((d) => {
      const step = 1e-4;
      const moved = m.map((v, i) => v + step * d[i]);
      return vectors(moved).map((v, i) => v.map((x, k) => (x - here[i][k]) / step));
    });
    const columns = directions.map((_, k) => k);
    here.forEach((v, i) => {
      const weight = 1 / Math.sqrt(v[0] ** 2 + v[1] ** 2 + v[2] ** 2 + SMOOTH ** 2);
      for (let k = 0; k < 3; k++)
        equations.add(
          columns,
          slopes.map((s) => s[i][k]),
          v[k],
          weight,
        );
    });
    for (const c of columns) equations.prior(c, state[c], ENTRY_SIGMA);
    const { step } = equations.solve();
    let taken = 1;
    let next = state.map((v, k) => v + step[k]);
    let value = cost(next);
    while (!(value < best) && taken > 1e-3) {
      taken /= 2;
      next = state.map((v, k) => v + taken * step[k]);
      value = cost(next);
    }
    if (!(value < best)) break;
    const gained = best - value;
    state = next;
    best = value;
    if (gained < SETTLED * best) break;
  }
  return at(state);
}
