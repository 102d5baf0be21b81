import fc from 'fast-check';
import { CHART, chartPlate, createRandom, daylight, times } from '../src';
import {
  CHART_6X4,
  CHART_COLOURS,
  chartPlane,
  createImage,
  findChart,
  fitHomography,
  inverseHomography,
  mapPoint,
  RELATIVE_REC709,
  sampleCard,
  sampleChart,
  sampleRegion,
  xyzOfSpectrum,
  xyzOfWorking,
  type Corners,
  type Point,
} from '@tawny/core';

const CORNERS: Corners = [[100, 60], [420, 90], [400, 300], [80, 250]]; // prettier-ignore

describe('planes', () => {
  test('a homography meets its four corners and goes back', () => {
    const point = fc.tuple(
      fc.double({ min: -40, max: 40, noNaN: true }),
      fc.double({ min: -40, max: 40, noNaN: true }),
    );
    fc.assert(
      fc.property(fc.array(point, { minLength: 4, maxLength: 4 }), point, (moved, inside) => {
        const corners = CORNERS.map(([x, y], k): Point => [x + moved[k][0], y + moved[k][1]]) as unknown as Corners;
        const h = chartPlane(corners, CHART_6X4);
        ([[0, 0], [6, 0], [6, 4], [0, 4]] as Point[]).forEach((p, k) => {
          expect(mapPoint(h, p)[0]).toBeCloseTo(corners[k][0], 5);
          expect(mapPoint(h, p)[1]).toBeCloseTo(corners[k][1], 5);
        });
        const p: Point = [250 + inside[0], 170 + inside[1]];
        const again = mapPoint(h, mapPoint(inverseHomography(h), p));
        expect(again[0]).toBeCloseTo(p[0], 4);
        expect(again[1]).toBeCloseTo(p[1], 4);
      }),
      { numRuns: 60 },
    ); // prettier-ignore
  });

  test('many points with noise: the fit is better than any one of them', () => {
    const random = createRandom(1, 'homography');
    const h = chartPlane(CORNERS, CHART_6X4);
    const plane = Array.from({ length: 24 }, (_, k): Point => [(k % 6) + 0.5, Math.floor(k / 6) + 0.5]);
    const fit = fitHomography(
      plane,
      plane.map((p): Point => {
        const [x, y] = mapPoint(h, p);
        return [x + 0.5 * random.normal(), y + 0.5 * random.normal()];
      }),
    );
    for (const p of plane) {
      const [[a, b], [c, d]] = [mapPoint(h, p), mapPoint(fit, p)];
      expect(Math.hypot(a - c, b - d)).toBeLessThan(0.9);
    }
  });

  test('three points, or corners on a line or crossed, are none', () => {
    expect(() => fitHomography(CORNERS.slice(0, 3), CORNERS.slice(0, 3))).toThrow(/four pairs/);
    const [a, b, c, d] = CORNERS;
    expect(() => chartPlane([a, c, b, d], CHART_6X4)).toThrow(/clockwise from the first/);
    expect(() => chartPlane([a, b, [740, 120], d], CHART_6X4)).toThrow(/clockwise/);
  });
});

describe('patches', () => {
  /** Cells of a chart, each with a value of its own, on black; a scratch through every one. */
  const chart = () => {
    const image = createImage(520, 360, RELATIVE_REC709);
    const back = inverseHomography(chartPlane(CORNERS, CHART_6X4));
    const random = createRandom(2, 'patches');
    for (let y = 0; y < 360; y++)
      for (let x = 0; x < 520; x++) {
        const [u, v] = mapPoint(back, [x + 0.5, y + 0.5]);
        if (u < 0 || v < 0 || u >= 6 || v >= 4) continue;
        const k = 6 * Math.floor(v) + Math.floor(u);
        const scratch = Math.abs(u - Math.floor(u) - 0.4) < 0.02 ? 3 : 0;
        for (let c = 0; c < 3; c++)
          image.data[3 * (y * 520 + x) + c] = (0.02 * (k + 1) + 0.01 * c) * (1 + 0.02 * random.normal()) + scratch;
      }
    return image;
  };

  test('means of all 24 in perspective, scratches left out, the error as stated', () => {
    const patches = sampleChart(chart(), CORNERS, CHART_6X4);
    patches.forEach((p, k) => {
      p.rgb.forEach((v, c) => {
        const truth = 0.02 * (k + 1) + 0.01 * c;
        expect(Math.abs(v / truth - 1)).toBeLessThan(0.01);
        expect(Math.abs(v - truth)).toBeLessThan(4 * p.sigma[c] + 1e-6);
      });
      expect(p.clippedShare).toBe(0);
    });
  });

  test('what is clipped is counted', () => {
    const clipped = new Uint8Array(520 * 360).fill(1);
    expect(sampleChart(chart(), CORNERS, CHART_6X4, { clipped })[7].clippedShare).toBe(1);
  });

  test('a card is one patch; a region names itself', () => {
    const image = createImage(60, 40, RELATIVE_REC709);
    image.data.fill(0.3);
    const card = sampleCard(image, [[10, 10], [40, 12], [38, 30], [12, 28]]); // prettier-ignore
    expect(card.name).toBe('card');
    expect(card.rgb[1]).toBeCloseTo(0.3, 6);
    expect(() => sampleRegion(image, { name: 'left wall', x: 50, y: 0, width: 20, height: 5 })).toThrow(/left wall/);
    expect(() => sampleCard(image, [[10, 10], [11, 10], [11, 11], [10, 11]])).toThrow(/too small/); // prettier-ignore
    expect(() => sampleCard(image, [[-4, 10], [11, 10], [11, 11], [10, 11]])).toThrow(/corners: one lies outside/); // prettier-ignore
  });
});

describe('finding a chart', () => {
  test('the colours by which it is known are those of the simulated chart under D65', () => {
    const light = daylight(6504);
    CHART.forEach((s, k) => {
      const xyz = xyzOfSpectrum(times(s, light));
      xyzOfWorking(CHART_COLOURS[k], 'rec709').forEach((v, c) => expect(Math.abs(v - xyz[c])).toBeLessThan(0.002));
    });
  });

  test.each([1, 3, 8])('in a cluttered place, plate %i: its corners, and whether it is mirrored', (seed) => {
    const plate = chartPlate({ seed, widthPx: 960, heightPx: 540, chart: true });
    const found = findChart(plate.image)!;
    expect(found.mirrored).toBe(plate.mirrored);
    found.corners.forEach(([x, y], k) =>
      expect(Math.hypot(x - plate.corners![k][0], y - plate.corners![k][1])).toBeLessThan(5),
    );
    const along = [plate.corners![1][0] - plate.corners![0][0], plate.corners![1][1] - plate.corners![0][1]];
    expect(Math.abs(found.turnedDeg - (Math.atan2(along[1], along[0]) * 180) / Math.PI)).toBeLessThan(25);
  });

  test('tiles, posters and an even wall are none', () => {
    for (const seed of [1, 2])
      expect(findChart(chartPlate({ seed, widthPx: 960, heightPx: 540, chart: false }).image)).toBeNull();
    const wall = createImage(320, 200, RELATIVE_REC709);
    wall.data.fill(0.2);
    expect(findChart(wall)).toBeNull();
  });

  test('a chart whose colours are all one is none: a grid alone does not make it', () => {
    const plate = chartPlate({ seed: 1, widthPx: 960, heightPx: 540, chart: true });
    for (let i = 0; i < plate.image.data.length; i += 3) plate.image.data.fill(plate.image.data[i + 1], i, i + 3);
    expect(findChart(plate.image)).toBeNull();
  });
});
