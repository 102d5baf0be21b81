import { solveNetwork, type ExposureCause, type Network, type NetworkCard, type NetworkInput, type NetworkMeter, type NetworkTake } from '@tawny/core'; // prettier-ignore
import { createRandom, type Random } from '@tawny/simset';
import { quantile, rms, type Row, type Section } from './table';

/** One sigma of what is stated as a 95 % half width; written out here, so that a slip of the one is seen in the other. */
const sigma = (half: number) => half / 1.96;
const HOUR = 3600e3;
/** How far a take's time may be off that nobody said, seconds, 95 %. */
const WHENEVER_S = 7200;
const T_STOPS = [2, 2.8, 4, 5.6, 8, 11];
/** Takes, by their place, in which a card stands. */
const CARDED = [0, 1, 3, 5, 6];
const REFLECTANCES = [0.18, 0.18, 0.18, 0.9, 0.36];

/** Errors that the day drew once: of markings, filters, bodies, white, light. */
class Truth {
  private readonly drawn = new Map<string, number>();
  constructor(private readonly random: Random) {}
  of(name: string, s: number): number {
    const known = this.drawn.get(name);
    if (known !== undefined) return known;
    const value = s * this.random.normal();
    this.drawn.set(name, value);
    return value;
  }
}

export interface DaySpec {
  /** One sigma, stops an hour, as stated and drawn. */
  drift: number;
  lux: boolean;
  rig: boolean;
  /** Every card is a chart of which white and grey were measured, with a lux reading beside it. */
  chart?: boolean;
}

export interface Day {
  input: NetworkInput;
  /** True gains by take, stops. */
  gains: Map<string, number>;
  cdm2PerUnit: number;
  /** What the errors of a take's stated settings and its body make together, one sigma: for takes without a card. */
  takesWithCard: Set<string>;
  /** Of the light on the set against the panorama's, stops, within five hours of it. */
  lightAt: (timeMs: number) => number;
  random: Random;
}

/** A day with two bodies: a card in the panorama, eight takes, cards in five of them, at most two lux readings. */
export function dayOf(seed: number, label: string, spec: DaySpec): Day {
  const random = createRandom(seed, 'exposure network', label);
  const truth = new Truth(random);
  const pick = <T>(of: readonly T[]): T => of[Math.floor(random.next() * of.length)];
  const start = Date.UTC(2026, 9, 14, 10);
  const cdm2PerUnit = 2 ** (12 * random.next() - 2);
  // The light of the set goes its way: its pace turns over within two hours, drawn by steps of three minutes.
  const first = spec.drift * random.normal();
  const going = (from: number, by: Random) => {
    const steps = [0];
    let pace = from;
    for (let k = 1; k <= 100; k++) {
      steps.push(steps[k - 1] + pace / 20);
      const keeps = Math.exp(-0.05 / 2);
      pace = keeps * pace + Math.sqrt(1 - keeps * keeps) * spec.drift * by.normal();
    }
    return steps;
  };
  const after = going(first, random);
  const before = going(-first, createRandom(seed, 'exposure network, before', label));
  const lightAt = (t: number) => {
    const k = Math.round((t - start) / (HOUR / 20));
    return k >= 0 ? after[k] : before[-k];
  };
  const lux0 = 2 ** (8 + 8 * random.next());
  const white = 0.4 * random.normal();
  const takes: NetworkTake[] = Array.from({ length: 8 }, (_, k) => {
    const body = k < 5 ? 'A' : 'B';
    return {
      id: `t${k + 1}`,
      body,
      lens: pick(['l', 'm']),
      tStop: pick(T_STOPS),
      fStop: null,
      shutterS: pick([1 / 48, 1 / 50, 1 / 96]),
      ei: pick(body === 'A' ? [400, 800] : [500, 1000]),
      ndStops: pick([0, 0, 2, 3, 6]),
      timeMs: start + (HOUR / 20) * (4 + 5 * k + Math.floor(4 * random.next())),
    };
  });
  const scale = (t: NetworkTake) =>
    Math.log2((t.shutterS * t.ei) / (100 * t.tStop! ** 2)) -
    t.ndStops -
    Math.log2(1.2) +
    white +
    truth.of(`body ${t.body}`, sigma(0.3)) +
    truth.of(`lens ${t.lens}`, sigma(0.106)) +
    truth.of(`stop ${t.body} ${t.lens} ${t.tStop}`, sigma(0.07)) +
    truth.of(`shutter ${t.body} ${t.shutterS}`, sigma(0.014)) +
    truth.of(`ei ${t.body} ${t.ei}`, sigma(0.035)) +
    (t.ndStops > 0 ? truth.of(`nd ${t.body} ${t.ndStops}`, sigma(0.1)) : 0) +
    truth.of(`take ${t.id}`, sigma(0.03));
  const card = (
    name: string,
    take: NetworkTake | null,
    timeMs: number,
    reflectance = pick(REFLECTANCES),
  ): NetworkCard => {
    const uncertaintyStops = 0.03 + 0.05 * random.next();
    const stops =
      Math.log2((reflectance * lux0) / Math.PI) +
      lightAt(timeMs) +
      (take ? scale(take) : -Math.log2(cdm2PerUnit)) +
      sigma(uncertaintyStops) * random.normal();
    return { name, take: take?.id ?? null, value: 2 ** stops, uncertaintyStops, reflectance, normal: null, timeMs };
  };
  const cards = [
    card('card in the panorama', null, start),
    ...CARDED.flatMap((k) => {
      const one = (name: string, of?: number) => card(`${name} in ${takes[k].id}`, takes[k], takes[k].timeMs, of);
      return spec.chart ? [one('white', 0.9), one('grey', 0.18)] : [one('card')];
    }),
  ];
  const meters: NetworkMeter[] = spec.lux
    ? [0, ...(spec.chart ? CARDED : [2, 6])].map((k, i) => {
        const timeMs = i === 0 ? start : takes[k].timeMs;
        const uncertaintyStops = Math.log2(1.03);
        return {
          name: `lux ${i + 1}`,
          kind: 'lux',
          value: lux0 * 2 ** (lightAt(timeMs) + sigma(uncertaintyStops) * random.normal()),
          uncertaintyStops,
          normal: null,
          seenByPanorama: null,
          timeMs,
        };
      })
    : [];
  const rig = spec.rig ? { value: 2 ** (sigma(0.15) * random.normal()) / cdm2PerUnit, uncertaintyStops: 0.15 } : null;
  return {
    input: { panorama: { rigResponsivity: rig, timeMs: start }, takes, cards, meters, driftStopsPerHour: spec.drift },
    gains: new Map(takes.map((t) => [t.id, scale(t) + Math.log2(cdm2PerUnit)])),
    cdm2PerUnit,
    takesWithCard: new Set(cards.flatMap((c) => (c.take ? [c.take] : []))),
    lightAt,
    random,
  };
}

interface Judged {
  error: number;
  half: number;
}

function coverageRow(what: string, trials: readonly Judged[]): Row {
  const inside = trials.filter((t) => Math.abs(t.error) <= t.half).length / trials.length;
  const spread = quantile(trials.map((t) => Math.abs(t.error)), 0.95); // prettier-ignore
  const width = quantile(trials.map((t) => t.half), 0.5) / spread; // prettier-ignore
  const normed = rms(trials.map((t) => (1.96 * t.error) / t.half));
  return {
    what,
    bound: '93-97 %, width at most 1.3, 0.9-1.15',
    measured: `${(100 * inside).toFixed(1)} % inside, ± ${quantile(trials.map((t) => t.half), 0.5).toFixed(3)} stop, ${width.toFixed(2)} of the empirical width, rms ${normed.toFixed(2)} of the stated`,
    holds: inside >= 0.93 && inside <= 0.97 && width <= 1.3 && normed <= 1.15,
  }; // prettier-ignore
}

const SPEC: DaySpec = { drift: 0.1, lux: true, rig: false };

/** What goes wrong on a day, by the kind that should be named. */
export const MISHAPS: Record<Exclude<ExposureCause, 'cannotTell'>, (day: Day) => NetworkInput | null> = {
  // A filter that the log does not have, or has without its being there.
  nd: ({ input, random }) => {
    const take = input.takes[[0, 1, 3][Math.floor(3 * random.next())]];
    const real = [1, 2, 3, 4][Math.floor(4 * random.next())] * (0.3 / Math.log10(2));
    return {
      ...input,
      cards: input.cards.map((c) => (c.take === take.id ? { ...c, value: c.value * 2 ** -real } : c)),
    };
  },
  cardTilt: ({ input, random }) => {
    const which = input.cards[1 + Math.floor((input.cards.length - 1) * random.next())].take;
    const tilt = 0.3 + 0.45 * random.next();
    const others = solveNetwork({ ...input, cards: input.cards.filter((c) => c.take !== which) });
    const own = input.cards.filter((c) => c.take === which).map((c) => sigma(c.uncertaintyStops));
    const told = sigma(others.takes.find((t) => t.id === which)!.uncertaintyStops!);
    // Of less than three standard deviations nothing is to be said.
    if (tilt < 3 * Math.hypot(told, rms(own) / Math.sqrt(own.length))) return null;
    return {
      ...input,
      cards: input.cards.map((c) => (c.take === which ? { ...c, value: c.value * 2 ** -tilt } : c)),
    };
  },
  cloud: ({ input, random }) => {
    const from = input.takes[[2, 3, 5][Math.floor(3 * random.next())]].timeMs;
    const depth = 0.5 + 1.5 * random.next();
    const dim = <T extends { value: number; timeMs: number }>(x: T): T =>
      x.timeMs >= from ? { ...x, value: x.value * 2 ** -depth } : x;
    return { ...input, cards: input.cards.map(dim), meters: input.meters.map(dim) };
  },
  decoding: ({ input, random }) => {
    const body = random.next() < 0.5 ? 'A' : 'B';
    const curves = [(v: number) => v ** (1 / 2.2), (v: number) => v ** 2.2, (v: number) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055)]; // prettier-ignore
    const curve = curves[Math.floor(curves.length * random.next())];
    const of = new Set(input.takes.filter((t) => t.body === body).map((t) => t.id));
    return {
      ...input,
      cards: input.cards.map((c) => (c.take && of.has(c.take) ? { ...c, value: curve(c.value) } : c)),
    };
  },
  // A base that is taken for another: every take of a body at that index, cards of two at least among them, and one at another.
  exposureIndex: ({ input, random }) => {
    const carded = new Set(input.cards.map((c) => c.take));
    const at = (t: NetworkTake) => input.takes.filter((o) => o.body === t.body && o.ei === t.ei);
    const others = (t: NetworkTake) => input.takes.some((o) => o.body === t.body && o.ei !== t.ei && carded.has(o.id));
    const rows = input.takes
      .filter(others)
      .map(at)
      .filter((row) => row.filter((t) => carded.has(t.id)).length >= 2);
    const row = rows[Math.floor(rows.length * random.next())];
    if (!row) return null;
    const thirds = [2, 4, 5, 7][Math.floor(4 * random.next())] * (random.next() < 0.5 ? -1 : 1);
    const of = new Set(row.map((t) => t.id));
    return {
      ...input,
      cards: input.cards.map((c) => (c.take && of.has(c.take) ? { ...c, value: c.value * 2 ** (thirds / 3) } : c)),
    };
  },
  footCandles: ({ input }) => ({
    ...input,
    meters: input.meters.map((m, k) => (k === 0 ? { ...m, value: m.value / 10.7639 } : m)),
  }),
};

const namedIn = (network: Network) => network.sources.flatMap((s) => (s.cause ? [s.cause] : []));

/** Days on which one card of one take stands brighter than its log by 5 to 9 stops: the file was scaled, or something else was marked. Both look alike. */
function grossRow(days: number): Row {
  let [scaled, marked, told] = [0, 0, 0];
  for (let k = 1; k <= days; k++) {
    const day = dayOf(k, 'gross', SPEC);
    const take = day.input.takes[CARDED[Math.floor(CARDED.length * day.random.next())]];
    const stops = 5 + 4 * day.random.next();
    const cards = day.input.cards.map((c) => (c.take === take.id ? { ...c, value: c.value * 2 ** stops } : c));
    const network = solveNetwork({ ...day.input, cards });
    const { gainStops, uncertaintyStops } = network.takes.find((t) => t.id === take.id)!;
    const holds = (truth: number) => Math.abs(gainStops - truth) <= uncertaintyStops!;
    const gain = day.gains.get(take.id)!;
    if (holds(gain + stops)) scaled++;
    if (holds(gain)) marked++;
    if (network.sources.some((s) => s.cause === 'cannotTell')) told++;
  }
  return {
    what: `a plate 5 to 9 stops brighter than its log, of ${days}: told; gain inside its interval where the file was scaled, and where something else was marked for the card`,
    bound: '95 % each',
    measured: `${told}; ${scaled}, ${marked}`,
    holds: Math.min(told, scaled, marked) >= 0.95 * days,
  };
}

export function networkSection(sets: number): Section[] {
  const solved = (label: string, spec: DaySpec) =>
    Array.from({ length: sets }, (_, k) => {
      const day = dayOf(k + 1, label, spec);
      return { day, network: solveNetwork(day.input) };
    });
  const plain = solved('coverage', { ...SPEC, lux: false });
  const errors = (of: typeof plain, which: (day: Day, id: string) => boolean): Judged[] =>
    of.flatMap(({ day, network }) =>
      network.takes
        .filter((t) => which(day, t.id))
        .slice(0, 1)
        .map((t) => ({ error: t.gainStops - day.gains.get(t.id)!, half: t.uncertaintyStops! })),
    );
  const withCard = (day: Day, id: string) => day.takesWithCard.has(id);
  const bodyOf = (day: Day, id: string) => day.input.takes.find((t) => t.id === id)!.body;
  const alone = (Array.from({ length: sets }, (_, k) => dayOf(k + 1, 'other body', SPEC))).map((day) => {
    // Body B was never held against a card.
    const input = { ...day.input, meters: [], cards: day.input.cards.filter((c) => !c.take || bodyOf(day, c.take) === 'A') };
    return { day, network: solveNetwork(input) };
  }); // prettier-ignore
  const other = Array.from({ length: sets }, (_, k) => {
    // A panorama without a card, of a rig whose responsivity other rounds told; lux readings tie the takes to cd/m2.
    const day = dayOf(k + 1, 'other round', { ...SPEC, rig: true });
    return { day, network: solveNetwork({ ...day.input, cards: day.input.cards.filter((c) => c.take !== null) }) };
  });
  // Cards in another round alone, whose light is another; the rig came back to this one but for what does not.
  const elsewhere = Array.from({ length: sets }, (_, k) => {
    const day = dayOf(k + 1, 'elsewhere', { ...SPEC, lux: false });
    const cards = day.input.cards.map((c) => ({ ...c, round: 'before' }));
    const otherRounds = [{ id: 'before', sameRig: true, timeMs: day.input.panorama.timeMs! }];
    const off = sigma(0.106) * (day.random.normal() - day.random.normal());
    return {
      day: { ...day, gains: new Map([...day.gains].map(([id, gain]) => [id, gain + off])) },
      network: solveNetwork({ ...day.input, cards, otherRounds }),
    };
  });
  // Both bodies before one card in another round, of any rig and light; here only the first was.
  const held = Array.from({ length: sets }, (_, k) => {
    const day = dayOf(k + 1, 'held', { ...SPEC, lux: false });
    const otherLight = 2 ** (3 * day.random.normal());
    const cards = day.input.cards.map((c) =>
      c.take && CARDED.slice(2).some((i) => day.input.takes[i].id === c.take)
        ? { ...c, round: 'there', value: c.value * otherLight }
        : c,
    );
    const otherRounds = [{ id: 'there', sameRig: false, timeMs: day.input.panorama.timeMs! }];
    return { day, network: solveNetwork({ ...day.input, cards, otherRounds }) };
  });
  // Nobody said when any take ran: its time is a guess, and it ran at another.
  const untimed = Array.from({ length: sets }, (_, k) => {
    const day = dayOf(k + 1, 'untimed', { ...SPEC, lux: false });
    const { takes } = day.input;
    const brighter = new Map(
      takes.map(({ id, timeMs }) => {
        const ran = timeMs + 1000 * sigma(WHENEVER_S) * day.random.normal();
        return [id, day.lightAt(ran) - day.lightAt(timeMs)];
      }),
    );
    const cards = day.input.cards.map((c) =>
      c.take === null ? c : { ...c, value: c.value * 2 ** brighter.get(c.take)!, timeWithinS: WHENEVER_S },
    );
    return { day, network: solveNetwork({ ...day.input, cards }) };
  });
  const steady = solved('steady', { drift: 0, lux: true, rig: false });
  const unit = Array.from({ length: sets }, (_, k) => {
    // One lux reading beside the panorama's card, nothing else.
    const day = dayOf(k + 1, 'one reading', SPEC);
    const card = { ...day.input.cards[0], uncertaintyStops: 0.005, value: day.input.cards[0].value };
    const truth = day.cdm2PerUnit;
    const exact = day.input.meters[0];
    const network = solveNetwork({ ...day.input, takes: [], cards: [card], meters: [exact] });
    const own = sigma(day.input.cards[0].uncertaintyStops);
    return {
      error: Math.log2(network.absolute!.whiteLuminance / truth),
      half: Math.hypot(network.absolute!.uncertaintyStops, 1.96 * own),
      stated: Math.hypot(sigma(exact.uncertaintyStops), own),
    };
  });
  // What one day's readings told of the rig is kept; another day has cards and no reading.
  const kept = Array.from({ length: sets }, (_, k): Judged => {
    const before = dayOf(k + 1, 'kept from', SPEC);
    const told = solveNetwork(before.input).absolute!;
    const day = dayOf(k + 1, 'kept for', { ...SPEC, lux: false });
    const off = sigma(0.106) * (day.random.normal() - day.random.normal());
    const astray = Math.log2(told.whiteLuminance / before.cdm2PerUnit) + off;
    const rigResponsivity = {
      value: 1 / (day.cdm2PerUnit * 2 ** astray),
      uncertaintyStops: Math.hypot(told.uncertaintyStops, 0.15),
    };
    const { absolute } = solveNetwork({ ...day.input, panorama: { ...day.input.panorama, rigResponsivity } });
    return { error: Math.log2(absolute!.whiteLuminance / day.cdm2PerUnit), half: absolute!.uncertaintyStops };
  });
  const rows: Row[] = [
    coverageRow('a take with a card, within five hours of the panorama', errors(plain, withCard)),
    coverageRow('the same, when the takes ran known to two hours', errors(untimed, withCard)),
    coverageRow('carried over stop, ND, EI and shutter, same body', errors(plain, (d, id) => !withCard(d, id) && bodyOf(d, id) === 'A')),
    coverageRow('carried to another body that no card was held before', errors(alone, (d, id) => bodyOf(d, id) === 'B')),
    coverageRow('to another body, both before one card in another round of any rig', errors(held, (d, id) => bodyOf(d, id) === 'B')),
    coverageRow('cards in another round of the rig alone, under another light', errors(elsewhere, () => true)),
    coverageRow('another round: no card in its panorama, the rig known from others, lux readings', errors(other, () => true)),
    coverageRow('carried, light that stands still, three lux readings', errors(steady, (d, id) => !withCard(d, id))),
    coverageRow("cd/m2 of a panorama without a reading, by the rig's sensitivity as another day's readings told it", kept),
    {
      what: 'absolute scale by one lux reading ± 3 % on the plane of a card in the panorama: rms over that of reading and card; inside',
      bound: '1.15, 93-97 %',
      measured: `${(rms(unit.map((u) => u.error)) / rms(unit.map((u) => u.stated))).toFixed(2)}, ${((100 * unit.filter((u) => Math.abs(u.error) <= u.half).length) / unit.length).toFixed(1)} %`,
      holds: rms(unit.map((u) => u.error)) / rms(unit.map((u) => u.stated)) <= 1.15,
    },
  ]; // prettier-ignore
  const classes = Object.keys(MISHAPS) as (keyof typeof MISHAPS)[];
  const columns: ExposureCause[] = [...classes, 'cannotTell'];
  const table = classes.map((mishap): Row => {
    const counts = new Map<string, number>();
    let days = 0;
    for (let k = 1; days < 60; k++) {
      const input = MISHAPS[mishap](dayOf(k, mishap, { ...SPEC, chart: true }));
      // A day on which it could not befall anything that tells it.
      if (!input) continue;
      days++;
      const causes = new Set(namedIn(solveNetwork(input)));
      const said = causes.has(mishap) ? mishap : ([...causes][0] ?? 'nothing');
      counts.set(said, (counts.get(said) ?? 0) + 1);
    }
    const right = counts.get(mishap) ?? 0;
    return {
      what: `${mishap}: named of 60`,
      bound: '54',
      measured: [...columns, 'nothing'].flatMap((c) => (counts.has(c) ? [`${c} ${counts.get(c)}`] : [])).join(', '),
      holds: right >= 54,
    };
  });
  const clean = Array.from({ length: 200 }, (_, k) =>
    namedIn(solveNetwork(dayOf(k + 1, 'clean', { ...SPEC, chart: true }).input)),
  );
  const wrong = clean.filter((c) => c.length > 0).length;
  return [
    {
      title: 'The exposure network',
      how: `${sets} days a row without pictures: eight takes of two bodies over two hours, cards in five of them and in the panorama, light that drifts by 0.1 stop an hour. Markings, lenses, filters, bodies, readings off by what is stated of them, the panorama's unit anything.`,
      rows,
    },
    {
      title: 'What went wrong with an exposure',
      how: 'The same days, white and grey of a chart in five takes and lux readings beside it, and one mishap of at least three standard deviations: filters that nobody logged, a card that leans, a cloud from some time on, a body decoded wrongly, an index of another base, foot-candles typed for lux.',
      rows: [
        ...table,
        grossRow(60),
        { what: 'clean days: something named', bound: '4 of 200', measured: `${wrong}`, holds: wrong <= 4 },
      ],
    },
  ];
}
