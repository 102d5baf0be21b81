import type { LightRound, Panorama } from '@tawny/contract';
import { dayAt } from '../../data/setup';
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

test('what is planned of a day is planned for its date, at the hour of now, also where the clocks have changed since', () => {
  const now = new Date('2026-11-29T12:18:05Z');
  expect(nowOnDay('2026-10-14', 'Europe/London', now).toISOString()).toBe('2026-10-14T11:18:05.000Z');
  expect(nowOnDay('2026-11-29', 'Europe/London', now).toISOString()).toBe(now.toISOString());
  // It is tomorrow there already.
  expect(nowOnDay('2026-10-14', 'Pacific/Auckland', now).toISOString()).toBe('2026-10-13T12:18:05.000Z');
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
