import {
  colourTemperature,
  deltaE2000,
  labOfWorking,
  planckian,
  WAVELENGTHS_NM,
  xyzOfRadiator,
  xyzOfSpectrum,
  type Lab,
} from '../src';

/** The 34 pairs of Sharma, Wu and Dalal (2005), table 1: both colours and their difference. */
const PAIRS: readonly [...Lab, ...Lab, number][] = [
  [50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425],
  [50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615],
  [50, 2.8361, -74.02, 50, 0, -82.7485, 3.4412],
  [50, -1.3802, -84.2814, 50, 0, -82.7485, 1],
  [50, -1.1848, -84.8006, 50, 0, -82.7485, 1],
  [50, -0.9009, -85.5211, 50, 0, -82.7485, 1],
  [50, 0, 0, 50, -1, 2, 2.3669],
  [50, -1, 2, 50, 0, 0, 2.3669],
  [50, 2.49, -0.001, 50, -2.49, 0.0009, 7.1792],
  [50, 2.49, -0.001, 50, -2.49, 0.001, 7.1792],
  [50, 2.49, -0.001, 50, -2.49, 0.0011, 7.2195],
  [50, 2.49, -0.001, 50, -2.49, 0.0012, 7.2195],
  [50, -0.001, 2.49, 50, 0.0009, -2.49, 4.8045],
  [50, -0.001, 2.49, 50, 0.001, -2.49, 4.8045],
  [50, -0.001, 2.49, 50, 0.0011, -2.49, 4.7461],
  [50, 2.5, 0, 50, 0, -2.5, 4.3065],
  [50, 2.5, 0, 73, 25, -18, 27.1492],
  [50, 2.5, 0, 61, -5, 29, 22.8977],
  [50, 2.5, 0, 56, -27, -3, 31.903],
  [50, 2.5, 0, 58, 24, 15, 19.4535],
  [50, 2.5, 0, 50, 3.1736, 0.5854, 1],
  [50, 2.5, 0, 50, 3.2972, 0, 1],
  [50, 2.5, 0, 50, 1.8634, 0.5757, 1],
  [50, 2.5, 0, 50, 3.2592, 0.335, 1],
  [60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644],
  [63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.263],
  [61.2901, 3.7196, -5.3901, 61.4292, 2.248, -4.962, 1.8731],
  [35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645],
  [22.7233, 20.0904, -46.694, 23.0331, 14.973, -42.5619, 2.0373],
  [36.4612, 47.858, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146],
  [90.8027, -2.0831, 1.441, 91.1528, -1.6435, 0.0447, 1.4441],
  [90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381],
  [6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377],
  [2.0776, 0.0795, -1.135, 0.9033, -0.0636, -0.5514, 0.9082],
];

/** Reciprocal megakelvin and CIE 1960 u, v of full radiators (Robertson 1968, table 1). */
const RADIATORS = [
  [100, 0.19032, 0.29326],
  [125, 0.19462, 0.30141],
  [150, 0.19962, 0.30921],
  [175, 0.20525, 0.31647],
  [200, 0.21142, 0.32312],
  [250, 0.22511, 0.33439],
  [300, 0.2401, 0.34308],
  [350, 0.25591, 0.34951],
  [400, 0.27218, 0.35407],
  [450, 0.28863, 0.35714],
  [500, 0.30505, 0.35907],
  [600, 0.33724, 0.36051],
] as const;

const ofXy = (x: number, y: number): [number, number, number] => [x / y, 1, (1 - x - y) / y];
const ofUv = (u: number, v: number) => ofXy((3 * u) / (2 * u - 8 * v + 4), (2 * v) / (2 * u - 8 * v + 4));

describe('colour difference', () => {
  test.each(PAIRS)('the published pair %f %f %f, %f %f %f', (l1, a1, b1, l2, a2, b2, expected) => {
    expect(deltaE2000([l1, a1, b1], [l2, a2, b2])).toBeCloseTo(expected, 4);
    expect(deltaE2000([l2, a2, b2], [l1, a1, b1])).toBeCloseTo(expected, 4);
  });

  test('the white of a working space is L* 100 without colour, mid grey 49.5', () => {
    for (const space of ['rec709', 'acescg'] as const) {
      const white = labOfWorking([1, 1, 1], space);
      expect(white[0]).toBeCloseTo(100, 6);
      expect(Math.hypot(white[1], white[2])).toBeLessThan(1e-6);
      expect(labOfWorking([0.18, 0.18, 0.18], space)[0]).toBeCloseTo(49.496, 3);
    }
  });
});

describe('colour temperature', () => {
  test('the observer sees an equal-energy spectrum as neutral', () => {
    const [x, y, z] = xyzOfSpectrum(WAVELENGTHS_NM.map(() => 1));
    expect(x / y).toBeCloseTo(1, 3);
    expect(z / y).toBeCloseTo(1, 3);
  });

  test.each(RADIATORS)('the published radiator of %i mired', (mired, u, v) => {
    const found = colourTemperature(ofUv(u, v))!;
    // Five printed digits of u and v.
    expect(Math.abs(1e6 / found.cct - mired)).toBeLessThan(0.1);
    expect(Math.abs(found.duv)).toBeLessThan(3e-5);
  });

  test.each([
    ['illuminant A', 0.44757, 0.40745, 2856, 0],
    ['D65', 0.31272, 0.32903, 6504, 0.0032],
    ['D50', 0.34567, 0.3585, 5003, 0.0032],
    ['equal energy', 1 / 3, 1 / 3, 5455, -0.0044],
  ])('%s as CIE 15 tells it', (_, x, y, cct, duv) => {
    const found = colourTemperature(ofXy(x, y))!;
    expect(Math.abs(found.cct - cct)).toBeLessThan(4);
    expect(Math.abs(found.duv - duv)).toBeLessThan(1e-4);
  });

  test('radiators come back at every temperature', () => {
    for (const kelvin of [1200, 2000, 2856, 4100, 6500, 9300, 20000]) {
      const found = colourTemperature(xyzOfRadiator(kelvin))!;
      expect(Math.abs(found.cct / kelvin - 1)).toBeLessThan(1e-5);
      expect(Math.abs(found.duv)).toBeLessThan(1e-6);
      // Spectra of ten nanometres tell it to a mired.
      expect(Math.abs(1e6 / colourTemperature(xyzOfSpectrum(planckian(kelvin)))!.cct - 1e6 / kelvin)).toBeLessThan(1);
    }
  });

  test('green, black and magenta far from the locus have none', () => {
    expect(colourTemperature(ofXy(0.3, 0.6))).toBeNull();
    expect(colourTemperature([0, 0, 0])).toBeNull();
    expect(colourTemperature([NaN, 1, 1])).toBeNull();
    expect(colourTemperature(ofXy(0.4, 0.15))).toBeNull();
  });
});
