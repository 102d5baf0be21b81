import { plateCamera, type Distortion } from '@tawny/core';
import {
  compassReading,
  createRandom,
  drawClock,
  drawLensGrid,
  lightMeterReading,
  planeIlluminance,
  plainReading,
} from '../src';
import { bandLimit, valueNoise } from '../src/scene/noise';
import { box, cylinder, panel, sphere, type Shape } from '../src/scene/shapes';

const plain = () => undefined;

describe('shapes', () => {
  const shapes: [string, Shape, [number, number, number]][] = [
    ['box', box(1, { west: -1, east: 2, bottom: 0, top: 3, north: 4, south: 2 }, plain), [0.5, 1.5, -3]],
    ['cylinder', cylinder(2, { east: 1, north: 3, bottom: 0, top: 2, radius: 0.8 }, plain), [1, 1, -3]],
    ['sphere', sphere(3, { east: -1, north: 5, up: 1.5, radius: 0.6 }, plain), [-1, 1.5, -5]],
  ];
  test.each(shapes)(
    '%s: what is hit lies on the surface, its normal looks back, and outside nothing is hit',
    (_name, shape, middle) => {
      const r = createRandom(5, 'rays');
      const normal = new Float64Array(3);
      let hits = 0;
      for (let k = 0; k < 400; k++) {
        const o = [6 * r.normal(), 8 * r.next() + 0.2, 6 * r.normal() - 3];
        const inside = shape.near(o[0], o[1], o[2], 0, 1, 0, 0) && shape.near(o[0], o[1], o[2], 0, -1, 0, 0);
        if (inside) continue;
        const aim = [
          middle[0] - o[0] + 0.5 * r.normal(),
          middle[1] - o[1] + 0.5 * r.normal(),
          middle[2] - o[2] + 0.5 * r.normal(),
        ];
        const length = Math.hypot(...aim);
        const d = aim.map((v) => v / length);
        const t = shape.hit(o[0], o[1], o[2], d[0], d[1], d[2]);
        if (t === Infinity) continue;
        hits++;
        const p = o.map((v, i) => v + t * d[i]);
        shape.normal(p[0], p[1], p[2], normal);
        expect(Math.hypot(...normal)).toBeCloseTo(1, 6);
        expect(normal[0] * d[0] + normal[1] * d[1] + normal[2] * d[2]).toBeLessThan(1e-6);
        // A step further in the ray is inside: going back out of it meets the surface where it came in.
        expect(Math.hypot(p[0] - shape.bound[0], p[1] - shape.bound[1], p[2] - shape.bound[2])).toBeLessThanOrEqual(
          shape.bound[3] + 1e-6,
        );
        expect(shape.near(o[0], o[1], o[2], d[0], d[1], d[2], 0.05)).toBe(true);
      }
      expect(hits).toBeGreaterThan(100);
      expect(shape.hit(0, 50, 0, 0, 1, 0)).toBe(Infinity);
    },
  );
  test('a panel is seen from both sides and never from its edge', () => {
    const p = panel(4, { east: 0, north: 5, up: 2, width: 2, height: 1, facingDeg: 180 }, plain);
    expect(p.hit(0, 2, 0, 0, 0, -1)).toBeCloseTo(5, 9);
    expect(p.hit(0, 2, -10, 0, 0, 1)).toBeCloseTo(5, 9);
    expect(p.hit(1.1, 2, 0, 0, 0, -1)).toBe(Infinity);
    expect(p.hit(0, 2.6, 0, 0, 0, -1)).toBe(Infinity);
    expect(p.hit(-5, 2, -5, 1, 0, 0)).toBe(Infinity);
  });
});

describe('noise', () => {
  test('stays in its range, is continuous, and the same everywhere', () => {
    for (let k = 0; k < 500; k++) {
      const [x, y] = [k * 0.713 - 100, k * 1.37 - 300];
      const v = valueNoise(x, y, 9);
      expect(v).toBeGreaterThanOrEqual(0);
      expect(v).toBeLessThan(1);
      expect(Math.abs(valueNoise(x + 1e-4, y, 9) - v)).toBeLessThan(1e-3);
    }
    expect(valueNoise(3.2, 4.5, 1)).not.toBe(valueNoise(3.2, 4.5, 2));
  });
  test('patterns finer than the footprint are gone, coarse ones whole', () => {
    expect(bandLimit(1, 2)).toBe(0);
    expect(bandLimit(10, 1)).toBe(1);
    expect(bandLimit(2.5, 1)).toBeGreaterThan(0);
    expect(bandLimit(2.5, 1)).toBeLessThan(1);
  });
});

describe('instruments', () => {
  const quiet = { bias: 0, sigma: 0 };
  test('a compass points to magnetic north and wraps', () => {
    const r = createRandom(1);
    expect(compassReading(10, 1.2, quiet, r)).toBeCloseTo(8.8, 9);
    expect(compassReading(0.5, 1.2, quiet, r)).toBeCloseTo(359.3, 9);
    expect(compassReading(358, 1.2, { bias: 4, sigma: 0 }, r)).toBeCloseTo(0.8, 9);
  });
  test('noise is as wide as stated, displays show whole steps', () => {
    const r = createRandom(2, 'tape');
    const readings = Array.from({ length: 4000 }, () => plainReading(3.2, { bias: 0.02, sigma: 0.05 }, r, 0.001));
    const mean = readings.reduce((a, b) => a + b, 0) / 4000;
    expect(Math.abs(mean - 3.22)).toBeLessThan(0.004);
    expect(Math.sqrt(readings.reduce((a, b) => a + (b - mean) ** 2, 0) / 4000)).toBeCloseTo(0.05, 2);
    expect(plainReading(3.21449, quiet, r, 0.01)).toBe(3.21);
    expect(lightMeterReading(12345, quiet, r)).toBe(12300);
    expect(lightMeterReading(0.5, { bias: -2, sigma: 0 }, r)).toBe(0);
  });
  test('the sun adds its light by the cosine, and nothing from behind', () => {
    const sun = { direction: [0, 1, 0] as const, radius: 0.00465, radiance: [1e9, 1e9, 1e9] as const };
    const straight = planeIlluminance([0, 0, 0], sun, [0, 1, 0]);
    expect(straight / (1e9 * Math.PI * 0.00465 ** 2)).toBeCloseTo(1, 4);
    expect(planeIlluminance([0, 0, 0], sun, [Math.sin(1), Math.cos(1), 0]) / straight).toBeCloseTo(Math.cos(1), 9);
    expect(planeIlluminance([5, 5, 5], sun, [0, -1, 0])).toBeCloseTo(5, 9);
  });
});

describe('charts', () => {
  test('the grid has as many lines as stated, straight without distortion, bent with', () => {
    const grid = (distortion: Distortion) =>
      drawLensGrid({
        camera: plateCamera(
          {
            focalLengthMm: 35,
            tStop: 4,
            focusM: null,
            eastM: 0,
            northM: 0,
            heightM: null,
            tiltDeg: null,
            headingDeg: null,
          },
          { gateWidthMm: 30, gateHeightMm: 20, widthPx: 600, heightPx: 400, squeeze: 1, circleOfConfusionMm: 0.025 },
          {
            squeeze: 1,
            transmission: 0.8,
            entrancePupil: [],
            distortion: { focalMm: 35, idealToDistorted: distortion },
          },
        ),
        lines: 12,
        turnDeg: 0,
      });
    const crossings = (codes: Uint8Array, y: number) => {
      const at: number[] = [];
      for (let x = 1; x < 600; x++)
        if (codes[3 * (y * 600 + x)] < 120 && codes[3 * (y * 600 + x - 1)] >= 120) at.push(x);
      return at;
    };
    const straight = grid([0, 0, 0, 0, 0]);
    // Rows between two horizontal lines.
    const [a, b] = [crossings(straight, 220), crossings(straight, 395 - 20)];
    expect(a.length).toBeGreaterThanOrEqual(11);
    expect(a.length).toBeLessThanOrEqual(13);
    a.forEach((x, i) => expect(Math.abs(x - b[i])).toBeLessThanOrEqual(1));
    const bent = grid([-0.3, 0, 0, 0, 0]);
    const [c, e] = [crossings(bent, 220), crossings(bent, 375)];
    expect(Math.abs(c[0] - e[0])).toBeGreaterThan(2);
  });
  test('another second is another face', () => {
    const [a, b] = [drawClock('15:31:04', 320, 180), drawClock('15:31:05', 320, 180)];
    expect(a).toHaveLength(320 * 180 * 3);
    expect(a.some((v, i) => v !== b[i])).toBe(true);
  });
});
