import { sunPosition } from '@tawny/core';
import { lightEnds } from '../src/setups/lightEnds';

const quay = { latitudeDeg: 57.2, longitudeDeg: -5.6, altitudeM: 4, zone: 'Europe/London', skyline: [] };
const outside = { kind: 'exterior' as const, lightConditions: [] };
const ends = (
  place: Parameters<typeof lightEnds>[2],
  now: string | Date,
  shown: string | null = null,
  setup: Parameters<typeof lightEnds>[0] = outside,
) => lightEnds(setup, 'sun out', place, new Date(now), shown === null ? null : new Date(shown));

describe('when the light of a setup goes', () => {
  test('the sun on the horizon, whatever hour it is asked at', () => {
    const all = ['08:30', '12:00', '16:45'].map((t) => ends(quay, `2026-10-14T${t}:00Z`)!);
    for (const e of all) {
      expect(e).toEqual(all[0]);
      expect(Math.abs(sunPosition(quay, e).elevationDeg)).toBeLessThan(0.003);
    }
  });
  test('after one obstacle the next one counts; at night nothing is taken away', () => {
    const mast = {
      ...quay,
      skyline: [
        { bearingDeg: 0, elevationDeg: 0 },
        { bearingDeg: 194.9, elevationDeg: 0 },
        { bearingDeg: 195, elevationDeg: 60 },
        { bearingDeg: 205, elevationDeg: 60 },
        { bearingDeg: 205.1, elevationDeg: 0 },
      ],
    };
    const noon = ends(mast, '2026-10-14T12:00:00Z')!;
    expect(sunPosition(mast, noon).azimuthDeg).toBeCloseTo(195, 0);
    const later = ends(mast, '2026-10-14T15:00:00Z')!;
    expect(Math.abs(sunPosition(mast, later).elevationDeg)).toBeLessThan(0.003);
    // Behind the mast: the light that comes back is what can be lost.
    const behind = ends(mast, new Date(noon.getTime() + 60_000))!;
    expect(behind).toEqual(later);
    expect(ends(quay, '2026-10-14T23:00:00Z')).toBeNull();
  });
  test('the condition of the call sheet wins, an interior has no sun, a polar day does not end', () => {
    const to = '2026-10-14T15:10:00.000Z';
    const planned = { ...outside, lightConditions: [{ name: 'sun out', from: null, to }] };
    expect(ends(quay, '2026-10-14T12:00:00Z', null, planned)).toEqual(new Date(to));
    expect(ends(quay, '2026-10-14T15:30:00Z', '2026-10-14T15:00:00Z', planned)).toEqual(new Date(to));
    // What was shot in it later shows that it went on: until the sun leaves.
    expect(ends(quay, '2026-10-14T15:30:00Z', '2026-10-14T15:20:00Z', planned)).toEqual(
      ends(quay, '2026-10-14T12:00:00Z'),
    );
    expect(ends(quay, '2026-10-14T12:00:00Z', null, { ...outside, kind: 'interior' })).toBeNull();
    const north = { ...quay, latitudeDeg: 78, zone: 'UTC' };
    expect(ends(north, '2026-06-20T12:00:00Z')).toBeNull();
  });
  test('after sunset the sun has taken what was shot by it; what was shot in the dark, and what nobody shot, is not said to be gone', () => {
    const sunset = ends(quay, '2026-10-14T12:00:00Z')!;
    for (const now of ['2026-10-14T18:30:00Z', '2026-10-15T00:30:00Z'])
      expect(ends(quay, now, '2026-10-14T12:00:00Z')).toEqual(sunset);
    expect(ends(quay, '2026-10-14T23:00:00Z', '2026-10-14T18:30:00Z')).toBeNull();
    // Shot before the sun rose.
    expect(ends(quay, '2026-10-14T23:00:00Z', '2026-10-14T04:00:00Z')).toBeNull();
    // Seen in the morning of the day, from before anything was shot.
    expect(ends(quay, '2026-10-14T05:00:00Z', '2026-10-14T12:00:00Z')).toBeNull();
  });
});
