import fc from 'fast-check';
import { bodyRatio, CHANGE_STOPS, carryGain, photometricExposure, type PlateSettings } from '../src';

const A: PlateSettings = { body: 'a', lens: 'l', tStop: 8, shutterS: 1 / 48, ei: 800, ndStops: 1.2 };
const MEASURED = { gainStops: -0.5, uncertaintyStops: 0.03 };
const settings = fc.record({
  body: fc.constantFrom('a', 'b'),
  lens: fc.constantFrom('l', 'm'),
  tStop: fc.constantFrom(1.4, 2, 2.8, 4, 5.6, 8, 11, 16),
  shutterS: fc.constantFrom(1 / 24, 1 / 48, 1 / 50, 1 / 96),
  ei: fc.constantFrom(200, 400, 800, 1600),
  ndStops: fc.constantFrom(0, 0.6, 1.2, 3, 6),
});

test('the same exposure is the same gain, no wider', () => {
  expect(carryGain(MEASURED, A, { ...A })).toEqual({ ...MEASURED, changed: [] });
});

test('a stop more of light is a stop more of gain; each setting that differs brings its own error', () => {
  const opened = carryGain(MEASURED, A, { ...A, tStop: 8 / Math.SQRT2 });
  expect(opened.gainStops).toBeCloseTo(0.5, 12);
  expect(opened.changed).toEqual(['T-stop']);
  expect(opened.uncertaintyStops).toBeCloseTo(Math.hypot(0.03, CHANGE_STOPS['T-stop']), 12);
  const all = carryGain(MEASURED, A, { body: 'b', lens: 'm', tStop: 4, shutterS: 1 / 24, ei: 400, ndStops: 0 });
  expect(all.changed).toEqual(['T-stop', 'shutter', 'EI', 'ND', 'lens', 'body']);
  expect(all.gainStops).toBeCloseTo(-0.5 + 2 + 1 - 1 + 1.2, 12);
  // Another body is known by its metadata alone: that is most of it.
  expect(all.uncertaintyStops).toBeGreaterThan(CHANGE_STOPS.body);
});

test('there and back is where it began, and the way is as long as the exposures are apart', () => {
  fc.assert(
    fc.property(settings, settings, (from, to) => {
      const there = carryGain(MEASURED, from, to);
      const back = carryGain({ ...MEASURED, gainStops: there.gainStops }, to, from);
      expect(back.gainStops).toBeCloseTo(MEASURED.gainStops, 9);
      expect(back.changed).toEqual(there.changed);
      const exposure = (s: PlateSettings) => photometricExposure({ ...s, iso: s.ei });
      expect(there.gainStops - MEASURED.gainStops).toBeCloseTo(Math.log2(exposure(to) / exposure(from)), 9);
      expect(there.uncertaintyStops).toBeGreaterThanOrEqual(MEASURED.uncertaintyStops);
    }),
  );
});

test('what is not known stays unknown, and settings that no camera has are named', () => {
  expect(carryGain({ gainStops: 1, uncertaintyStops: null }, A, { ...A, ei: 400 }).uncertaintyStops).toBeNull();
  expect(() => carryGain(MEASURED, A, { ...A, tStop: 0 })).toThrow(/T-stop/);
});

describe('two bodies that were held against each other on one panorama', () => {
  const B = { ...A, body: 'b' };
  const card = (gainStops: number, settings: PlateSettings) => ({ gainStops, uncertaintyStops: 0.03, settings });

  test('their ratio is what their exposures do not explain', () => {
    const opened = { ...B, tStop: 8 / Math.SQRT2 };
    const ratio = bodyRatio(card(-0.5, A), card(-0.5 + 1 + 0.4, opened));
    expect(ratio.stops).toBeCloseTo(0.4, 12);
    // Both cards, and the stop that differs.
    expect(ratio.uncertaintyStops).toBeCloseTo(Math.hypot(0.03, 0.03, CHANGE_STOPS['T-stop']), 12);
  });

  test('carried by it the gain is the other body’s, and knows it better than metadata', () => {
    const ratio = bodyRatio(card(-0.5, A), card(-0.1, B));
    const other = carryGain({ gainStops: -1.7, uncertaintyStops: 0.05 }, A, B, ratio);
    expect(other.gainStops).toBeCloseTo(-1.3, 12);
    expect(other.changed).toEqual(['body']);
    expect(other.uncertaintyStops).toBeCloseTo(Math.hypot(0.05, 0.03, 0.03), 12);
    expect(other.uncertaintyStops!).toBeLessThan(CHANGE_STOPS.body);
  });

  test('a ratio of bodies does not touch what the same body saw; what is not known stays unknown', () => {
    const ratio = bodyRatio(card(-0.5, A), card(-0.1, B));
    expect(carryGain(MEASURED, A, A, ratio)).toEqual({ ...MEASURED, changed: [] });
    const unknown = bodyRatio({ ...card(-0.5, A), uncertaintyStops: null }, card(-0.1, B));
    expect(unknown.uncertaintyStops).toBeNull();
    expect(carryGain(MEASURED, A, B, unknown).uncertaintyStops).toBeNull();
  });
});
