import { Matrix } from 'ml-matrix';
import { halfWidth95 } from '../../estimate/confidence';
import { dotOf, explained, seen, times, type Explained, type Seen } from './gaussian';
import { CLEAN_ODDS, possibleFaults, type Fault } from './faults';
import { networkModel, type NetworkModel } from './model';
import type { ExposureCause, NetworkInput } from './sources';

/** A departure is looked at only when what was seen stands out along it by so many standard deviations. */
const STANDS_OUT = 3;
/** A cause is named from this probability among the faults. */
const NAMED_FROM = 0.6;
/** Only from this one is it taken out for good: below, the other explanations stay part of the answer and of its width. */
const SETTLED_FROM = 0.9;
/** A source is doubted where explanations of this probability hold it wrong. */
const DOUBTED_FROM = 0.1;
/** Something is wrong when no fault is less probable than this. */
const CLEAN_BELOW = 0.5;
/** So many faults are explained, one after the other. */
const MOST_FAULTS = 3;
/** Information beside a take's own, below which nothing else speaks of its gain: one sigma in stops. */
const SPEAKS_STOPS = 1;

export interface TakeGain {
  id: string;
  /** Plate value = 2^gainStops x panorama value. */
  gainStops: number;
  /** 95 % half width; null when nothing ties the take to the panorama. */
  uncertaintyStops: number | null;
  verdict: 'agrees' | 'disagrees' | 'cannotTell';
  /** The set's light at the take against the panorama's, stops; null where it was not seen then. */
  lightStops: { value: number; uncertainty: number } | null;
}

export interface JudgedExposure {
  name: string;
  kind: 'card' | 'meter' | 'rig' | 'settings';
  /** What it says minus what was adopted. */
  residualStops: number;
  /** 95 % half width of what it says. */
  uncertaintyStops: number;
  /** Share of what was adopted that rests on it; the shares sum to 1. */
  weight: number;
  outlier: boolean;
  cause: ExposureCause | null;
}

interface Taken {
  fault: Fault;
  found: Explained;
  cause: ExposureCause;
  probability: number;
  /** What it holds wrong; of several explanations, what all of them do. */
  sources: number[];
  /** What one of several explanations holds wrong. */
  doubted: number[];
  /** How probable it is that a source is wrong, over all explanations. */
  blame: number[];
  /** Part of the model from here on; else one of several that explain it alike. */
  settled: boolean;
}

export interface Network {
  takes: TakeGain[];
  /** cd/m2 per panorama unit; null when no meter and no earlier round tells. */
  absolute: { whiteLuminance: number; uncertaintyStops: number } | null;
  /** Against nominal sensitivity, stops. */
  bodies: { body: string; responsivityStops: number; uncertaintyStops: number }[];
  sources: JudgedExposure[];
  /** Every fault that was found, in the order of how much it explains; of the one that is not settled several things may be the cause. */
  faults: { cause: ExposureCause; sources: string[]; amountStops: number; probability: number; settled: boolean }[];
}

interface Judged {
  fault: Fault | null;
  found: Explained | null;
  probability: number;
}

/**
 * Cards, meters, settings and the rig's history joined: every take's gain, the panorama's unit in cd/m2 and each body's responsivity, with
 * covariance. Normal errors as they are stated, one linear model in stops (CONVENTIONS.md section 3); what would explain a contradiction (filter,
 * index, tilt, cloud, decoding, unit) is a shift of the same model, and its marginal likelihood is held against that of no fault. A fault that is
 * named is taken out; where several explain it alike, the answer is that of the most probable and of those that agree with it, as wide as all of them.
 * @throws RangeError naming the field that cannot be
 */
export function solveNetwork(input: NetworkInput): Network {
  const model = networkModel(input);
  if (model.observations.length === 0) throw new RangeError('no card, meter or rig says anything of exposure');
  const all = possibleFaults(model);
  const taken: Taken[] = [];
  let state = seen(model.unknowns, model.observations);
  let mixture: Judged[] = [];
  for (let round = 0; round <= MOST_FAULTS; round++) {
    mixture = judge(state, all.filter((f) => !taken.some((t) => sameSubject(t.fault, f)))); // prettier-ignore
    const clean = mixture.find((j) => j.fault === null)!.probability;
    if (clean >= CLEAN_BELOW || round === MOST_FAULTS) break;
    const faulty = mixture.filter((j) => j.fault !== null);
    const total = faulty.reduce((s, j) => s + j.probability, 0);
    const by = new Map<string, { share: number; best: Judged }>();
    for (const j of faulty) {
      const known = by.get(explanation(j.fault!));
      const best = known && known.best.probability > j.probability ? known.best : j;
      by.set(explanation(j.fault!), { share: (known?.share ?? 0) + j.probability / total, best });
    }
    const { share, best } = [...by.values()].reduce((a, b) => (b.share > a.share ? b : a));
    const { cause } = best.fault!;
    const named = share >= NAMED_FROM;
    // What every probable explanation holds wrong.
    const blame = model.sources.map(
      (_, k) => faulty.reduce((s, j) => s + (j.fault!.sources.includes(k) ? j.probability : 0), 0) / total,
    );
    const from = (share: number) => blame.flatMap((v, k) => (v >= share ? [k] : []));
    taken.push({
      fault: best.fault!,
      found: best.found!,
      cause: named ? cause : 'cannotTell',
      probability: named ? share : 1 - clean,
      sources: named ? best.fault!.sources : from(NAMED_FROM),
      doubted: named ? [] : from(DOUBTED_FROM),
      blame,
      settled: named && share >= SETTLED_FROM,
    });
    if (share < SETTLED_FROM) break;
    state = shifted(state, best.fault!);
  } // prettier-ignore
  return answer(model, state, mixture, taken);
}

const sameSubject = (a: Fault, b: Fault) => a.shift.every((v, k) => v === b.shift[k]);

/** Faults of one cause are one explanation; of something gross, those of one culprit. */
const explanation = ({ cause, sources, gains }: Fault): string =>
  cause === 'cannotTell' ? JSON.stringify([sources, gains]) : cause;

/** Probability of each fault, and of none, on what was seen. */
function judge(state: Seen, faults: readonly Fault[]): Judged[] {
  const judged = faults.map((fault) => ({ fault, found: explained(state, fault) }));
  const scores = judged.map(({ fault, found }) =>
    Math.abs(found.standsOut) >= STANDS_OUT ? Math.log(fault.odds) + found.logRatio : -Infinity,
  );
  const none = Math.log(CLEAN_ODDS);
  const top = Math.max(none, ...scores);
  const weights = scores.map((s) => Math.exp(s - top));
  const total = Math.exp(none - top) + weights.reduce((s, w) => s + w, 0);
  return [
    { fault: null, found: null, probability: Math.exp(none - top) / total },
    ...judged.flatMap(({ fault, found }, k) =>
      weights[k] / total > 1e-4 ? [{ fault, found, probability: weights[k] / total }] : [],
    ),
  ];
}

/** What was seen when a fault is part of the model: its mean taken off, its spread added along the shift. */
function shifted(state: Seen, { shift, mean, sigma }: Fault): Seen {
  const residual = Float64Array.from(state.residual, (v, i) => v - mean * shift[i]);
  return { ...state, residual, precision: withSpread(state.precision, shift, sigma) };
}

/** (S + sigma^2 v vT)^-1 from S^-1 (Sherman and Morrison 1950). */
function withSpread(precision: Matrix, shift: ArrayLike<number>, sigma: number): Matrix {
  const ps = times(precision, shift);
  const k = (sigma * sigma) / (1 + sigma * sigma * dotOf(shift, ps));
  const out = precision.clone();
  for (let i = 0; i < out.rows; i++)
    for (let j = 0; j < out.columns; j++) out.set(i, j, out.get(i, j) - k * ps[i] * ps[j]);
  return out;
}

/** A sum of unknowns, and of the amounts of faults that are part of the model, under what was seen: its value and variance. */
function asked(
  state: Seen,
  slopes: ReadonlyMap<number, number>,
  amounts: readonly Fault[] = [],
): { value: number; variance: number } {
  const n = state.residual.length;
  const along = new Float64Array(n);
  let prior = 0;
  for (const [a, sa] of slopes) {
    for (let i = 0; i < n; i++) along[i] += sa * state.gain.get(a, i);
    for (const [b, sb] of slopes) prior += sa * sb * state.prior.get(a, b);
  }
  let mean = 0;
  for (const f of amounts) {
    for (let i = 0; i < n; i++) along[i] += f.sigma * f.sigma * f.shift[i];
    prior += f.sigma * f.sigma;
    mean += f.mean;
  }
  const weighted = times(state.precision, along);
  return { value: mean + dotOf(weighted, state.residual), variance: Math.max(0, prior - dotOf(weighted, along)) };
}

/** What one explanation makes of a number. */
interface Part {
  probability: number;
  value: number;
  variance: number;
}

/** Explanations whose numbers are further apart than so many joint sigmas are not averaged: between them lies what nobody says. */
const APART_SIGMAS = 3;
/** Explanations that are less probable than this together need not lie inside a 95 % interval. */
const LEFT_OUTSIDE = 0.05;

/** The mean of the most probable explanation and of those that agree with it, with the half width that holds 95 % of all of them. */
function adopted(parts: readonly Part[]): { value: number; sigma: number; halfWidth: number } {
  const top = parts.reduce((a, b) => (b.probability > a.probability ? b : a));
  const agrees = (p: Part) => Math.abs(p.value - top.value) <= APART_SIGMAS * Math.sqrt(p.variance + top.variance);
  const near = parts.filter(agrees);
  const total = near.reduce((s, p) => s + p.probability, 0);
  const value = near.reduce((s, p) => s + p.probability * p.value, 0) / total;
  const sigma = Math.sqrt(near.reduce((s, p) => s + p.probability * (p.variance + (p.value - value) ** 2), 0) / total);
  const reach = ({ value: v, variance }: Part) => Math.abs(v - value) + halfWidth95(Math.sqrt(variance));
  const far = parts.filter((p) => !agrees(p)).sort((a, b) => reach(b) - reach(a));
  let outside = 0;
  const held = far.find((p) => (outside += p.probability) > LEFT_OUTSIDE);
  return { value, sigma, halfWidth: Math.max(halfWidth95(sigma), held ? reach(held) : 0) };
}

function answer(model: NetworkModel, state: Seen, mixture: readonly Judged[], taken: readonly Taken[]): Network {
  const named = taken.filter((t) => t.settled);
  const unresolved = taken.find((t) => !t.settled) ?? null;
  const under = mixture.map((j) => ({ ...j, state: j.fault ? shifted(state, j.fault) : state }));
  /** Value and variance over all explanations; `shiftOf` says what a fault itself adds to what is asked. */
  const mixed = (slopes: ReadonlyMap<number, number>, shiftOf: (f: Fault) => boolean = () => false) => {
    const settled = named.map((t) => t.fault).filter(shiftOf);
    const parts = under.map(({ fault, probability, state: s }) => ({
      probability,
      ...asked(s, slopes, fault && shiftOf(fault) ? [...settled, fault] : settled),
    }));
    return adopted(parts);
  }; // prettier-ignore
  const gainSlopes = (take: NetworkModel['takes'][number]) => new Map([...take.slopes, ...model.unit]);

  const takes = model.takes.map((t): TakeGain => {
    const { value, sigma, halfWidth } = mixed(gainSlopes(t), (f) => f.gains.includes(t.take.id));
    const own = model.observations.flatMap((o, i) => (model.sources[o.source].card?.take === t.take.id ? [i] : []));
    const others = without(model, own);
    const free = others ? Math.sqrt(asked(others, gainSlopes(t)).variance) : Infinity;
    const lit = model.lightAt(t.take);
    const light = lit.length === 0 ? null : mixed(new Map(lit));
    const doubted = unresolved !== null && touches(model, unresolved.fault, t.take.id);
    return {
      id: t.take.id,
      gainStops: t.constant + value,
      uncertaintyStops: sigma > 5 ? null : halfWidth,
      verdict: doubted ? 'disagrees' : own.length > 0 && free < SPEAKS_STOPS ? 'agrees' : 'cannotTell',
      lightStops: light && { value: light.value, uncertainty: light.halfWidth },
    };
  });
  const unit = mixed(model.unit);
  const tells = model.sources.some((s) => s.kind === 'meter' || s.kind === 'rig');
  return {
    takes,
    absolute: tells && unit.sigma < 3 ? { whiteLuminance: 2 ** unit.value, uncertaintyStops: unit.halfWidth } : null,
    bodies: model.bodies.map(({ body, column }) => {
      const { value, halfWidth } = mixed(new Map([[column, 1], [model.white, 1]])); // prettier-ignore
      return { body, responsivityStops: value, uncertaintyStops: halfWidth };
    }),
    sources: judgedSources(model, state, under, named, unresolved),
    faults: taken.map((t) => ({
      cause: t.cause,
      sources: t.sources.map((k) => model.sources[k].name),
      amountStops: faultStops(t.fault, t.found),
      probability: t.probability,
      settled: t.settled,
    })),
  };
}

/** The largest shift that a fault makes of an observation, with its sign. */
const faultStops = (fault: Fault, found: Explained): number =>
  fault.shift.reduce((a, v) => (Math.abs(v * found.amount) > Math.abs(a) ? v * found.amount : a), 0);

/** Whether a fault shifts what was seen in a take. */
const touches = (model: NetworkModel, fault: Fault, id: string): boolean =>
  fault.gains.includes(id) ||
  model.observations.some((o, i) => fault.shift[i] !== 0 && model.sources[o.source].card?.take === id);

/** What was seen but for some observations; null when nothing else was. */
function without(model: NetworkModel, left: readonly number[]): Seen | null {
  const kept = model.observations.filter((_, i) => !left.includes(i));
  return kept.length === 0 ? null : seen(model.unknowns, kept);
}

/** What a source states of its own error, 95 % half width; of settings, what they promise together. */
function statedOf(model: NetworkModel, k: number): number {
  const source = model.sources[k];
  const settings = model.takes.find((t) => t.take.id === source.take?.id)?.settings ?? [];
  const sigmas =
    source.kind === 'settings'
      ? settings.map((c) => model.unknowns.sigmaOf(c))
      : model.observations.filter((o) => o.source === k).map((o) => o.sigma);
  return halfWidth95(...sigmas);
}

function judgedSources(
  model: NetworkModel,
  state: Seen,
  under: readonly (Judged & { state: Seen })[],
  named: readonly { fault: Fault; cause: ExposureCause; sources: number[] }[],
  unresolved: Taken | null,
): JudgedExposure[] {
  // Under the most probable explanation.
  const likeliest = under.reduce((a, b) => (b.probability > a.probability ? b : a));
  const top = likeliest.state;
  const faults = [...named.map((t) => t.fault), ...(likeliest.fault ? [likeliest.fault] : [])];
  const amounts = faults.map((fault) => ({ fault, amount: asked(top, new Map(), [fault]).value }));
  const topWeighted = times(top.precision, top.residual);
  const information = model.sources.map((source, k) => {
    if (named.some((t) => t.sources.includes(k))) return 0;
    let sum = 0;
    if (source.kind === 'settings') {
      const scale = model.takes.find((t) => t.take.id === source.take!.id)!;
      const slopes = new Map(scale.settings.map((c) => [c, 1]));
      const before = scale.settings.reduce((s, c) => s + model.unknowns.sigmaOf(c) ** 2, 0);
      sum = asked(state, slopes).variance / before;
    } else
      model.observations.forEach((o, i) => {
        if (o.source === k) sum += Math.max(0, 1 - o.sigma * o.sigma * state.precision.get(i, i));
      });
    return sum * (1 - (unresolved?.blame[k] ?? 0));
  });
  const total = information.reduce((s, v) => s + v, 0) || 1;
  return model.sources.map((source, k) => {
    const by = named.find((t) => t.sources.includes(k));
    const blamed = unresolved?.sources.includes(k) ?? false;
    const doubted = unresolved?.doubted.includes(k) ?? false;
    let residual = 0;
    if (source.kind === 'settings') {
      const scale = model.takes.find((t) => t.take.id === source.take!.id)!;
      const own = amounts.filter((a) => a.fault.gains.includes(source.take!.id));
      residual = -asked(top, new Map(scale.settings.map((c) => [c, 1]))).value;
      for (const { amount } of own) residual -= amount;
    } else {
      let largest = 0;
      model.observations.forEach((o, i) => {
        if (o.source !== k) return;
        // What the noise of an observation is believed to be.
        let off = o.sigma * o.sigma * topWeighted[i];
        // Of a fault that is not its own, a source says what it should.
        for (const { fault, amount } of amounts) if (fault.sources.includes(k)) off += fault.shift[i] * amount;
        if (Math.abs(off) > Math.abs(largest)) largest = off;
      });
      residual = largest;
    }
    return {
      name: source.name,
      kind: source.kind,
      residualStops: residual,
      uncertaintyStops: statedOf(model, k),
      weight: information[k] / total,
      outlier: by !== undefined || blamed,
      cause: by?.cause ?? (blamed ? unresolved!.cause : doubted ? 'cannotTell' : null),
    };
  });
}
