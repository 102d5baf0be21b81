import { sunPosition } from '@tawny/core';
import { lightEnds } from '../src/setups/lightEnds';

const quay = { latitudeDeg: 57.2, longitudeDeg: -5.6, altitudeM: 4, zone: 'Europe/London', skyline: [] };
const outside = { kind: 'exterior' as const, lightCondition: 'sun out', lightConditions: [] };
const at = (text: string) => new Date(text);

describe('when the light of a setup goes', () => {
  test('the sun on the horizon, whatever hour it is asked at', () => {
    const ends = ['08:30', '12:00', '16:45'].map((t) => lightEnds(outside, quay, at(`2026-10-14T${t}:00Z`))!);
    for (const e of ends) {
      expect(e).toEqual(ends[0]);
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
    const noon = lightEnds(outside, mast, at('2026-10-14T12:00:00Z'))!;
    expect(sunPosition(mast, noon).azimuthDeg).toBeCloseTo(195, 0);
    const later = lightEnds(outside, mast, at('2026-10-14T15:00:00Z'))!;
    expect(Math.abs(sunPosition(mast, later).elevationDeg)).toBeLessThan(0.003);
    // Behind the mast: the light that comes back is what can be lost.
    const behind = lightEnds(outside, mast, new Date(noon.getTime() + 60_000))!;
    expect(behind).toEqual(later);
    expect(lightEnds(outside, quay, at('2026-10-14T23:00:00Z'))).toBeNull();
  });
  test('the condition of the call sheet wins, an interior has no sun, a polar day does not end', () => {
    const to = '2026-10-14T15:10:00.000Z';
    const planned = { ...outside, lightConditions: [{ name: 'sun out', from: null, to }] };
    expect(lightEnds(planned as never, quay, at('2026-10-14T12:00:00Z'))).toEqual(new Date(to));
    expect(lightEnds({ ...outside, kind: 'interior' }, quay, at('2026-10-14T12:00:00Z'))).toBeNull();
    const north = { ...quay, latitudeDeg: 78, zone: 'UTC' };
    expect(lightEnds(outside, north, at('2026-06-20T12:00:00Z'))).toBeNull();
  });
});
