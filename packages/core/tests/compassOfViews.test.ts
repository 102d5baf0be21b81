import * as fc from 'fast-check';
import { compassOfViews, quaternionFromAttitude, wrap180 } from '../src';

const view = (headingDeg: number, bearingDeg: number, tiltDeg = 0) => ({
  attitude: quaternionFromAttitude({ headingDeg, tiltDeg, rollDeg: 3 }),
  bearingDeg: ((bearingDeg % 360) + 360) % 360,
});

test('views that all read alike tell the turn, across south too, and no better than their compass', () => {
  fc.assert(
    fc.property(fc.double({ min: -180, max: 180, noNaN: true }), (turn) => {
      const joined = compassOfViews([0, 60, 120, 180, 240, 300].map((h) => view(h, h + turn)))!;
      expect(Math.abs(wrap180(joined.turnDeg - turn))).toBeLessThan(1e-6);
      expect(joined.spreadDeg).toBeLessThan(1e-6);
      expect(joined.uncertaintyDeg).toBeCloseTo(10, 6);
    }),
  );
});

test('views that differ widen it; one that looks straight up tells nothing', () => {
  const joined = compassOfViews([view(0, 20), view(90, 150), view(180, 200), view(270, 270), view(0, 300, 90)])!;
  expect(joined.views).toBe(4);
  // Off by 20, 60, 20 and 0 degrees: a mean near 25, spread by 25.
  expect(joined.turnDeg).toBeGreaterThan(20);
  expect(joined.turnDeg).toBeLessThan(30);
  expect(joined.spreadDeg).toBeGreaterThan(22);
  expect(joined.uncertaintyDeg).toBeGreaterThan(22);
  expect(compassOfViews([view(0, 10, 85)])).toBeNull();
});
