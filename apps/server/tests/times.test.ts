import fc from 'fast-check';
import { DateTime } from 'luxon';
import { UNKNOWN_CLOCK_S } from '@tawny/core';
import { fileTime } from '../src/records/fileTime';
import { timeOf, trueMiddleMs, type RoundTime } from '../src/rounds/roundTime';

const PLANNED: RoundTime = {
  shotAt: '2026-10-14T15:00:00.000Z',
  shotAtFrom: 'planned',
  shotAtUncertaintyS: 1200,
  shotAtSource: 'planned light time',
};
const frame = (time: string, shutterS: number | null = null) => ({ takenAt: time, shutterS });
const THREE = [
  frame('2026-10-14T15:10:00.000Z', 1),
  frame('2026-10-14T15:11:30.000Z'),
  frame('2026-10-14T15:12:58.000Z', 4),
];

describe('what a file says of its time', () => {
  const said = (local: string, hasUtcOffset: boolean) => ({ takenAtMs: Date.parse(`${local}Z`), hasUtcOffset });
  test('a stated offset counts before any zone', () => {
    expect(fileTime(said('2026-07-01T12:00:00.250', true), 'Europe/London')).toEqual({
      at: new Date('2026-07-01T12:00:00.250Z'),
      zoneFrom: 'file',
    });
  });
  test('without one it is local time of the place, in summer and in winter', () => {
    const at = (local: string, zone: string) => fileTime(said(local, false), zone)!.at.toISOString();
    expect(at('2026-07-01T12:00:00', 'Europe/London')).toBe('2026-07-01T11:00:00.000Z');
    expect(at('2026-12-01T12:00:00', 'Europe/London')).toBe('2026-12-01T12:00:00.000Z');
    expect(at('2026-07-01T12:00:00', 'Asia/Kathmandu')).toBe('2026-07-01T06:15:00.000Z');
  });
  test('a silent file says nothing', () => {
    expect(fileTime({ takenAtMs: null, hasUtcOffset: false }, 'UTC')).toBeNull();
  });
  test('the clock on the wall of the place reads what the file said', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: Date.UTC(2020, 0, 1), max: Date.UTC(2035, 0, 1) }),
        fc.constantFrom('Europe/London', 'America/St_Johns', 'Pacific/Auckland', 'UTC'),
        (ms, zone) => {
          const { at } = fileTime({ takenAtMs: ms, hasUtcOffset: false }, zone)!;
          const shown = DateTime.fromJSDate(at, { zone }).toFormat("yyyy-MM-dd'T'HH:mm:ss.SSS'Z'");
          const wanted = new Date(ms).toISOString();
          // The hour that a night in spring leaves out is on no wall.
          const missing = shown !== wanted && Math.abs(Date.parse(shown) - ms) === 3600_000;
          expect(missing || shown === wanted).toBe(true);
        },
      ),
    );
  });
});

describe('the time of a round', () => {
  test('without frames it is the planned one, and as uncertain as plans are', () => {
    expect(timeOf(PLANNED, [], null)).toEqual(PLANNED);
    expect(timeOf({ ...PLANNED, shotAtUncertaintyS: null }, [{ takenAt: null, shutterS: 1 }], null)).toEqual(PLANNED);
  });
  test('its frames tell it: the middle of the first and the last exposure', () => {
    const time = timeOf(PLANNED, THREE, null);
    expect(time.shotAt).toBe('2026-10-14T15:11:30.250Z');
    expect(time.shotAtFrom).toBe('files');
    expect(time.shotAtUncertaintyS).toBe(UNKNOWN_CLOCK_S);
    expect(time.shotAtSource).toBe('3 frames, camera clock not checked, taken for right to ± 180 s');
  });
  test('a clock that was looked at corrects them and narrows it', () => {
    const time = timeOf(PLANNED, THREE, { offsetS: 30.25, uncertaintyS: 1 });
    expect(time.shotAt).toBe('2026-10-14T15:11:00.000Z');
    expect(time.shotAtUncertaintyS).toBe(1);
    expect(time.shotAtSource).toBe('3 frames, camera clock 30.3 s fast ± 1 s');
    expect(timeOf(PLANNED, THREE.slice(0, 1), { offsetS: -2, uncertaintyS: 0.5 }).shotAtSource).toBe(
      '1 frame, camera clock 2 s slow ± 0.5 s',
    );
    expect(timeOf(PLANNED, THREE, { offsetS: 0, uncertaintyS: 1 }).shotAtSource).toMatch(/camera clock right ± 1 s/);
  });
  test('what somebody entered stays, whatever the files say', () => {
    const entered = { ...PLANNED, shotAtFrom: 'entered' as const };
    expect(timeOf(entered, THREE, { offsetS: 5, uncertaintyS: 1 })).toEqual({
      ...entered,
      shotAtUncertaintyS: 60,
      shotAtSource: 'entered by hand',
    });
  });
  test('an exposure is where its middle is, in true time', () => {
    expect(trueMiddleMs(frame('2026-10-14T15:10:00.000Z', 2), { offsetS: 10, uncertaintyS: 1 })).toBe(
      Date.parse('2026-10-14T15:09:51.000Z'),
    );
  });
});
