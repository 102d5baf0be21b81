import exifr from 'exifr';
import sharp from 'sharp';
import { planBracket } from '@tawny/core/photometry/bracketPlan';
import type { GroupingResult, ViewCheck } from '@tawny/contract';
import { aimsOf, aimWords, rowsOf, toGo, upDegOf } from '../../features/round/aims';
import {
  needFromFrame,
  needFromLux,
  needFromPanorama,
  newestLux,
  planOnLadder,
} from '../../features/round/plannerMath';
import { stamp } from '../../features/round/phoneCamera';
import { checksByView } from '../../features/round/viewChecks';
import { widthFor } from '../../features/round/buildWidth';
import { ladderGaps, rungExtent } from '../../features/round/ladderMath';

describe('a shot from the browser is stamped as a camera stamps its own', () => {
  const attitude = { headingDeg: -12.5, tiltDeg: 30.25, rollDeg: 1.5 };
  const plain = async () =>
    (
      await sharp({ create: { width: 64, height: 48, channels: 3, background: '#888' } })
        .jpeg()
        .toBuffer()
    ).toString('latin1');

  test('time with its zone, shutter, ISO and where it looked come back from independent readers', async () => {
    const jpeg = Buffer.from(
      stamp(await plain(), { at: new Date('2026-10-14T15:20:30.250Z'), shutterS: 1 / 500, iso: 50, attitude }),
      'latin1',
    );
    const tags = await exifr.parse(jpeg, {
      exif: true,
      xmp: true,
      multiSegment: true,
      mergeOutput: true,
      reviveValues: false,
    });
    expect(tags.DateTimeOriginal).toBe('2026:10:14 15:20:30');
    expect(tags.OffsetTimeOriginal).toMatch(/^\+00:00/);
    expect(tags.ExposureTime).toBeCloseTo(1 / 500, 6);
    expect(Number(tags.PoseHeadingDegrees)).toBeCloseTo(347.5, 2);
    expect(Number(tags.PosePitchDegrees)).toBeCloseTo(30.25, 2);
    expect((await sharp(jpeg).metadata()).width).toBe(64);
  });
  test('its compass is written as one only where the sensor knows north', async () => {
    const facts = { at: new Date('2026-10-14T15:20:30Z'), shutterS: null, iso: null };
    const read = async (knowsNorth: boolean) => {
      const jpeg = stamp(await plain(), { ...facts, attitude: { ...attitude, knowsNorth } });
      return exifr.parse(Buffer.from(jpeg, 'latin1'), { gps: true, translateValues: false, reviveValues: false });
    };
    const told = await read(true);
    expect(told.GPSImgDirection).toBeCloseTo(347.5, 2);
    expect(told.GPSImgDirectionRef).toBe('M');
    expect((await read(false)).GPSImgDirection).toBeUndefined();
  });
  test('what the browser did not tell is left out, not made up', async () => {
    const jpeg = Buffer.from(
      stamp(await plain(), { at: new Date('2026-10-14T15:20:30Z'), shutterS: null, iso: null, attitude }),
      'latin1',
    );
    const tags = await exifr.parse(jpeg, { exif: true });
    expect(tags.ExposureTime).toBeUndefined();
    expect(tags.ISO).toBeUndefined();
  });
});

describe('aims of a guided round', () => {
  test('rows cover the sphere or the horizon; the first view is the first heading', () => {
    const whole = rowsOf(54, true);
    expect(whole.some((r) => r.tiltDeg === 90)).toBe(true);
    expect(rowsOf(54, false)).toHaveLength(1);
    const aims = aimsOf(whole, 30);
    expect(aims[0]).toEqual({ headingDeg: 30, tiltDeg: 0 });
    expect(aims).toHaveLength(whole.reduce((n, r) => n + r.views, 0));
    expect(upDegOf(54)).toBeCloseTo(68.4, 0);
  });
  test('words say the shorter way round', () => {
    expect(aimWords(toGo({ headingDeg: 350, tiltDeg: 0, rollDeg: 0 }, { headingDeg: 20, tiltDeg: 5 }))).toBe(
      'Turn 30° right, tilt 5° up',
    );
    expect(aimWords(toGo({ headingDeg: 20, tiltDeg: 10, rollDeg: 0 }, { headingDeg: 350, tiltDeg: 0 }))).toBe(
      'Turn 30° left, tilt 10° down',
    );
    expect(aimWords(toGo({ headingDeg: 352, tiltDeg: 1, rollDeg: 0 }, { headingDeg: 350, tiltDeg: 0 }))).toBe(
      'Hold still and photograph',
    );
    // Straight up every heading is as good.
    expect(toGo({ headingDeg: 200, tiltDeg: 89, rollDeg: 0 }, { headingDeg: 0, tiltDeg: 90 }).there).toBe(true);
  });
});

describe('what the bracket has to hold', () => {
  test('from a lux reading, with and without the sun in sight', () => {
    expect(needFromLux(31416, 0)).toEqual({
      darkest: expect.closeTo(10000 / 512, 1),
      brightest: expect.closeTo(10000, 0),
    });
    expect(needFromLux(31416, 1e9).brightest).toBe(1e9);
  });
  test('from a panorama: only what subtends something', () => {
    const need = needFromPanorama({ histogram: { firstStop: 0, binsPerStop: 1, sr: [1e-9, 0.5, 3, 1e-4, 1e-9] } });
    expect(Math.log2(need.brightest / need.darkest)).toBeCloseTo(3, 9);
  });
  test('from a test frame: cut off means the sun is above', () => {
    const frame = { darkest: 5, brightest: 4000, clippedShare: 0, darkShare: 0 };
    expect(needFromFrame(frame, 1e9).brightest).toBe(4000);
    expect(needFromFrame({ ...frame, clippedShare: 0.01 }, 1e9).brightest).toBe(1e9);
  });
  test('the newest lux reading counts', () => {
    const reading = (kind: string, takenAt: string) => ({ kind, takenAt }) as never;
    expect(
      newestLux([
        reading('lux', '2026-10-14T10:00:00Z'),
        reading('lux', '2026-10-14T12:00:00Z'),
        reading('compass', '2026-10-14T13:00:00Z'),
      ]),
    ).toMatchObject({ takenAt: '2026-10-14T12:00:00Z' });
    expect(newestLux([])).toBeNull();
  });
  test('the plan stands on the ladder in the same stops as the scene, without gaps when it holds', () => {
    const need = { darkest: 10, brightest: 1e9 };
    const plan = planBracket(need, {
      fastestS: 1 / 8000,
      slowestS: 30,
      iso: 100,
      tStop: 9,
      ndStops: [0, 10, 13],
      bits: 14,
      stepEv: 2,
      mostFrames: 12,
      mainsHz: null,
    });
    const { ev, histogram } = planOnLadder(plan, need);
    const occupied = histogram.sr.map((sr, i) => ({ stop: histogram.firstStop + i / histogram.binsPerStop, sr }));
    expect(
      ladderGaps(
        ev.map((e) => rungExtent(e, 14)),
        occupied,
      ),
    ).toEqual([]);
  });
});

test('what was found in a view follows its frames, and is forgotten when they change', () => {
  const grouping = {
    views: [
      { frames: [{ id: 'a' }, { id: 'b' }], notes: [] },
      { frames: [{ id: 'c' }], notes: [] },
    ],
  } as unknown as GroupingResult;
  const check = (frames: string[], verdict: ViewCheck['verdict']): ViewCheck => ({
    frames,
    verdict,
    findings: [],
    clippedSr: 0,
    starvedShare: 0,
    movedShare: 0,
    shakePx: 0,
  });
  expect(checksByView(grouping, [check(['c', 'd'], 'good'), check(['b', 'a'], 'again')])).toEqual([
    check(['b', 'a'], 'again'),
    null,
  ]);
});

test('the first panorama is as wide as its frames show, and no wider than 4K', () => {
  expect([null, 1000, 1990, 2270, 2300, 4000, 9000].map(widthFor)).toEqual([4096, 2048, 2048, 2048, 4096, 4096, 4096]);
});
