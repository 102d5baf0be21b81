import { DateTime } from 'luxon';
import fc from 'fast-check';
import { clipStart, sequenceStart } from '../src/clips/clipStart';

const ZONE = 'Europe/London';
const CLOCK = { offsetS: 0, zone: ZONE };
/** Twenty past four in the afternoon of a day of summer time: 15:20 UTC. */
const BEGAN = Date.parse('2026-10-14T15:20:00.000Z');
const LENGTH_S = 120;
const wallAsUtc = (ms: number) =>
  DateTime.fromMillis(ms, { zone: ZONE }).setZone('utc', { keepLocalTime: true }).toMillis();
const timecodeAt = (ms: number) => `${DateTime.fromMillis(ms, { zone: ZONE }).toFormat('HH:mm:ss')}:00`;
const recording = (more: object) => ({
  statedMs: null,
  createdMs: null,
  startTimecode: null,
  fps: 25,
  frames: 25 * LENGTH_S,
  ...more,
});
const started = (more: object, clock = CLOCK) => clipStart(recording(more), clock);

describe('when a recording began', () => {
  test.each([
    ['of the first frame, in UTC', BEGAN, /^the creation time; its timecode agrees$/],
    ['of the last frame, in UTC', BEGAN + 1000 * LENGTH_S, /less the length: .* dated when it ended$/],
    ['of the first frame, in local time', wallAsUtc(BEGAN), /^the creation time, local time by its timecode; its/],
    [
      'of the last frame, in local time',
      wallAsUtc(BEGAN) + 1000 * LENGTH_S,
      /local time by its timecode less the length/,
    ],
  ])('a creation time %s is told by a timecode that runs by the time of day', (_what, createdMs, from) => {
    const { startsAt, startsAtFrom } = started({ createdMs, startTimecode: timecodeAt(BEGAN) });
    expect(Date.parse(startsAt!)).toBe(BEGAN);
    expect(startsAtFrom).toMatch(from);
  });

  test('whichever way a file is dated, and however clocks lie apart by seconds, the start is right', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: Date.UTC(2020, 0, 1) / 1000, max: Date.UTC(2035, 0, 1) / 1000 }),
        fc.integer({ min: 60, max: 1500 }),
        fc.boolean(),
        fc.boolean(),
        fc.integer({ min: -20, max: 20 }),
        (beganS, lengthS, atEnd, asLocal, jamS) => {
          const began = 1000 * beganS;
          const dated = began + (atEnd ? 1000 * lengthS : 0);
          const startTimecode = timecodeAt(began + 1000 * jamS);
          // In an hour that the clock repeats, local time is two instants.
          const shifts = [-7200, 7200].map((s) => DateTime.fromMillis(began + 1000 * s, { zone: ZONE }).offset);
          fc.pre(shifts[0] === shifts[1]);
          const { startsAt } = started({
            createdMs: asLocal ? wallAsUtc(dated) : dated,
            startTimecode,
            frames: 25 * lengthS,
          });
          expect(Date.parse(startsAt!)).toBe(began);
        },
      ),
      { numRuns: 1000 },
    );
  });

  test('on the morning of a day that changes the clock local time is still told from UTC', () => {
    const began = Date.parse('2024-03-31T03:00:00Z');
    const { startsAt, startsAtFrom } = started({ createdMs: wallAsUtc(began), startTimecode: '04:00:00:00' });
    expect(Date.parse(startsAt!)).toBe(began);
    expect(startsAtFrom).toMatch(/local time by its timecode; its timecode agrees$/);
  });

  test('a time with its own offset counts before everything', () => {
    expect(started({ statedMs: BEGAN, createdMs: BEGAN + 5e6, startTimecode: '01:00:00:00' })).toEqual({
      startsAt: '2026-10-14T15:20:00.000Z',
      startsAtFrom: 'the file states it, with its offset to UTC',
    });
  });

  test('a timecode that counts the roll says nothing of the day: what is not told is said', () => {
    const { startsAt, startsAtFrom } = started({ createdMs: BEGAN, startTimecode: '01:00:00:00' });
    expect(Date.parse(startsAt!)).toBe(BEGAN);
    expect(startsAtFrom).toMatch(/were it that of the last, it began 120 s earlier$/);
    expect(started({ createdMs: BEGAN, startTimecode: '25:00:00:00' }).startsAtFrom).toMatch(/120 s earlier$/);
    expect(started({ startTimecode: timecodeAt(BEGAN) })).toEqual({
      startsAt: null,
      startsAtFrom: 'the file does not say when it was recorded',
    });
  });

  test('between start and end a timecode that lies in the middle does not choose', () => {
    const { startsAtFrom } = started({ createdMs: BEGAN, startTimecode: timecodeAt(BEGAN - 60000) });
    expect(startsAtFrom).toMatch(/whether of its first or its last frame, 120 s apart, is not told$/);
  });

  test('what is known of the clock is taken off', () => {
    const { startsAt, startsAtFrom } = started({ statedMs: BEGAN }, { offsetS: 3.4, zone: ZONE });
    expect(Date.parse(startsAt!)).toBe(BEGAN - 3400);
    expect(startsAtFrom).toMatch(/clock is 3 s fast: corrected$/);
  });

  test('a sequence begins with its first picture', () => {
    expect(sequenceStart({ takenAtMs: BEGAN, hasUtcOffset: true }, CLOCK).startsAt).toBe('2026-10-14T15:20:00.000Z');
    const local = sequenceStart({ takenAtMs: wallAsUtc(BEGAN), hasUtcOffset: false }, CLOCK);
    expect(local.startsAt).toBe('2026-10-14T15:20:00.000Z');
    expect(local.startsAtFrom).toMatch(/read in Europe\/London$/);
    expect(sequenceStart({ takenAtMs: null, hasUtcOffset: false }, CLOCK).startsAt).toBeNull();
  });
});
