import type { LightRound, Panorama } from '@tawny/contract';
import { DateTime } from 'luxon';
import { dayAt, dayNow } from '../../data/setup';
import { nowOnDay } from '../../data/time';
import { suggested } from '../../features/measure/useChosenPanorama';
import { focalChange } from '../../features/round/RigLearned';
import { timeWords } from '../../features/round/RoundTime';

jest.mock('expo-router', () => ({ router: {}, useLocalSearchParams: () => ({}) }));

const shot = (id: string, lightCondition: string) => ({
  panorama: { id } as Panorama,
  round: { lightCondition } as LightRound,
});

test('the newest panorama in the light of the setup is suggested, else the newest of all', () => {
  const newestFirst = [shot('c', 'cloud over'), shot('b', 'sun out'), shot('a', 'sun out')];
  expect(suggested(newestFirst, 'sun out')?.panorama.id).toBe('b');
  expect(suggested(newestFirst, 'lamps on')?.panorama.id).toBe('c');
  expect(suggested([], 'sun out')).toBeUndefined();
});

test('the day that is worked at: today, else the last one, else the next', () => {
  const days = ['2026-10-16', '2026-10-14', '2026-10-20'].map((date) => ({ date, number: 3 }));
  expect(dayAt(days, '2026-10-16')?.date).toBe('2026-10-16');
  expect(dayAt(days, '2026-10-18')?.date).toBe('2026-10-16');
  expect(dayAt(days, '2026-12-01')?.date).toBe('2026-10-20');
  expect(dayAt(days, '2026-10-01')?.date).toBe('2026-10-14');
  expect(dayAt([], '2026-10-01')).toBeUndefined();
  // Two units on one date: the same one is opened every time, however they are listed.
  const units = [41, 3, 12].map((number) => ({ date: '2026-10-14', number }));
  for (const listed of [units, [...units].reverse()]) expect(dayAt(listed, '2026-10-20')?.number).toBe(3);
});

test('past midnight the night that is being shot is worked at, though the next day has a date of its own', () => {
  const of = (date: string, number: number, callLocal: string, wrapLocal: string) => ({ date, number, callLocal, wrapLocal, locationId: 'quay' }); // prettier-ignore
  const days = [of('2026-11-29', 7, '17:00', '03:00'), of('2026-11-30', 8, '15:00', '23:00')];
  const at = (time: string) =>
    dayNow(days, [{ id: 'quay', zone: 'Europe/London' }], DateTime.fromISO(time, { zone: 'Europe/London' }))?.number;
  expect(['2026-11-29T18:00', '2026-11-30T01:00', '2026-11-30T09:00', '2026-11-30T16:00'].map(at)).toEqual([
    7, 7, 8, 8,
  ]);
  expect(dayNow(days, [], DateTime.fromISO('2026-11-30T01:00'))?.number).toBe(8);
});

describe('a shoot day and now', () => {
  const day = (date: string, callLocal = '08:00', wrapLocal = '18:00') => ({ date, callLocal, wrapLocal });
  const now = new Date('2026-11-29T12:18:05Z');
  const planned = (of: ReturnType<typeof day>, zone = 'Europe/London', at = now) =>
    nowOnDay(of, zone, at).toISOString();

  test('what is planned of another day is planned for the hour of now on its date, also where clocks have changed since', () => {
    expect(planned(day('2026-10-14'))).toBe('2026-10-14T11:18:05.000Z');
    expect(planned(day('2026-11-29'))).toBe(now.toISOString());
  });
  test('an hour at which nobody shoots is held between call and wrap', () => {
    const night = new Date('2026-11-29T02:18:05Z');
    expect(planned(day('2026-10-14', '13:00'), 'Europe/London', night)).toBe('2026-10-14T12:00:00.000Z');
    expect(planned(day('2026-10-14', '18:00', '04:00'), 'Europe/London', night)).toBe('2026-10-15T01:18:05.000Z');
    expect(planned(day('2026-10-14', '18:00', '04:00'))).toBe('2026-10-14T17:00:00.000Z');
    // It is twenty past one at night there, and tomorrow already.
    expect(planned(day('2026-10-14'), 'Pacific/Auckland')).toBe('2026-10-13T19:00:00.000Z');
    expect(planned(day('2026-10-14'), 'Europe/London', new Date('2026-11-29T23:00:00Z'))).toBe(
      '2026-10-14T17:00:00.000Z',
    );
  });
});

test('a time says where it comes from', () => {
  const words = (shotAtFrom: LightRound['shotAtFrom'], shotAtSource = '42 frames, camera clock 3 s fast ± 1 s') =>
    timeWords({ shotAtFrom, shotAtSource });
  expect(words('files')).toBe('from 42 frames, camera clock 3 s fast ± 1 s');
  expect(words('planned')).toMatch(/planned/);
  expect(words('entered')).toMatch(/by hand, ± 1 min/);
});

test('a focal length is longer where the same extent sees less', () => {
  expect(focalChange('equidistant', 188, 190)).toBeCloseTo(190 / 188 - 1, 9);
  expect(focalChange('equidistant', 190, 190)).toBe(0);
  expect(focalChange('rectilinear', 60, 62)).toBeCloseTo(
    Math.tan((31 * Math.PI) / 180) / Math.tan((30 * Math.PI) / 180) - 1,
    9,
  );
  expect(focalChange('equisolid', 186, 184)).toBeLessThan(0);
});
