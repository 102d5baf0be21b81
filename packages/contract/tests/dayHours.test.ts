import { hoursOf, instantAt, isBeingShot } from '../src';

const day = (date: string, callLocal = '08:00', wrapLocal = '18:00') => ({ date, callLocal, wrapLocal });
const hours = (of: ReturnType<typeof day>) => {
  const { call, wrap } = hoursOf(of, 'Europe/London');
  return [call.toISOString(), wrap.toISOString()];
};

test('a date and an hour are an instant where they were; half of one is none', () => {
  expect(instantAt('2026-10-14', '16:25', 'Europe/London')).toEqual(new Date('2026-10-14T15:25:00Z'));
  expect(instantAt('2026-11-14', '16:25', 'Europe/London')).toEqual(new Date('2026-11-14T16:25:00Z'));
  expect([instantAt('', '16:25', 'UTC'), instantAt('2026-10-14', '', 'UTC')]).toEqual([null, null]);
});

test('a wrap that is not after the call is that of the next morning, also of the night in which clocks change', () => {
  expect(hours(day('2026-10-14'))).toEqual(['2026-10-14T07:00:00.000Z', '2026-10-14T17:00:00.000Z']);
  expect(hours(day('2026-11-29', '18:00', '04:00'))).toEqual(['2026-11-29T18:00:00.000Z', '2026-11-30T04:00:00.000Z']);
  expect(hours(day('2026-11-29', '08:00', '08:00'))[1]).toBe('2026-11-30T08:00:00.000Z');
  expect(hours(day('2026-10-24', '18:00', '04:00'))).toEqual(['2026-10-24T17:00:00.000Z', '2026-10-25T04:00:00.000Z']);
});

test('it is being shot from an hour before call to an hour after wrap, over midnight too', () => {
  const shot = (of: ReturnType<typeof day>, at: string) => isBeingShot(of, 'Europe/London', new Date(at));
  const nights = day('2026-11-29', '18:00', '04:00');
  expect(['T06:59Z', 'T07:00Z', 'T19:00Z', 'T19:01Z'].map((t) => shot(day('2026-11-29'), `2026-11-29${t}`))).toEqual([
    false,
    true,
    true,
    false,
  ]);
  expect(
    ['2026-11-29T16:00Z', '2026-11-29T20:00Z', '2026-11-30T04:30Z', '2026-11-30T06:00Z'].map((t) => shot(nights, t)),
  ).toEqual([false, true, true, false]);
});
