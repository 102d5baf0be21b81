import type { Exposures } from '@tawny/contract';
import { faultWords } from '@tawny/core/text/exposureFaults';
import { driftWords, exposuresSummary } from '../../features/measure/exposureWords';

const take = (more: Partial<Exposures['takes'][number]> = {}): Exposures['takes'][number] => ({
  takeId: 't',
  name: '12/1A',
  body: 'Corrie 35',
  gainStops: 1,
  uncertaintyStops: 0.05,
  verdict: 'agrees',
  cards: [{ what: 'grey card', part: 'scale' as const, number: 1 }],
  ...more,
});
const meter: Exposures['sources'][number] = {
  name: '1200 lux on the level',
  kind: 'meter',
  residualStops: 0,
  uncertaintyStops: 0.1,
  weight: 0.2,
  outlier: false,
  cause: null,
};
const found = (more: Partial<Exposures>): Exposures => ({
  takes: [take()],
  absolute: null,
  sources: [],
  faults: [],
  driftStopsPerHour: 0.1,
  roundTime: { planned: false, withinS: 60 },
  timesAssumed: [],
  daylight: null,
  unused: [],
  ...more,
});
const fault = (cause: string, amountStops: number, sources = ['settings of 12/3A']) =>
  faultWords({ cause, sources, amountStops });

test('a filter: whether it was there or only in the log, by how much', () => {
  expect(fault('nd', -1.993).title).toBe('settings of 12/3A: a filter of 2.0 stops was there and is not in the log');
  expect(fault('nd', 1).title).toMatch(/of 1\.0 stop is in the log and was not there/);
});

test('what lies under a cloud is listed; what cannot be told says what would tell', () => {
  expect(fault('cloud', -1.4, ['card in 12/3A', 'card in 12/4A', '900 lux']).title).toBe(
    'The light changed by 1.4 stops at card in 12/3A, card in 12/4A and 900 lux',
  );
  expect(fault('cannotTell', 0.8, []).detail).toMatch(/lux reading, would tell/);
  for (const cause of ['cardTilt', 'decoding', 'exposureIndex', 'footCandles'])
    expect(fault(cause, -0.5).title).toContain('12/3A');
});

test('one sentence: how many speak, and the first fault before everything', () => {
  expect(exposuresSummary(found({ takes: [take(), take({ cards: [] })], sources: [meter] }))).toBe(
    '2 takes: 1 card, 1 meter reading and settings agree',
  );
  expect(exposuresSummary(found({ takes: [take({ verdict: 'cannotTell' })] }))).toBe('1 take: 1 card and settings');
  expect(exposuresSummary(found({ takes: [take({ cards: [], verdict: 'cannotTell' })] }))).toMatch(/Settings alone/);
  expect(
    exposuresSummary(
      found({
        faults: [{ cause: 'footCandles', sources: ['112 lux'], amountStops: -3.4, settled: true, probability: 1 }],
      }),
    ),
  ).toBe('112 lux: foot-candles typed for lux');
});

test('what is assumed of the light, and what a time that is only planned makes of it', () => {
  expect(driftWords(found({}))).not.toMatch(/planned/);
  expect(driftWords(found({ roundTime: { planned: true, withinS: 1200 } }))).toMatch(
    /0\.1 stops an hour .* only planned, ± 20 min: every gain is as much wider/,
  );
  const timesAssumed = ['12/1A', '900 lux'].map((name) => ({ name, withinS: 7200 }));
  expect(driftWords(found({}))).not.toMatch(/Nobody/);
  expect(driftWords(found({ timesAssumed }))).toMatch(/Nobody said when 12\/1A and 900 lux were: .* ± 2 h/);
});
