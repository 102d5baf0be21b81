import type { CameraBody, LensRecord, Location, Take } from '@tawny/contract';
import { clock, clockShort, dayBounds, longDate } from '../../data/time';
import { EI, FPS, ND, SHUTTER_ANGLES, T_STOPS, WHITE_BALANCES } from '../../features/log/scales';
import { takeColumns } from '../../features/log/takeColumns';
import { clockOfTake, clockSeconds } from '../../data/time';
import { lastOf, nextNumber } from '../../features/log/takeDrafts';

const LENSES = [
  { id: 'p', name: 'Skerry prime 32', focalMinMm: 32, focalMaxMm: 32 },
  { id: 'q', name: 'Skerry prime 50', focalMinMm: 50, focalMaxMm: 50 },
  { id: 'z', name: 'Tern zoom', focalMinMm: 24, focalMaxMm: 70 },
] as LensRecord[];
const take = (more: Partial<Take> = {}): Take =>
  ({
    id: 'x',
    slate: '14A',
    take: 2,
    camera: 'A',
    status: 'good',
    lensId: 'p',
    focalLengthMm: 32,
    tStop: 8,
    ei: 800,
    shutterAngleDeg: 180,
    fps: 24,
    whiteBalanceK: 5600,
    ndStops: 0,
    heightM: 1.5,
    tiltDeg: null,
    headingDeg: 8,
    focusM: null,
    shotAt: '2026-10-14T15:40:00Z',
    shotAtFrom: 'logged',
    fromFile: {},
    lightCondition: 'sun out',
    notes: '',
    clip: '',
    roll: '',
    ...more,
  }) as Take;
const columns = takeColumns({
  location: { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4, zone: 'Europe/London' } as Location,
  bodies: [] as CameraBody[],
  lenses: LENSES,
  round: undefined,
});
const column = (id: string) => columns.find((c) => c.id === id)!;

describe('cells of the take table', () => {
  test('a typed number is taken with comma or T, rubbish and emptiness are answered in words', () => {
    const stop = column('tStop').edit!;
    expect(stop.parse('T5,6')).toEqual({ tStop: 5.6 });
    expect(stop.parse(' 11 ')).toEqual({ tStop: 11 });
    expect(stop.parse('wide open')).toMatch(/is no number/);
    expect(stop.parse('')).toMatch(/must not be empty/);
  });
  test('whole numbers are rounded', () => {
    expect(column('ei').edit!.parse('799.6')).toEqual({ ei: 800 });
  });
  test('status by its first letters', () => {
    const status = column('status').edit!;
    expect(status.parse('ci')).toEqual({ status: 'circled' });
    expect(status.parse('no')).toEqual({ status: 'ng' });
    expect(status.parse('lost')).toMatch(/good, circled, no good or wild/);
    expect(status.parse('')).toMatch(/Status is/);
  });
  test('a lens by a part of its name; a prime brings its focal length; what fits several fits none', () => {
    const lens = column('lens').edit!;
    expect(lens.parse('prime 50')).toEqual({ lensId: 'q', focalLengthMm: 50 });
    expect(lens.parse('tern')).toEqual({ lensId: 'z' });
    expect(lens.parse('skerry')).toMatch(/several lenses/);
    expect(lens.parse('heron')).toMatch(/no lens/);
  });
  test('takes sort as numbers within a slate', () => {
    const key = column('slate').sort;
    const shuffled = [take({ take: 10 }), take({ take: 9 }), take({ slate: '2', take: 1 })].sort((a, b) =>
      key(a) < key(b) ? -1 : 1,
    );
    expect(shuffled.map((t) => `${t.slate}/${t.take}`)).toEqual(['2/1', '14A/9', '14A/10']);
  });
  test('a time that nobody said carries its mark; one of a file or a hand does not', () => {
    const at = { shotAt: '2026-10-14T15:54:00Z', fromFile: {} };
    const shown = (more: Partial<Take>) => column('shotAt').show(take({ ...at, ...more }));
    expect(shown({ shotAtFrom: 'assumed' })).toMatch(/ \?$/);
    for (const told of [
      { shotAtFrom: 'logged' },
      { shotAtFrom: 'entered' },
      { fromFile: { shotAt: 'A004.dng' } },
    ] as const)
      expect(shown(told)).not.toContain('?');
    expect(clockOfTake(take({ ...at, shotAtFrom: 'assumed' }), 'Europe/London')).toBe('16:54 BST, assumed');
    expect(clockOfTake(take({ ...at, shotAtFrom: 'entered' }), 'Europe/London', clockSeconds)).toBe('16:54:00 BST');
  });
  test('what was not measured is a dash, not a zero', () => {
    const optional = columns.filter(
      (c) => c.show(take({ tiltDeg: null, focusM: null, heightM: null, headingDeg: null })) === '–',
    );
    expect(optional.length).toBeGreaterThan(0);
    expect(
      optional.map((c) => c.show(take({ tiltDeg: null, focusM: null, heightM: null, headingDeg: null }))),
    ).not.toContain('0');
  });
});

describe('the next take', () => {
  test('counts on in the newest slate over all cameras', () => {
    expect(nextNumber([])).toBe(1);
    expect(nextNumber([take({ take: 4, camera: 'B' }), take({ take: 3 }), take({ slate: '15', take: 40 })])).toBe(5);
  });
  test('the newest take of a camera', () => {
    const takes = [take({ take: 4, camera: 'B' }), take({ take: 3, camera: 'A' }), take({ take: 2, camera: 'B' })];
    expect(lastOf(takes, 'B')!.take).toBe(4);
    expect(lastOf(takes, 'C')).toBeUndefined();
  });
});

describe('increments of the trade', () => {
  test('every scale climbs', () => {
    for (const scale of [EI, T_STOPS, SHUTTER_ANGLES, FPS, ND, WHITE_BALANCES])
      scale.slice(1).forEach((v, i) => expect(v).toBeGreaterThan(scale[i]));
  });
  test('stops and EI go in thirds, ND to density 5', () => {
    T_STOPS.slice(1).forEach((t, i) => expect(Math.abs(2 * Math.log2(t / T_STOPS[i]) - 1 / 3)).toBeLessThan(0.2));
    EI.slice(1).forEach((e, i) => expect(Math.abs(Math.log2(e / EI[i]) - 1 / 3)).toBeLessThan(0.04));
    expect(ND[ND.length - 1] * Math.log10(2)).toBeGreaterThan(5);
  });
});

describe('times on the set', () => {
  test('the zone is named as people there name it', () => {
    expect(clock('2026-10-14T15:40:00Z', 'Europe/London')).toBe('16:40 BST');
    expect(clock('2026-11-14T15:40:00Z', 'Europe/London')).toBe('15:40 GMT');
    expect(clockShort('2026-10-14T15:40:00Z', 'Europe/London')).toBe('16:40');
    expect(longDate('2026-10-14', 'Europe/London')).toBe('Wednesday 14 October 2026');
  });
  test('a day with a clock change has 25 hours', () => {
    const { start, end } = dayBounds('2026-10-25', 'Europe/London');
    expect((end.getTime() - start.getTime()) / 3600000).toBe(25);
  });
});
