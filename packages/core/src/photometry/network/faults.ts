import { curveFunction, signalOf } from '../../colour/curves';
import { linearToSrgb } from '../../colour/transfer';
import { LUX_PER_FOOTCANDLE } from '../units';
import type { NetworkModel } from './model';
import type { ExposureCause, NetworkTake } from './sources';

/** One way in which one thing may be wrong: what it does to the observations, and how large it would be. */
export interface Fault {
  cause: ExposureCause;
  /** What is wrong: one of the sources, or several that it takes with it. */
  sources: number[];
  /** Shift of each observation for an amount of one. */
  shift: Float64Array;
  mean: number;
  sigma: number;
  /** Ids of takes whose own gain is shifted with it. */
  gains: readonly string[];
  /** Before anything is seen. */
  odds: number;
}

/** How often each happens against the others; the sum over all is against `CLEAN_ODDS`. */
const CLASS_ODDS: Record<ExposureCause, number> = {
  nd: 1.5,
  cardTilt: 1,
  cloud: 1,
  exposureIndex: 0.7,
  decoding: 0.7,
  footCandles: 0.3,
  cannotTell: 0.15,
};
/** A day's network without any fault, against all faults. */
export const CLEAN_ODDS = 9;

/** Stops of one step of filters: a density of 0.3. */
const FILTER_STOPS = 0.3 / Math.log10(2);
const STEP_SIGMA = 0.05;

type Amount = readonly [mean: number, sigma: number, share: number];

/** What filters that nobody logged would take, or what a logged one that is not there would have taken. */
const filterAmounts = (nd: number): Amount[] => [
  ...(nd > 0 ? ([[nd, STEP_SIGMA, 0.5]] as Amount[]) : []),
  ...[1, 2, 3, 4, 5, 6, 7].map((k): Amount => [-k * FILTER_STOPS, STEP_SIGMA, (nd > 0 ? 0.5 : 1) / 7]),
];

/** Another exposure index: by thirds of a stop, up to four stops. */
const INDEX_AMOUNTS: readonly Amount[] = [-12, -11, -10, -9, -8, -7, -6, -5, -4, -3, -2, -1, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12].map(
  (third): Amount => [third / 3, 0.02, 1 / 24],
); // prettier-ignore

/** A card that leans: mostly it loses light. */
const TILT_AMOUNTS: readonly Amount[] = [
  [0, 0.2, 0.3],
  [-0.3, 0.25, 0.7],
];
const CLOUD_AMOUNTS: readonly Amount[] = [
  [-1.2, 0.8, 0.7],
  [1, 0.8, 0.3],
];
/** Of what is far off, nobody knows why. */
const GROSS_AMOUNTS: readonly Amount[] = [[0, 2.5, 1]];
/** A plate that was not exposed as its log says, or whose file was scaled since, against a card that was marked on something else. */
const UNLIKE_ITS_LOG = 3;

const rec709FromLinear = (v: number) => (v < 0.018 ? 4.5 * v : 1.099 * Math.pow(v, 0.45) - 0.099);
const legal = signalOf('legal', 255);

/** What a wrong decoding makes of light: curves left on, taken off twice, ranges taken for each other. */
const WRONG_DECODINGS: readonly ((light: number) => number)[] = [
  linearToSrgb,
  curveFunction('srgb'),
  (v) => Math.pow(v, 1 / 2.2),
  (v) => Math.pow(v, 2.2),
  (v) => Math.pow(v, 1 / 2.4),
  (v) => Math.pow(v, 2.4),
  rec709FromLinear,
  curveFunction('rec709'),
  (v) => curveFunction('srgb')(rec709FromLinear(v)),
  (v) => curveFunction('rec709')(linearToSrgb(v)),
  // Legal codes read as full ones, and full ones as legal, behind a curve of video.
  (v) => curveFunction('rec709')((16 + 219 * rec709FromLinear(v)) / 255),
  (v) => curveFunction('rec709')(Math.max(0, legal(255 * rec709FromLinear(v)))),
];

/** The light that a wrong decoding turned into a value, by halving; null when none does. */
function lightBehind(wrong: (light: number) => number, value: number): number | null {
  let [low, high] = [1e-6, 64];
  if (!(wrong(low) <= value && value <= wrong(high))) return null;
  for (let k = 0; k < 60; k++) {
    const middle = Math.sqrt(low * high);
    if (wrong(middle) < value) low = middle;
    else high = middle;
  }
  return Math.sqrt(low * high);
}

/** Of all wrong indices and decodings, those that befell one take alone although its body has more. */
const ALONE_SHARE = 0.1;
/** Of all clouds, those that stood over one time alone, with clear light before and after. */
const PASSING_SHARE = 0.2;

/** Something that may be wrong, by the amounts that it may be wrong by. */
interface Subject {
  sources: number[];
  shift: Float64Array;
  gains?: readonly string[];
  amounts: readonly Amount[];
  /** Of its class; left out: all alike. */
  share?: number;
}

/** Ids of takes that share something. */
function groupsOf(takes: readonly NetworkTake[], by: (take: NetworkTake) => string): string[][] {
  const groups = new Map<string, string[]>();
  for (const take of takes) groups.set(by(take), [...(groups.get(by(take)) ?? []), take.id]);
  return [...groups.values()];
}

/** Every fault that the network is tested for. */
export function possibleFaults(model: NetworkModel): Fault[] {
  const { observations, sources, takes } = model;
  const faults: Fault[] = [];
  const of = (...indices: number[]) => {
    const shift = new Float64Array(observations.length);
    observations.forEach((o, i) => {
      if (indices.includes(o.source)) shift[i] = 1;
    });
    return shift;
  };
  const add = (
    cause: ExposureCause,
    subjects: readonly Subject[],
  ) => {
    for (const { amounts, gains = [], share: own = 1 / subjects.length, ...rest } of subjects)
      for (const [mean, sigma, share] of amounts)
        faults.push({ cause, ...rest, gains, mean, sigma, odds: CLASS_ODDS[cause] * own * share });
  }; // prettier-ignore
  const at = (kind: string) => sources.flatMap((s, k) => (s.kind === kind ? [k] : []));
  const [cards, meters] = [at('card'), at('meter')];
  const settingsOf = (ids: readonly string[]) =>
    sources.flatMap((s, k) => (s.kind === 'settings' && ids.includes(s.take!.id) ? [k] : []));
  const cardsOf = (ids: readonly string[]) =>
    cards.filter((k) => sources[k].card!.take !== null && ids.includes(sources[k].card!.take!));
  const seenTakes = takes.filter(({ take }) => cardsOf([take.id]).length > 0).map(({ take }) => take);

  add(
    'nd',
    seenTakes.map((take) => ({
      sources: settingsOf([take.id]),
      shift: of(...cardsOf([take.id])),
      gains: [take.id],
      amounts: filterAmounts(take.ndStops),
    })),
  );
  // An index is set once for a row of takes, and the longer the row the likelier; one alone, seldom.
  const rows = groupsOf(
    takes.map((t) => t.take),
    (t) => `${t.body} at ${t.ei}`,
  );
  const single = seenTakes.map((t) => [t.id]).filter((ids) => !rows.some((r) => r.length === 1 && r[0] === ids[0]));
  const indexed = (groups: readonly (readonly string[])[], share: number) =>
    groups
      .filter((ids) => cardsOf(ids).length > 0)
      .map((ids, _, all) => ({
        sources: settingsOf(ids),
        shift: of(...cardsOf(ids)),
        gains: ids,
        share: (share * ids.length ** 2) / all.reduce((sum, row) => sum + row.length ** 2, 0),
        amounts: INDEX_AMOUNTS,
      }));
  add('exposureIndex', [...indexed(rows, 1 - ALONE_SHARE), ...indexed(single, ALONE_SHARE)]);
  // Patches that were seen in one picture at one time lean together.
  const placed = new Map<string, number[]>();
  for (const k of cards) {
    const { take, timeMs, normal, round } = sources[k].card!;
    const key = JSON.stringify([take, timeMs, normal, round]);
    placed.set(key, [...(placed.get(key) ?? []), k]);
  }
  add('cardTilt', [...placed.values()].map((ks) => ({ sources: ks, shift: of(...ks), amounts: TILT_AMOUNTS }))); // prettier-ignore
  // What one picture shows and the log denies may be either's: the gain to that picture is its card's in the one case and not in the other.
  const plates = seenTakes.map(({ id }) => id);
  const gross = 1 / (cards.length + meters.length + UNLIKE_ITS_LOG * plates.length);
  add('cannotTell', [
    ...[...cards, ...meters].map((k) => ({ sources: [k], shift: of(k), share: gross, amounts: GROSS_AMOUNTS })),
    ...plates.map((id) => ({ sources: settingsOf([id]), shift: of(...cardsOf([id])), gains: [id], share: UNLIKE_ITS_LOG * gross, amounts: GROSS_AMOUNTS })),
  ]); // prettier-ignore
  add(
    'footCandles',
    meters
      .filter((k) => sources[k].meter!.kind === 'lux')
      .map((k) => {
        const shift = new Float64Array(observations.length);
        // The reading alone, not what the panorama says of its plane.
        const first = observations.findIndex((o) => o.source === k);
        shift[first] = 1;
        return { sources: [k], shift, amounts: [[-Math.log2(LUX_PER_FOOTCANDLE), 0.05, 1]] as Amount[] };
      }),
  );
  add('cloud', cloudsOf([...cards, ...meters], sources, of));
  const bodies = groupsOf(
    takes.map((t) => t.take),
    (t) => t.body,
  );
  const lone = seenTakes.map((t) => [t.id]).filter((ids) => !bodies.some((r) => r.length === 1 && r[0] === ids[0]));
  const decoded = (groups: readonly (readonly string[])[], share: number) => {
    const subjects = groups.flatMap((ids) => WRONG_DECODINGS.flatMap((wrong) => decodedBy(wrong, cardsOf(ids))));
    return subjects.map((s) => ({ ...s, share: share / subjects.length }));
  };
  const decodedBy = (wrong: (light: number) => number, own: readonly number[]): Subject[] => {
    const shift = new Float64Array(observations.length);
    for (let i = 0; i < observations.length; i++) {
      if (!own.includes(observations[i].source)) continue;
      const { value } = sources[observations[i].source].card!;
      const light = lightBehind(wrong, value);
      if (light === null) return [];
      shift[i] = Math.log2(value / light);
    }
    return shift.some((v) => v !== 0) ? [{ sources: [...own], shift, amounts: [[1, 0.02, 1]] }] : [];
  };
  add('decoding', [...decoded(bodies, 1 - ALONE_SHARE), ...decoded(lone, ALONE_SHARE)]);
  return faults;
}

/** In every round, clouds over runs of its times: mostly up to the first or the last. */
function cloudsOf(
  lit: readonly number[],
  sources: NetworkModel['sources'],
  of: (...indices: number[]) => Float64Array,
): Subject[] {
  const seen = lit.map((k) => {
    const { round = null, timeMs } = (sources[k].card ?? sources[k].meter)!;
    return { k, round, timeMs };
  });
  const runs = [...new Set(seen.map((s) => s.round))].flatMap((round) => {
    const here = seen.filter((s) => s.round === round);
    const times = [...new Set(here.map((s) => s.timeMs))].sort((a, b) => a - b);
    return times
      .flatMap((_, i) => times.slice(i).map((__, j) => times.slice(i, i + j + 1)))
      .filter((run) => run.length < times.length)
      .map((run) => ({
        under: here.filter((s) => run.includes(s.timeMs)).map((s) => s.k),
        atEnd: run[0] === times[0] || run[run.length - 1] === times[times.length - 1],
      }));
  });
  const lasting = runs.filter((r) => r.atEnd).length;
  return runs.map(({ under, atEnd }) => ({
    sources: under,
    shift: of(...under),
    amounts: CLOUD_AMOUNTS,
    share: atEnd ? (1 - PASSING_SHARE) / lasting : PASSING_SHARE / (runs.length - lasting),
  }));
}
