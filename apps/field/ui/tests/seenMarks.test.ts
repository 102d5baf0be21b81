import type { PlanMark, Reading } from '@tawny/contract';
import { pointsOf, seenCount, seenOf, withTap, type Seen } from '../../features/sight/seenMarks';
import { TurnStore } from '../../features/sight/useTurn';

const NOTHING = seenOf(null);
const tap = (azimuthDeg: number, elevationDeg = 0) => ({ azimuthDeg, elevationDeg, withinDeg: 0.4 });
const none = { mark: undefined, reading: undefined, begun: null };
const mast = { id: '5d6f5bd6-4a1b-4c7b-9d53-0d6f7b7f3f11', name: 'Mast' } as PlanMark;
const bearing = { id: '9b1c6f4e-5c57-4a36-8a1c-6f1f3d1f5a22', shown: 60 } as Reading;

describe('a tap in the panorama', () => {
  test('lays the ring of the sun, and keeps whether it is partly hidden', () => {
    const first = withTap(NOTHING, 'sun', tap(40, 12), none)!;
    expect(first.sunAt).toEqual({ panoramaAzimuthDeg: 40, panoramaElevationDeg: 12, withinDeg: 0.4, partly: false });
    const hidden: Seen = { ...first, sunAt: { ...first.sunAt!, partly: true } };
    expect(withTap(hidden, 'sun', tap(41), none)!.sunAt).toMatchObject({ panoramaAzimuthDeg: 41, partly: true });
  });

  test('marks nothing until a mark or a bearing is chosen', () => {
    expect(withTap(NOTHING, 'mark', tap(10), none)).toBeNull();
    expect(withTap(NOTHING, 'compass', tap(10), none)).toBeNull();
    expect(withTap(NOTHING, 'edge', tap(10), none)).toBeNull();
  });

  test('marks a thing of the plan once, without a direction of its own', () => {
    const one = withTap(NOTHING, 'mark', tap(10, -3), { ...none, mark: mast })!;
    expect(one.marks).toEqual([
      {
        name: 'Mast',
        planMarkId: mast.id,
        panoramaAzimuthDeg: 10,
        panoramaElevationDeg: -3,
        withinDeg: 0.4,
        azimuthDeg: null,
        elevationDeg: null,
        uncertaintyDeg: null,
      },
    ]);
    const again = withTap(one, 'mark', tap(12, -3), { ...none, mark: mast })!;
    expect(again.marks.map((m) => m.panoramaAzimuthDeg)).toEqual([12]);
  });

  test('ends an edge that was begun, and points a bearing', () => {
    const edge = withTap(NOTHING, 'edge', tap(30, -8), { ...none, begun: tap(30, 12) })!;
    expect(edge.verticals).toEqual([[30, 12, 30, -8, 0.4]]);
    const coarse = { ...tap(30, 12), withinDeg: 0.9 };
    expect(withTap(NOTHING, 'edge', tap(30, -8), { ...none, begun: coarse })!.verticals[0][4]).toBe(0.9);
    const both = withTap(edge, 'compass', tap(55), { ...none, reading: bearing })!;
    expect(both.compass).toEqual([{ panoramaAzimuthDeg: 55, readingId: bearing.id }]);
    expect(seenCount(both)).toBe(2);
    const sea = withTap(both, 'horizon', tap(80, -0.1), none)!;
    expect(sea.horizon).toEqual([[80, -0.1, 0.4]]);
    expect(pointsOf(sea, null).map((p) => p.name)).toContain('horizon 1');
    expect(seenCount(sea)).toBe(3);
    expect(pointsOf(both, tap(1, 2)).map((p) => p.name)).toEqual(['compass 1', 'edge 1', 'edge']);
  });
});

test('what was kept before there were edges and bearings is read as having none', () => {
  expect(seenOf({ plateId: null, picks: [] })).toEqual({
    marks: [],
    verticals: [],
    horizon: [],
    compass: [],
    sunAt: null,
    viewsCompass: true,
  });
  expect(seenCount(NOTHING)).toBe(0);
});

describe('a turn by hand', () => {
  const start = { yawDeg: 0, tiltDeg: 0, rollDeg: 0 };
  const by = (d: number) => (t: typeof start) => ({ ...t, yawDeg: t.yawDeg + d });

  test('is one step for a drag and another after a rest', () => {
    const store = new TurnStore(start);
    store.change(by(1), 10_000);
    store.change(by(1), 10_100);
    store.change(by(5), 12_000);
    expect(store.get().yawDeg).toBe(7);
    store.undo();
    expect(store.get().yawDeg).toBe(2);
    store.undo();
    expect(store.get().yawDeg).toBe(0);
    expect(store.canUndo()).toBe(false);
    store.undo();
    expect(store.get()).toEqual(start);
  });

  test('tells who listens, and nobody else', () => {
    const store = new TurnStore(start);
    const heard: number[] = [];
    const stop = store.subscribe(() => heard.push(store.get().yawDeg));
    store.change(by(3));
    stop();
    store.change(by(3));
    expect(heard).toEqual([3]);
  });
});
