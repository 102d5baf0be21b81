import type { LightRound, Panorama } from '@tawny/contract';
import { dayAt } from '../../data/setup';
import { instantAt, isBeingShot, nowOnDay } from '../../data/time';
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

test('a date and an hour are an instant where they were; half of one is none', () => {
  expect(instantAt('2026-10-14', '16:25', 'Europe/London')).toEqual(new Date('2026-10-14T15:25:00Z'));
  expect(instantAt('2026-11-14', '16:25', 'Europe/London')).toEqual(new Date('2026-11-14T16:25:00Z'));
  expect([instantAt('', '16:25', 'UTC'), instantAt('2026-10-14', '', 'UTC')]).toEqual([null, null]);
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
    // It is twenty past one at night there, and tomorrow already.
    expect(planned(day('2026-10-14'), 'Pacific/Auckland')).toBe('2026-10-13T19:00:00.000Z');
    expect(planned(day('2026-10-14'), 'Europe/London', new Date('2026-11-29T23:00:00Z'))).toBe(
      '2026-10-14T17:00:00.000Z',
    );
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
