import { act, renderHook } from '@testing-library/react-native';
import type { CameraBody, LensRecord, Setup, ShootDay, Take, TakeInput } from '@tawny/contract';
import { takeTimeFrom } from '@tawny/contract/takeRules';
import { timedAtSaving } from '../../features/log/takeTime';
import { clearDrafts, FIRST_TOLD, useTakeDrafts, type DraftContext } from '../../features/log/takeDrafts';

const kept = new Map<string, string>();
beforeAll(() => {
  Object.assign(globalThis, {
    localStorage: {
      getItem: (key: string) => kept.get(key) ?? null,
      setItem: (key: string, value: string) => kept.set(key, value),
      removeItem: (key: string) => kept.delete(key),
    },
  });
});
beforeEach(() => kept.clear());

const setup = { id: 's', slate: '14A', lightCondition: 'sun out', lightAt: null } as Setup;
const bodies = [{ id: 'b', name: 'Corrie 35', baseEi: 800, formats: [{ name: 'full' }] }] as CameraBody[];
const fisheye = { id: 'f', name: 'Skerry fisheye 8', kind: 'fisheye', focalMinMm: 8, focalMaxMm: 8, tMin: 4 } as LensRecord; // prettier-ignore
const prime = { id: 'p', name: 'Skerry prime 32', kind: 'prime', focalMinMm: 32, focalMaxMm: 32, tMin: 2 } as LensRecord; // prettier-ignore
const zoom = { id: 'z', name: 'Tern zoom', kind: 'zoom', focalMinMm: 24, focalMaxMm: 70, tMin: 6.3 } as LensRecord;
const day = { date: '2026-10-14', callLocal: '09:30', wrapLocal: '17:30' } as ShootDay;
const empty: DraftContext = { setup, day, zone: 'Europe/London', takes: [], bodies, lenses: [fisheye, prime] };
const stored = (more: Partial<Take>): Take =>
  ({
    version: 3,
    createdAt: '',
    updatedAt: '',
    pictureCamera: { headingDeg: 1 },
    id: 'x',
    setupId: 's',
    slate: '14A',
    take: 2,
    camera: 'A',
    status: 'good',
    bodyId: 'b',
    formatName: 'full',
    lensId: 'p',
    focalLengthMm: 32,
    focalMeasured: false,
    tStop: 8,
    ei: 800,
    shutterAngleDeg: 180,
    fps: 24,
    whiteBalanceK: 5600,
    ndStops: 4,
    eastM: 1.5,
    northM: -2,
    stationOffset: null,
    clip: 'A003',
    roll: 'A1',
    lightCondition: 'cloud over',
    fromFile: {},
    changes: [],
    shotAt: '2026-10-14T15:40:00.000Z',
    shotAtFrom: 'logged',
    notes: '',
    ...more,
  }) as Take;
const open = (context: DraftContext, editing?: Take) => renderHook(() => useTakeDrafts(context, editing)).result;

describe('the first take of a setup', () => {
  test('nothing of its exposure is logged before somebody said it; a prime knows its own focal length', () => {
    const hook = open(empty);
    expect(hook.current.unstated).toEqual(['tStop', 'ei', 'shutterAngleDeg', 'fps', 'ndStops', 'whiteBalanceK']);
    expect(hook.current.take).toMatchObject({ take: 1, lensId: 'p', focalLengthMm: 32, tStop: 5.6, ei: 800 });
    act(() => hook.current.change({ tStop: 8, notes: 'wind' }));
    act(() => hook.current.change({ ndStops: 0 }));
    expect(hook.current.unstated).toEqual(['ei', 'shutterAngleDeg', 'fps', 'whiteBalanceK']);
    act(() => hook.current.undo!());
    expect(hook.current.unstated).toContain('ndStops');
    expect(hook.current.take.tStop).toBe(8);
  });
  test('a zoom is asked where it stood, and its stop begins no wider than it opens', () => {
    const hook = open({ ...empty, lenses: [zoom] });
    expect(hook.current.unstated).toEqual(Object.keys(FIRST_TOLD));
    expect(hook.current.take.tStop).toBe(6.3);
  });
  test('a zoom that is chosen for it is asked as well, unless a file told where it stood; a prime is not', () => {
    const hook = open({ ...empty, lenses: [prime, zoom] });
    act(() => hook.current.change({ lensId: 'z', focalLengthMm: 24 }));
    expect(hook.current.unstated).toContain('focalLengthMm');
    act(() => hook.current.change({ lensId: 'p' }));
    expect(hook.current.unstated).not.toContain('focalLengthMm');
    act(() => hook.current.change({ lensId: 'z', focalLengthMm: 41, fromFile: { focalLengthMm: 'still.dng' } }));
    expect(hook.current.unstated).not.toContain('focalLengthMm');
  });
  test('a second camera is asked for itself, unless all are told the same; one that goes is asked nothing more', () => {
    const hook = open(empty);
    act(() => hook.current.change({ tStop: 8 }));
    act(() => hook.current.addCamera());
    expect(hook.current.drafts.active).toBe('B');
    expect(hook.current.unstated).toContain('tStop');
    act(() => hook.current.change({ tStop: 11 }));
    expect(hook.current.drafts.takes.A.tStop).toBe(8);
    act(() => hook.current.setSame(true));
    act(() => hook.current.change({ ei: 400, fps: 25 }));
    expect(Object.values(hook.current.drafts.unstated)).toEqual([
      ['shutterAngleDeg', 'ndStops', 'whiteBalanceK'],
      ['shutterAngleDeg', 'ndStops', 'whiteBalanceK'],
    ]);
    act(() => hook.current.dropCamera('B'));
    expect(hook.current.drafts.unstated).toEqual({ A: ['shutterAngleDeg', 'ndStops', 'whiteBalanceK'] });
    expect(hook.current.take.camera).toBe('A');
  });
  test('what is shared by all cameras of a take goes to all of them, what is a camera’s own stays', () => {
    const hook = open(empty);
    act(() => hook.current.addCamera());
    act(() => hook.current.change({ slate: '15', ei: 1600 }));
    expect(Object.values(hook.current.drafts.takes).map((t) => [t.slate, t.ei])).toEqual([
      ['15', 800],
      ['15', 1600],
    ]);
  });
});

describe('the next take', () => {
  const takes = [stored({}), stored({ id: 'y', camera: 'B', take: 2, tStop: 11 }), stored({ id: 'o', take: 1 })];
  test('copies the last of every camera of the slate, with the next number and the light of the setup', () => {
    const hook = open({ ...empty, takes });
    expect(hook.current.unstated).toEqual([]);
    const { A, B } = hook.current.drafts.takes;
    expect([A.take, B.take, A.tStop, B.tStop]).toEqual([3, 3, 8, 11]);
    expect(A.lightCondition).toBe('sun out');
    expect(A.id).not.toBe('x');
    expect(A).not.toHaveProperty('version');
    expect(A).not.toHaveProperty('pictureCamera');
  });
  test('a camera that joins copies its neighbour, but neither its place nor its clip', () => {
    const hook = open({ ...empty, takes: [takes[0]] });
    act(() => hook.current.addCamera());
    expect(hook.current.take).toMatchObject({ camera: 'B', tStop: 8, eastM: null, northM: null, clip: '', roll: '' });
    expect(hook.current.unstated).toEqual([]);
  });
  test('a stored take that is opened again is changed as it is, and keeps no draft', () => {
    const hook = open({ ...empty, takes }, takes[1]);
    expect(hook.current.take).toMatchObject({ id: 'y', take: 2, tStop: 11 });
    act(() => hook.current.change({ tStop: 16 }));
    expect(hook.current.take.tStop).toBe(16);
    expect(kept.size).toBe(0);
  });
});

describe('when a take ran', () => {
  const time = ({ shotAt, shotAtFrom }: TakeInput) => [shotAt, shotAtFrom];
  const last = stored({});
  const saved = (draft: TakeInput, now: string, after: Take | undefined = last) =>
    time(timedAtSaving(draft, after, empty, new Date(now)));

  test('is assumed of a draft: three minutes after the last, the setup’s light, or the call', () => {
    expect(time(open({ ...empty, takes: [last] }).current.take)).toEqual(['2026-10-14T15:43:00.000Z', 'assumed']);
    kept.clear();
    expect(time(open(empty).current.take)).toEqual(['2026-10-14T08:30:00.000Z', 'assumed']);
    kept.clear();
    const lit = { ...empty, setup: { ...setup, lightAt: '2026-10-14T16:10:00.000Z' } };
    expect(time(open(lit).current.take)).toEqual(['2026-10-14T16:10:00.000Z', 'assumed']);
  });
  test('is logged at the moment of saving while the day is shot, hours after the last take and past the wrap as well', () => {
    const draft = open({ ...empty, takes: [last] }).current.take;
    for (const now of ['2026-10-14T15:41:07.000Z', '2026-10-14T16:29:00.000Z', '2026-10-14T17:39:00.000Z'])
      expect(saved(draft, now)).toEqual([now, 'logged']);
    expect(saved(draft, '2026-10-14T08:31:00.000Z', stored({ shotAt: '2026-10-14T08:30:00.000Z' }))[1]).toBe('logged');
    expect(saved(draft, '2026-10-14T13:00:00.000Z', stored({ shotAt: '2026-10-14T08:30:00.000Z' }))).toEqual([
      '2026-10-14T13:00:00.000Z',
      'logged',
    ]);
  });
  test('stays assumed on another day, and before a take that is yet to come', () => {
    const draft = open({ ...empty, takes: [last] }).current.take;
    for (const now of ['2026-10-15T10:00:00.000Z', '2026-10-14T14:00:00.000Z', '2026-10-14T18:30:00.000Z'])
      expect(saved(draft, now)).toEqual(['2026-10-14T15:43:00.000Z', 'assumed']);
  });
  test('said by hand or by a file it is nobody’s guess any more, for all cameras of the take', () => {
    const hook = open(empty);
    act(() => hook.current.addCamera());
    act(() => hook.current.change({ shotAt: '2026-10-14T14:05:00.000Z' }));
    for (const camera of ['A', 'B']) {
      const draft = hook.current.drafts.takes[camera];
      expect(saved(draft, '2026-10-14T15:41:07.000Z')).toEqual(['2026-10-14T14:05:00.000Z', 'entered']);
      expect(takeTimeFrom(draft)).toEqual({ kind: 'logged', words: 'entered by hand' });
    }
    act(() => hook.current.change({ shotAt: '2026-10-14T14:06:00.000Z', fromFile: { shotAt: 'plate.dng' } }));
    expect(takeTimeFrom(hook.current.take)).toEqual({ kind: 'fromFile', words: 'from plate.dng' });
    act(() => hook.current.change({ notes: 'wind' }));
    expect(takeTimeFrom(hook.current.take).kind).toBe('fromFile');
  });
  test('a draft that an earlier version kept has a time that nobody said', () => {
    const first = open(empty);
    const { shotAtFrom: _from, ...old } = first.current.take;
    kept.set('tawny.take-drafts.s', JSON.stringify({ ...first.current.drafts, takes: { A: old } }));
    expect(open(empty).current.take.shotAtFrom).toBe('assumed');
  });
});

describe('drafts outlive the page', () => {
  test('what was written and what is still unsaid come back; a damaged draft gives way', () => {
    const first = open(empty);
    act(() => first.current.change({ tStop: 16, notes: 'half' }));
    const again = open(empty);
    expect(again.current.take).toMatchObject({ tStop: 16, notes: 'half' });
    expect(again.current.unstated).not.toContain('tStop');
    expect(again.current.unstated).toContain('ei');
    kept.set('tawny.take-drafts.s', '{half a draft');
    expect(open(empty).current.take.tStop).toBe(5.6);
  });
  test('a draft of before anything was asked is taken as said', () => {
    const first = open(empty);
    const { unstated: _asked, ...old } = first.current.drafts;
    kept.set('tawny.take-drafts.s', JSON.stringify(old));
    expect(open(empty).current.unstated).toEqual([]);
  });
  test('a field that a file filled is the hand’s once it is changed; a new start forgets what went before', () => {
    const hook = open({ ...empty, takes: [stored({})] });
    act(() => hook.current.change({ ei: 640, fromFile: { ei: 'still.dng' } }));
    expect(hook.current.take.fromFile).toEqual({ ei: 'still.dng' });
    act(() => hook.current.change({ ei: 500 }));
    expect(hook.current.take.fromFile).toEqual({});
    act(() => hook.current.reset({ ...empty, takes: [stored({ take: 3 })] }));
    expect(hook.current.take).toMatchObject({ take: 4, ei: 800 });
    expect(hook.current.undo).toBeNull();
    clearDrafts('s');
    expect(kept.has('tawny.take-drafts.s')).toBe(false);
  });
});
