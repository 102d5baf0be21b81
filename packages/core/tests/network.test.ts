import fc from 'fast-check';
import { photometricExposure, solveNetwork, type NetworkCard, type NetworkInput, type NetworkMeter, type NetworkTake } from '../src'; // prettier-ignore

const START = Date.UTC(2026, 9, 14, 10);
const take = (id: string, more: Partial<NetworkTake> = {}): NetworkTake => ({
  id,
  body: 'A',
  tStop: 4,
  fStop: null,
  shutterS: 1 / 48,
  ei: 800,
  ndStops: 0,
  timeMs: START,
  ...more,
});
const card = (of: string | null, value: number, more: Partial<NetworkCard> = {}): NetworkCard => ({
  name: of === null ? 'card in the panorama' : `card in ${of}`,
  take: of,
  value,
  uncertaintyStops: 0.05,
  reflectance: 0.18,
  normal: null,
  timeMs: START,
  ...more,
});
const lux = (value: number, more: Partial<NetworkMeter> = {}): NetworkMeter => ({
  name: 'lux',
  kind: 'lux',
  value,
  uncertaintyStops: Math.log2(1.03),
  normal: null,
  seenByPanorama: null,
  timeMs: START,
  ...more,
});
const network = (more: Partial<NetworkInput>): NetworkInput => ({
  panorama: { rigResponsivity: null, timeMs: START },
  takes: [],
  cards: [],
  meters: [],
  driftStopsPerHour: 0.1,
  ...more,
});
/** A plate's value of a luminance with a body whose 1 lies at the nominal one. */
const seen = (t: NetworkTake, cdm2: number) =>
  (cdm2 * photometricExposure({ shutterS: t.shutterS, iso: t.ei, tStop: t.tStop!, ndStops: t.ndStops })) / 1.2;

describe('one card in both pictures', () => {
  test('its gain is the ratio, whatever unit, time and settings; the width is that of both', () => {
    fc.assert(
      fc.property(fc.double({ min: 0.01, max: 0.9, noNaN: true }), fc.double({ min: -8, max: 12, noNaN: true }), (value, unit) => {
        const input = network({ takes: [take('t')], cards: [card('t', value), card(null, value * 2 ** unit)] });
        const [found] = solveNetwork(input).takes;
        expect(found.gainStops).toBeCloseTo(-unit, 2);
        expect(found.uncertaintyStops).toBeCloseTo(Math.hypot(0.05, 0.05), 2);
        expect(found.verdict).toBe('cannotTell');
      }),
      { numRuns: 40 },
    ); // prettier-ignore
  });

  test('a round whose time is only planned is that far from every take, from those of its own minute too', () => {
    const found = (timeWithinS: number, takes: readonly number[]) =>
      solveNetwork(
        network({
          panorama: { rigResponsivity: null, timeMs: START, timeWithinS },
          takes: takes.map((m, k) => take(`t${k}`, { body: `${k}`, timeMs: START + 60e3 * m })),
          cards: [...takes.map((m, k) => card(`t${k}`, 0.2, { timeMs: START + 60e3 * m })), card(null, 0.1)],
        }),
      );
    const [known, planned] = [found(0, [0]).takes[0], found(1200, [0]).takes[0]];
    expect(known.uncertaintyStops!).toBeCloseTo(Math.hypot(0.05, 0.05), 2);
    // A third of an hour at 0.1 stop an hour.
    expect(planned.uncertaintyStops! ** 2 - known.uncertaintyStops! ** 2).toBeCloseTo((0.1 / 3) ** 2, 4);
    expect(planned.gainStops).toBeCloseTo(known.gainStops, 3);
    // Two takes a minute apart are that far from the round together: between themselves nothing is wider.
    const [a, b] = found(1200, [0, 1]).takes;
    expect(a.lightStops!.uncertainty).toBeCloseTo(b.lightStops!.uncertainty, 2);
    expect(() => found(-1, [0])).toThrow(/the round: timeWithinS/);
  });

  test('a card or a reading whose time nobody said is that far from all others; what one take shows is of one time', () => {
    const found = (timeWithinS: number, more: Partial<NetworkInput> = {}) =>
      solveNetwork(network({ takes: [take('t')], cards: [card('t', 0.2, { timeWithinS }), card(null, 0.1)], ...more }));
    const variance = (n: ReturnType<typeof found>) => n.takes[0].uncertaintyStops! ** 2;
    const [known, assumed] = [found(0), found(7200)];
    // Two hours at 0.1 stop an hour.
    expect(variance(assumed) - variance(known)).toBeCloseTo(0.2 ** 2, 4);
    expect(assumed.takes[0].gainStops).toBeCloseTo(known.takes[0].gainStops, 3);
    expect(known.takes[0].lightStops).toBeNull();
    expect(assumed.takes[0].lightStops!.uncertainty).toBeCloseTo(0.2, 2);
    // White beside the grey was seen under the same light: it averages the markings, not the hours.
    const white = (of: string | null, value: number) =>
      card(of, (value * 0.9) / 0.18, { name: `white ${of}`, reflectance: 0.9, timeWithinS: of === null ? 0 : 7200 });
    const both = found(0, {
      cards: [card('t', 0.2, { timeWithinS: 7200 }), card(null, 0.1), white('t', 0.2), white(null, 0.1)],
    });
    expect(variance(both)).toBeCloseTo(0.2 ** 2 + variance(known) / 2, 3);
    // A reading of some hour says that much less of what a unit is worth.
    const unit = (timeWithinS: number) =>
      found(0, { meters: [lux(100, { timeWithinS, seenByPanorama: { value: 50, uncertaintyStops: 0.05 } })] }).absolute!
        .uncertaintyStops;
    expect(unit(7200) ** 2 - unit(0) ** 2).toBeCloseTo(0.2 ** 2, 3);
    expect(() => found(-1)).toThrow(/card in t: timeWithinS/);
  });

  test('another time widens it by the light’s drift', () => {
    const at = (hours: number) => {
      const timeMs = START + 3600e3 * hours;
      return solveNetwork(
        network({ takes: [take('t', { timeMs })], cards: [card('t', 0.2, { timeMs }), card(null, 0.1)] }),
      ).takes[0];
    };
    const [now, later] = [at(0), at(1)];
    expect(now.gainStops).toBeCloseTo(1, 2);
    expect(later.gainStops).toBeCloseTo(1, 2);
    // A pace of 0.1 stop an hour that is half forgotten after two.
    expect(later.uncertaintyStops! ** 2 - now.uncertaintyStops! ** 2).toBeGreaterThan((1.96 * 0.085) ** 2);
    expect(later.uncertaintyStops! ** 2 - now.uncertaintyStops! ** 2).toBeLessThan((1.96 * 0.1) ** 2);
    expect(later.lightStops!.uncertainty).toBeGreaterThan(0.15);
  });

  test('a take that nothing ties to the panorama has no interval', () => {
    const found = solveNetwork(network({ takes: [take('t')], cards: [card(null, 0.1)] })).takes[0];
    expect(found.uncertaintyStops).toBeNull();
    expect(found.verdict).toBe('cannotTell');
  });
});

describe('carried', () => {
  test('to another exposure of the body by what differs', () => {
    const other = take('u', { tStop: 5.6, ndStops: 2, ei: 400 });
    const input = network({ takes: [take('t'), other], cards: [card('t', 0.2), card(null, 0.1)] });
    const [t, u] = solveNetwork(input).takes;
    const ratio = seen(other, 1) / seen(take('t'), 1);
    expect(u.gainStops - t.gainStops).toBeCloseTo(Math.log2(ratio), 2);
    expect(u.uncertaintyStops!).toBeGreaterThan(Math.hypot(t.uncertaintyStops!, 0.1));
    expect(u.uncertaintyStops!).toBeLessThan(0.2);
  });

  test('to another body wider, until one card was held before both', () => {
    const takes = [take('t'), take('b', { body: 'B' }), take('c', { body: 'B', tStop: 8 })];
    const cards = [card('t', 0.2), card(null, 0.1)];
    const [, , alone] = solveNetwork(network({ takes, cards })).takes;
    expect(alone.uncertaintyStops!).toBeGreaterThan(0.4);
    const held = solveNetwork(network({ takes, cards: [...cards, card('b', 0.26)] }));
    expect(held.takes[2].uncertaintyStops!).toBeLessThan(0.2);
    const bodies = new Map(held.bodies.map((b) => [b.body, b.responsivityStops]));
    expect(bodies.get('B')! - bodies.get('A')!).toBeCloseTo(Math.log2(1.3), 1);
  });

  test('by the f-number wider than by the T-stop', () => {
    const by = (more: Partial<NetworkTake>) =>
      solveNetwork(
        network({ takes: [take('t'), take('u', { body: 'B', ...more })], cards: [card('t', 0.2), card(null, 0.1)] }),
      ).takes[1].uncertaintyStops!;
    expect(by({ tStop: null, fStop: 5.6 })).toBeGreaterThan(Math.hypot(by({ tStop: 5.6 }), 0.15));
  });
});

describe('cd/m2', () => {
  test('one lux reading on the plane of a card in the panorama', () => {
    const found = solveNetwork(network({ cards: [card(null, 0.05)], meters: [lux(20000)] })).absolute!;
    expect(Math.log2(found.whiteLuminance / ((0.18 * 20000) / Math.PI / 0.05))).toBeCloseTo(0, 4);
    expect(found.uncertaintyStops).toBeCloseTo(Math.hypot(0.05, Math.log2(1.03)), 3);
  });

  test('by what the panorama itself says of the plane, and by a spot reading', () => {
    const there = { value: 4, uncertaintyStops: 0.04 };
    const plane = { azimuthDeg: 120, elevationDeg: 90 };
    const byLux = solveNetwork(network({ meters: [lux(20000, { normal: plane, seenByPanorama: there })] }));
    expect(byLux.absolute!.whiteLuminance / 5000).toBeCloseTo(1, 4);
    expect(byLux.absolute!.uncertaintyStops).toBeCloseTo(Math.hypot(0.04, Math.log2(1.03)), 3);
    const spot = lux(300, { kind: 'cdm2', seenByPanorama: { value: 0.06, uncertaintyStops: 0.04 } });
    expect(solveNetwork(network({ meters: [spot] })).absolute!.whiteLuminance / 5000).toBeCloseTo(1, 4);
  });

  test('without a meter the rig’s other rounds tell it, and settings then tell gains', () => {
    const rigResponsivity = { value: 1 / 1.2, uncertaintyStops: 0.15 };
    const found = solveNetwork(network({ panorama: { rigResponsivity, timeMs: START }, takes: [take('t')] }));
    expect(found.absolute!.whiteLuminance).toBeCloseTo(1.2, 4);
    expect(found.takes[0].gainStops).toBeCloseTo(Math.log2(seen(take('t'), 1.2)), 4);
    // Wide: what a plate's 1 means was not measured.
    expect(found.takes[0].uncertaintyStops!).toBeGreaterThan(0.7);
    expect(solveNetwork(network({ takes: [take('t')], cards: [card(null, 0.1)] })).absolute).toBeNull();
  });

  test('a card that faces elsewhere than the meter says little', () => {
    const up = { azimuthDeg: 0, elevationDeg: 90 };
    const south = { azimuthDeg: 180, elevationDeg: 0 };
    const of = (normal: typeof up) =>
      solveNetwork(network({ cards: [card(null, 0.05, { normal })], meters: [lux(20000, { normal: up })] })).absolute!;
    expect(of(up).uncertaintyStops).toBeLessThan(0.1);
    expect(of(south).uncertaintyStops).toBeGreaterThan(2);
  });
});

describe('what is wrong', () => {
  const takes = [
    take('t1'),
    take('t2', { tStop: 5.6, timeMs: START + 600e3 }),
    take('t3', { tStop: 8, timeMs: START + 1200e3 }),
    take('t4', { ei: 400, timeMs: START + 1800e3 }),
  ];
  const light = 400;
  const cards = [card(null, 0.05), ...takes.map((t) => card(t.id, seen(t, light), { timeMs: t.timeMs }))];
  const meters = [lux((light * Math.PI) / 0.18), ...takes.map((t, k) => lux((light * Math.PI) / 0.18, { name: `lux ${k}`, timeMs: t.timeMs }))]; // prettier-ignore
  const changed = (id: string, stops: number) =>
    cards.map((c) => (c.take === id ? { ...c, value: c.value * 2 ** stops } : c));
  const clean = solveNetwork(network({ takes, cards, meters }));

  test('nothing: every take agrees, the shares sum to one', () => {
    expect(clean.faults).toEqual([]);
    expect(clean.takes.map((t) => t.verdict)).toEqual(takes.map(() => 'agrees'));
    expect(clean.sources.every((s) => !s.outlier && s.cause === null && Math.abs(s.residualStops) < 0.01)).toBe(true);
    expect(clean.sources.reduce((s, x) => s + x.weight, 0)).toBeCloseTo(1, 9);
  });

  test('a filter of two stops that nobody logged: the settings are named, the take’s own gain follows its card', () => {
    const found = solveNetwork(network({ takes, cards: changed('t2', (-2 * 0.3) / Math.log10(2)), meters }));
    expect(found.faults).toHaveLength(1);
    expect(found.faults[0]).toMatchObject({ cause: 'nd', sources: ['settings of t2'], settled: true });
    expect(found.faults[0].amountStops).toBeCloseTo(-1.993, 1);
    const named = found.sources.find((s) => s.name === 'settings of t2')!;
    expect(named).toMatchObject({ outlier: true, cause: 'nd', weight: 0 });
    expect(named.residualStops).toBeCloseTo(1.99, 1);
    // Its card says what it should.
    expect(Math.abs(found.sources.find((s) => s.name === 'card in t2')!.residualStops)).toBeLessThan(0.05);
    expect(found.takes[1].gainStops - clean.takes[1].gainStops).toBeCloseTo(-1.993, 1);
    // The others stay where they were.
    for (const k of [0, 2, 3]) expect(found.takes[k].gainStops).toBeCloseTo(clean.takes[k].gainStops, 1);
  });

  test('a card that leans is set aside, and its take keeps the gain of the others', () => {
    const found = solveNetwork(network({ takes, cards: changed('t3', -0.42), meters }));
    expect(found.faults[0]).toMatchObject({ cause: 'cardTilt', sources: ['card in t3'] });
    const leaning = found.sources.find((s) => s.name === 'card in t3')!;
    expect(leaning).toMatchObject({ outlier: true, cause: 'cardTilt' });
    expect(leaning.residualStops).toBeCloseTo(-0.42, 1);
    expect(leaning.weight).toBeLessThan(0.02);
    expect(found.takes[2].gainStops).toBeCloseTo(clean.takes[2].gainStops, 1);
  });

  test('a cloud from a time on dims cards and meters together', () => {
    const under = <T extends { value: number; timeMs: number }>(x: T): T =>
      x.timeMs >= START + 1200e3 ? { ...x, value: x.value / 3 } : x;
    const found = solveNetwork(network({ takes, cards: cards.map(under), meters: meters.map(under) }));
    expect(found.faults[0].cause).toBe('cloud');
    expect([...found.faults[0].sources].sort()).toEqual(['card in t3', 'card in t4', 'lux 2', 'lux 3']);
    for (const k of [0, 1, 2, 3]) expect(found.takes[k].gainStops).toBeCloseTo(clean.takes[k].gainStops, 1);
  });

  test('foot-candles that were typed for lux', () => {
    const typed = meters.map((m) => (m.name === 'lux 1' ? { ...m, value: m.value * 0.3048 ** 2 } : m));
    const found = solveNetwork(network({ takes, cards, meters: typed }));
    expect(found.faults[0]).toMatchObject({ cause: 'footCandles', sources: ['lux 1'] });
    expect(found.absolute!.whiteLuminance / clean.absolute!.whiteLuminance).toBeCloseTo(1, 1);
  });

  test('two that contradict each other and nothing beside: the width holds both until one is all but sure', () => {
    const timeMs = START + 60e3;
    const of = (stops: number) =>
      solveNetwork(
        network({
          takes: [take('t'), take('u', { timeMs })],
          cards: [card('t', 0.2), card('u', 0.2 * 2 ** stops, { timeMs }), card(null, 0.05)],
        }),
      );
    const found = of(-0.6);
    const u = found.takes[1];
    expect(u.verdict).toBe('disagrees');
    expect(found.sources.filter((s) => s.cause !== null).map((s) => s.name)).toContain('card in u');
    // A card that leans leaves the gain at two stops; a wrong index would have brought it down.
    expect(u.uncertaintyStops!).toBeGreaterThan(2 * of(0).takes[1].uncertaintyStops!);
    expect(Math.abs(u.gainStops - 2)).toBeLessThan(u.uncertaintyStops!);
  });
});

describe('a plate that is far from its log', () => {
  const t = take('t');
  const rig = { value: 1, uncertaintyStops: 0.3 };
  /** The card's luminance, as nominal sensitivities of plate and rig see it. */
  const light = 0.05;
  const of = (stops: number, more: Partial<NetworkInput> = {}, cards: readonly NetworkCard[] = []) =>
    solveNetwork(
      network({
        panorama: { rigResponsivity: rig, timeMs: START },
        takes: [t],
        cards: [card('t', seen(t, light) * 2 ** stops), card(null, light), ...cards],
        ...more,
      }),
    );
  const gain = (found: ReturnType<typeof of>, id = 't') => found.takes.find((x) => x.id === id)!;

  test('keeps the gain to its own card, as wide as its log is away, and says that it cannot tell', () => {
    const [clean, found] = [gain(of(0)), of(8)];
    const { gainStops, uncertaintyStops, verdict } = gain(found);
    expect(gainStops - clean.gainStops).toBeCloseTo(8, 1);
    // The file was scaled, or something else was marked: both are held.
    expect(uncertaintyStops!).toBeGreaterThan(8);
    expect(uncertaintyStops!).toBeLessThan(10);
    expect(verdict).toBe('disagrees');
    expect(found.faults).toEqual([
      expect.objectContaining({ cause: 'cannotTell', sources: ['settings of t'], settled: false }),
    ]);
    expect(Math.abs(found.faults[0].amountStops)).toBeCloseTo(8, 0);
    expect(found.sources.find((s) => s.name === 'card in t')!.residualStops).toBeCloseTo(0, 1);
  });
  test('a second patch in both pictures that says the same leaves the log alone in doubt; one that does not, the card', () => {
    const white = (stops: number) =>
      card('t', (seen(t, light) * 2 ** stops * 0.9) / 0.18, { name: 'white in t', reflectance: 0.9 });
    const there = card(null, (light * 0.9) / 0.18, { name: 'white in the panorama', reflectance: 0.9 });
    const both = of(8, {}, [white(8), there]);
    expect(gain(both).gainStops - gain(of(0)).gainStops).toBeCloseTo(8, 1);
    expect(gain(both).uncertaintyStops!).toBeLessThan(0.4);
    const one = of(8, {}, [white(0), there]);
    expect(gain(one).gainStops).toBeCloseTo(gain(of(0)).gainStops, 0);
    expect(one.faults[0]).toMatchObject({ cause: 'cannotTell', sources: ['card in t'] });
  });
});

describe('what cannot be', () => {
  test.each([
    [{ cards: [card('x', 0.2)] }, /there is no take x/],
    [{ takes: [take('t'), take('t')], cards: [card('t', 1)] }, /t stands there twice/],
    [{ cards: [card(null, -1)] }, /value must be above zero/],
    [{ cards: [card(null, 1, { reflectance: 18 })] }, /reflectance .* at most 1, not 18/],
    [{ cards: [card(null, 1, { uncertaintyStops: 0 })] }, /uncertaintyStops must be above zero/],
    [{ takes: [take('t', { tStop: null })], cards: [card(null, 1)] }, /neither a T-stop nor an f-number/],
    [{ takes: [take('t', { shutterS: 0 })], cards: [card(null, 1)] }, /t: shutter time/],
    [{ cards: [card(null, 1)], driftStopsPerHour: -1 }, /driftStopsPerHour/],
    [{}, /no card, meter or rig/],
  ])('%# is refused by name', (more, words) => {
    expect(() => solveNetwork(network(more))).toThrow(words);
  });
});

test('where a spot meter was pointed is no plane: it takes nothing from a card that says nothing of its own', () => {
  const spot = (normal: NetworkMeter['normal']) =>
    lux(300, { kind: 'cdm2', name: 'spot', normal, seenByPanorama: { value: 100, uncertaintyStops: 0.05 } });
  const solved = (normal: NetworkMeter['normal']) =>
    solveNetwork(
      network({
        takes: [take('t')],
        cards: [card('t', 0.2), card(null, 0.1)],
        meters: [spot(normal), lux(1200, { normal: null })],
      }),
    );
  expect(solved({ azimuthDeg: 30, elevationDeg: 5 })).toEqual(solved(null));
});

describe('other rounds', () => {
  const B = { body: 'B', ei: 500 };
  const there = { round: 'there' };
  const rounds = (sameRig: boolean) => [{ id: 'there', sameRig, timeMs: START }];
  const here = [take('a'), take('b', B)];
  /** Body B answers 0.4 stop more strongly than its index says. */
  const light = 300;
  const inPlate = (of: NetworkTake, cdm2: number) => seen(of, cdm2) * (of.body === 'B' ? 2 ** 0.4 : 1);

  test('two bodies before one card there tell what one is to the other here, whatever light and rig that was', () => {
    fc.assert(
      fc.property(fc.double({ min: 1, max: 1e5, noNaN: true }), (other) => {
        const takes = [...here, take('ta', { tStop: 8 }), take('tb', { ...B, tStop: 8 })];
        const pair = [
          card('a', inPlate(takes[0], light)),
          card(null, 0.18),
          card('ta', inPlate(takes[2], other), there),
          card('tb', inPlate(takes[3], other), there),
        ];
        const solved = solveNetwork(network({ takes, cards: pair, otherRounds: rounds(false) })).takes;
        const gap = Math.log2(inPlate(takes[1], 1) / inPlate(takes[0], 1));
        expect(solved[1].gainStops - solved[0].gainStops).toBeCloseTo(gap, 1);
        const alone = solveNetwork(network({ takes: here, cards: pair.slice(0, 2) })).takes[1];
        expect(solved[1].uncertaintyStops!).toBeLessThan(0.6 * alone.uncertaintyStops!);
      }),
      { numRuns: 20 },
    );
  });

  test('cards of another round speak of this one only when the rig is the same, and not quite', () => {
    const cards = [card('a', 0.2, there), card(null, 0.1, there)];
    const solved = (sameRig: boolean) => solveNetwork(network({ takes: [take('a')], cards, otherRounds: rounds(sameRig) })).takes[0]; // prettier-ignore
    expect(solved(false).uncertaintyStops).toBeNull();
    expect(solved(true).gainStops).toBeCloseTo(1, 3);
    // The rig comes back to 0.15 stop (95 %), and each card is known to 0.05.
    expect(solved(true).uncertaintyStops).toBeCloseTo(Math.hypot(0.15, 0.05, 0.05), 2);
  });

  test('a cloud of one round is no cloud of the other', () => {
    const takes = [take('a'), take('ta', { timeMs: START + 3600e3 }), take('tb', { timeMs: START + 3700e3 })];
    const cards = [
      ...[card(null, 0.18), card('a', seen(takes[0], light))],
      ...takes.slice(1).map((t) => card(t.id, seen(t, light / 8), { ...there, timeMs: t.timeMs })),
    ];
    expect(solveNetwork(network({ takes, cards, otherRounds: rounds(false) })).faults).toEqual([]);
    const oneRound = cards.map((c) => ({ ...c, round: undefined }));
    expect(solveNetwork(network({ takes, cards: oneRound })).faults.map((f) => f.cause)).not.toEqual([]);
  });

  test('what cannot be is named', () => {
    const solve = (more: Partial<NetworkInput>) => () => solveNetwork(network({ cards: [card(null, 0.1, there)], ...more })); // prettier-ignore
    expect(solve({})).toThrow(/card in the panorama: there is no round there/);
    expect(solve({ otherRounds: [...rounds(true), ...rounds(true)] })).toThrow(/there stands there twice/);
    expect(solve({ otherRounds: [{ id: 'there', sameRig: true, timeMs: NaN }] })).toThrow(/there: time/);
  });
});

test('a gain is carried by the exposures of both, widened by what differs alone', () => {
  const a = take('a', { lens: 'l', tStop: 8, ndStops: 2 });
  const solved = (b: NetworkTake) =>
    solveNetwork(network({ takes: [a, b], cards: [card('a', 0.25), card(null, 0.18)] })).takes;
  const carried = (more: Partial<NetworkTake>) => {
    const [own, other] = solved({ ...a, id: 'b', ...more });
    return { by: other.gainStops - own.gainStops, more: Math.sqrt(other.uncertaintyStops! ** 2 - own.uncertaintyStops! ** 2) }; // prettier-ignore
  };
  const same = carried({});
  expect(same.by).toBeCloseTo(0, 4);
  // The repeat of both takes.
  expect(same.more).toBeCloseTo(0.03 * Math.SQRT2, 2);
  const opened = carried({ tStop: 8 / Math.SQRT2 });
  expect(opened.by).toBeCloseTo(1, 2);
  expect(opened.more).toBeCloseTo(Math.hypot(same.more, 0.1), 2);
  const lens = carried({ lens: 'm' });
  expect(lens.more).toBeCloseTo(Math.hypot(same.more, 0.15, 0.1), 2);
  const all = carried({ lens: 'm', tStop: 4, shutterS: 1 / 24, ei: 400, ndStops: 0, body: 'B' });
  expect(all.by).toBeCloseTo(2 + 1 - 1 + 2, 1);
  expect(all.more).toBeGreaterThan(0.42);
  expect(all.more).toBeLessThan(0.55);
});
