import {
  ev100,
  exactFNumber,
  exactShutterSeconds,
  gainFromMetadata,
  lambertLuminance,
  photometricExposure,
  shutterSeconds,
  stopsBetween,
  tStopFromFNumber,
} from '../src';

describe('exposure', () => {
  const base = { shutterS: 1 / 64, iso: 100, tStop: 8, ndStops: 0 };

  test('X = t S / (100 N^2) 2^-ND', () => {
    expect(photometricExposure(base)).toBeCloseTo(1 / 4096, 12);
    expect(photometricExposure({ ...base, ndStops: 3 })).toBeCloseTo(1 / 32768, 12);
    expect(ev100(base)).toBeCloseTo(12, 12);
    expect(ev100({ ...base, ndStops: 2 })).toBeCloseTo(14, 12);
  });

  test('markings stand for exact values', () => {
    expect(exactFNumber(11)).toBeCloseTo(2 ** 3.5, 12);
    expect(exactFNumber(5.6)).toBeCloseTo(2 ** 2.5, 12);
    expect(exactFNumber(22)).toBeCloseTo(2 ** 4.5, 12);
    expect(exactFNumber(7.77)).toBe(7.77);
    expect(exactShutterSeconds(1 / 60)).toBeCloseTo(1 / 64, 12);
    expect(exactShutterSeconds(30)).toBeCloseTo(32, 12);
    expect(exactShutterSeconds(1 / 8000)).toBeCloseTo(2 ** -13, 15);
    expect(exactShutterSeconds(1 / 48)).toBeCloseTo(1 / 48, 12);
  });

  test('every engraved third of a stop lands on its own third', () => {
    const marks = [
      30,
      15,
      8,
      4,
      2,
      1,
      1 / 2,
      1 / 4,
      1 / 8,
      1 / 15,
      1 / 30,
      1 / 60,
      1 / 125,
      1 / 250,
      1 / 500,
      1 / 1000,
      1 / 2000,
      1 / 4000,
      1 / 8000,
    ];
    marks.forEach((m, i) => expect(Math.log2(exactShutterSeconds(m))).toBeCloseTo(5 - i, 9));
  });

  test('shutter angle, transmission, Lambert', () => {
    expect(shutterSeconds(180, 24)).toBeCloseTo(1 / 48, 12);
    expect(tStopFromFNumber(8, 0.64)).toBeCloseTo(10, 12);
    expect(lambertLuminance(0.18, Math.PI * 1000)).toBeCloseTo(180, 9);
    expect(stopsBetween(8, 1)).toBe(3);
    expect(gainFromMetadata(1 / 16).gainStops).toBe(-4);
  });

  test.each([
    [{ ...base, shutterS: -1 }, /shutter time must be a positive number, not -1/],
    [{ ...base, iso: 0 }, /ISO/],
    [{ ...base, tStop: NaN }, /T-stop/],
    [{ ...base, ndStops: -1 }, /ND/],
  ])('what no camera has is refused by name', (state, message) => {
    expect(() => photometricExposure(state)).toThrow(message);
  });
  test('a shutter over 360 degrees is refused', () => expect(() => shutterSeconds(400, 24)).toThrow(/at most 360/));
});
