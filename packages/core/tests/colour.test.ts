import fc from 'fast-check';
import {
  applyMatrix,
  cameraToWorkingSpace,
  createImage,
  inSpace,
  inverseMatrix,
  luminance,
  RELATIVE_REC709,
  rgbToXyz,
  STATED_PRIMARIES,
  statedPrimariesOf,
  toWorkingSpace,
  WORKING_SPACES,
  workingSpaceOf,
  type ColourMatrix,
} from '../src';

const REC709 = WORKING_SPACES.rec709.chromaticities;
const AP1 = WORKING_SPACES.acescg.chromaticities;

const near = (m: ColourMatrix, expected: number[], digits: number) =>
  m.forEach((v, i) => expect(v).toBeCloseTo(expected[i], digits));
const times = (m: ColourMatrix, v: [number, number, number]) => {
  const data = Float32Array.from(v);
  applyMatrix(data, m);
  return [...data];
};

describe('primaries', () => {
  it('make the published matrices: Rec. 709 to XYZ (IEC 61966-2-1), ACEScg to Rec. 709 by Bradford', () => {
    const xyz = rgbToXyz(REC709).to1DArray();
    [0.4124, 0.3576, 0.1805, 0.2126, 0.7152, 0.0722, 0.0193, 0.1192, 0.9505].forEach((v, i) =>
      expect(xyz[i]).toBeCloseTo(v, 3),
    );
    near(
      toWorkingSpace(AP1, 'rec709'),
      [1.70505, -0.62179, -0.08326, -0.13026, 1.1408, -0.01055, -0.024, -0.12897, 1.15297],
      3,
    );
  });

  it('keep white, grey and the luminance of grey, and come back', () => {
    for (const [from, to] of [
      [REC709, 'acescg'],
      [AP1, 'rec709'],
    ] as const) {
      times(toWorkingSpace(from, to), [0.18, 0.18, 0.18]).forEach((v) => expect(v).toBeCloseTo(0.18, 5));
    }
    const there = toWorkingSpace(REC709, 'acescg');
    const back = toWorkingSpace(AP1, 'rec709');
    const value = fc.float({ min: 0, max: 100, noNaN: true });
    fc.assert(
      fc.property(value, value, value, (r, g, b) => {
        const again = times(back, times(there, [r, g, b]) as [number, number, number]);
        [r, g, b].forEach((v, i) => expect(Math.abs(again[i] - v)).toBeLessThan(1e-4 * (1 + v)));
      }),
    );
  });

  it('are recognised to the rounding of files, and refused when they span nothing', () => {
    expect(workingSpaceOf(AP1.map((v) => Math.fround(v)))).toBe('acescg');
    expect(statedPrimariesOf([0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329])).toBe('rec2020');
    expect(statedPrimariesOf(STATED_PRIMARIES.p3d65.map((v) => v + 1e-4))).toBe('p3d65');
    expect(statedPrimariesOf(WORKING_SPACES.rec709.chromaticities)).toBeNull();
    expect(workingSpaceOf([0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329])).toBeNull();
    expect(() => rgbToXyz([0.3, 0.3, 0.4, 0.4, 0.5, 0.5, 0.3127, 0.329])).toThrow(/on a line/);
    expect(() => rgbToXyz([0.3])).toThrow(/eight numbers/);
  });
});

describe('pictures', () => {
  it('say their space, and conversion keeps size, unit and what a grey card reads', () => {
    const image = { ...createImage(4, 2, { space: 'rec709', unit: 'plate' }) };
    image.data.fill(0.18);
    const aces = inSpace(image, 'acescg');
    expect(aces).toMatchObject({ width: 4, height: 2, space: 'acescg', unit: 'plate' });
    expect(luminance(aces.data[0], aces.data[1], aces.data[2], 'acescg')).toBeCloseTo(0.18, 5);
    expect(inSpace(image, 'rec709')).toBe(image);
    expect(createImage(2, 1, RELATIVE_REC709)).toMatchObject({ space: 'rec709', unit: 'relative' });
  });

  it('a red of Rec. 709 has more luminance than the weights of another space would say', () => {
    expect(luminance(1, 0, 0, 'rec709')).toBe(0.2126);
    expect(luminance(1, 0, 0, 'acescg')).toBe(0.2722);
  });
});

describe('a camera matrix', () => {
  const MATRIX = [0.91, -0.28, -0.09, -0.41, 1.22, 0.21, -0.06, 0.17, 0.63];

  it("keeps a daylight neutral at its green channel's value, and undoes what the sensor did", () => {
    const toRgb = cameraToWorkingSpace(MATRIX, 'rec709');
    const sensor = inverseMatrix(toRgb);
    const neutral = times(sensor, [0.5, 0.5, 0.5]);
    expect(neutral[1]).toBeCloseTo(0.5, 6);
    expect(neutral[0]).not.toBeCloseTo(0.5, 1);
    times(toRgb, times(sensor, [0.9, 0.2, 0.05]) as [number, number, number]).forEach((v, i) =>
      expect(v).toBeCloseTo([0.9, 0.2, 0.05][i], 5),
    );
  });

  it('reaches ACEScg through Rec. 709, and a matrix that cannot be turned round is refused', () => {
    const direct = cameraToWorkingSpace(MATRIX, 'acescg');
    const inTwo = times(
      toWorkingSpace(REC709, 'acescg'),
      times(cameraToWorkingSpace(MATRIX, 'rec709'), [0.3, 0.6, 0.2]) as [number, number, number],
    );
    times(direct, [0.3, 0.6, 0.2]).forEach((v, i) => expect(v).toBeCloseTo(inTwo[i], 5));
    expect(() => cameraToWorkingSpace([1, 2, 3, 2, 4, 6, 1, 1, 1], 'rec709')).toThrow(/turned round/);
    expect(() => cameraToWorkingSpace([1], 'rec709')).toThrow(/nine numbers/);
  });
});
