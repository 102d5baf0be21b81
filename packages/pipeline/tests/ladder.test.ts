import { NOMINAL_LUMINANCE_PER_UNIT } from '@tawny/core';
import { EMPTY_METADATA } from '@tawny/formats';
import { frameExposure, parseRig, planLadder, createScene, DEMO_PLACE } from '../src';

const METADATA = { ...EMPTY_METADATA, shutterS: 1 / 64, shutterTagS: 1 / 60, fNumber: 8, fNumberTag: 8, iso: 100 };

describe('exposure ladder', () => {
  test('the shortest frame holds the sun when the span allows', () => {
    const ladder = planLadder(7, 8 / 3, 6e8, 900);
    expect(ladder.sunClippedStops).toBe(0);
    expect(NOMINAL_LUMINANCE_PER_UNIT / ladder.rungs[0].exposure).toBeGreaterThan(6e8);
    expect(Math.log2(ladder.rungs[6].exposure / ladder.rungs[0].exposure)).toBeCloseTo(16, 6);
  });
  test('a short ladder keeps the shadows and says by how much the sun clips', () => {
    expect(planLadder(3, 2, 6e8, 900).sunClippedStops).toBeGreaterThan(3);
  });
  test('no frame is faster or slower than the camera', () => {
    for (const [b, t] of [
      [6e8, 900],
      [5000, 100],
      [1e9, 5],
    ]) {
      const { rungs } = planLadder(7, 3, b, t);
      expect(rungs[0].shutterS).toBeGreaterThanOrEqual(1 / 8192 - 1e-12);
      expect(rungs[6].shutterS).toBeLessThanOrEqual(32 + 1e-9);
      expect(new Set(rungs.map((r) => `${r.shutterTag.numerator}/${r.shutterTag.denominator}`)).size).toBe(7);
    }
  });
});

describe('rig and frames', () => {
  test('a rig file is checked field by field', () => {
    expect(parseRig({ projection: 'equidistant', fovDeg: 180, views: 4 }, 'rig.json')).toMatchObject({
      projection: 'equidistant',
      fovDeg: 180,
      views: 4,
    });
    expect(parseRig({ projection: 'latlong' }, 'rig.json')).toMatchObject({ views: 1, fovDeg: 360 });
    for (const [bad, message] of [
      [null, /is not a rig/],
      [{ projection: 'magic' }, /projection must be/],
      [{ projection: 'equidistant', fovDeg: 180, views: 2.5 }, /views/],
      [{ projection: 'equidistant', fovDeg: 0, views: 2 }, /fovDeg/],
      [{ projection: 'equidistant', fovDeg: 180, views: 2, ndStops: -1 }, /ndStops/],
    ] as const) {
      expect(() => parseRig(bad, 'rig.json')).toThrow(message);
    }
  });
  test('exposure from metadata and rig; what is missing is said, a missing time is left to the pictures', () => {
    expect(frameExposure(METADATA, { ndStops: 0, transmission: 1 }).exposure).toBeCloseTo(1 / 64 / 64, 12);
    expect(frameExposure(METADATA, { ndStops: 2, transmission: 1 }).exposure).toBeCloseTo(1 / 64 / 256, 12);
    expect(frameExposure({ ...METADATA, fNumber: null, iso: null }, {}).notes).toHaveLength(2);
    expect(frameExposure({ ...METADATA, shutterS: null }, {})).toMatchObject({
      exposure: 0,
      notes: [expect.stringMatching(/exposures are taken from the pictures/)],
    });
  });
  test('the simulated set needs a sun', () => {
    expect(() =>
      createScene({ scene: 'quay', seed: 1, place: DEMO_PLACE, utc: '2026-11-24T22:00:00Z', turbidity: 3 }),
    ).toThrow(/the sun stands at/);
  });
});
