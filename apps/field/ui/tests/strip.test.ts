import { halfToNumber, parseFloatPicture, typicalLuminance, valueAt } from '../panorama/floatPicture';
import { colourOfStop, cssOfStop, SCALE_STOPS } from '../panorama/falseColour';
import { anglesAt, pointOf, tame, tilesInView } from '../panorama/stripView';
import { ladderGaps, rungExtent, shutterText } from '../../features/round/ladderMath';

const view = { azimuthDeg: 350, elevationDeg: 10, spanDeg: 90 };

test('a point of the strip and its direction are inverse, across north', () => {
  for (const [x, y] of [
    [0, 0],
    [120, 40],
    [399, 199],
  ]) {
    const a = anglesAt(view, x, y, 400, 200);
    const p = pointOf(view, a.azimuthDeg, a.elevationDeg, 400, 200);
    expect(p.x).toBeCloseTo(x, 6);
    expect(p.y).toBeCloseTo(y, 6);
  }
  expect(anglesAt(view, 400, 100, 400, 200).azimuthDeg).toBeCloseTo(35, 9);
});

test('the strip stays inside the picture', () => {
  expect(tame({ azimuthDeg: -30, elevationDeg: 200, spanDeg: 900 }, 360, 90)).toEqual({
    azimuthDeg: 330,
    elevationDeg: 45,
    spanDeg: 360,
  });
  expect(tame({ azimuthDeg: 0, elevationDeg: 0, spanDeg: 1 }, 360, 90).spanDeg).toBe(12);
});

test('halves', () => {
  expect(halfToNumber(0x3c00)).toBe(1);
  expect(halfToNumber(0x7800)).toBe(32768);
  expect(halfToNumber(0x0001)).toBeCloseTo(2 ** -24, 12);
  expect(halfToNumber(0xc000)).toBe(-2);
});

test('a float picture is read with its scale; a short one is refused', () => {
  const bytes = new ArrayBuffer(16 + 2 * 32 * 16 * 3);
  const head = new DataView(bytes);
  head.setUint32(0, 0x464e5754, true);
  head.setUint32(4, 32, true);
  head.setUint32(8, 16, true);
  head.setFloat32(12, 0.5, true);
  new Uint16Array(bytes, 16).fill(0x3c00);
  const picture = parseFloatPicture(bytes);
  expect(valueAt(picture, 3, 3)).toEqual([2, 2, 2]);
  expect(typicalLuminance(picture, 'rec709')).toBeCloseTo(2, 9);
  expect(() => parseFloatPicture(bytes.slice(0, 100))).toThrow(/incomplete/);
  expect(() => parseFloatPicture(new ArrayBuffer(4))).toThrow(/cannot be read/);
});

test('the ladder names light that no frame holds', () => {
  const rungs = [rungExtent(10, 8), rungExtent(16, 8)];
  const light = (stop: number) => ({ stop, sr: 0.1 });
  expect(ladderGaps(rungs, [5, 9, 15].map(light))).toEqual([]);
  expect(ladderGaps(rungs, [light(1), light(12), { stop: 20, sr: 1e-9 }])).toEqual([{ from: 1, to: 12, dark: true }]);
  // Of the shadows a twentieth may lie under the longest frame, as in a view that holds; a lamp as small as a quarter of the sun may not lie over the shortest.
  expect(ladderGaps(rungs, [{ stop: 1, sr: 0.005 }, light(9)])).toEqual([]);
  expect(ladderGaps(rungs, [{ stop: 1, sr: 0.02 }, light(9)])).toEqual([{ from: 1, to: 9, dark: true }]);
  expect(ladderGaps(rungs, [light(9), { stop: 20, sr: 1e-4 }])).toMatchObject([{ from: 20, dark: false }]);
  expect(shutterText(1 / 256)).toBe('1/256');
  expect(shutterText(4)).toBe('4s');
});

describe('the flat look-around', () => {
  const flat = { azimuthDeg: 200, elevationDeg: 30, spanDeg: 70, flat: true };
  test('a point and its direction are inverse, also near the zenith', () => {
    for (const look of [flat, { ...flat, elevationDeg: 80 }, { ...flat, azimuthDeg: 2 }]) {
      for (const [x, y] of [
        [10, 10],
        [200, 100],
        [390, 190],
      ]) {
        const a = anglesAt(look, x, y, 400, 200);
        const p = pointOf(look, a.azimuthDeg, a.elevationDeg, 400, 200);
        expect(p.x).toBeCloseTo(x, 4);
        expect(p.y).toBeCloseTo(y, 4);
      }
    }
  });
  test('the middle is where it looks, the span is what it spans, behind is far outside', () => {
    const middle = anglesAt(flat, 200, 100, 400, 200);
    expect(middle.azimuthDeg).toBeCloseTo(200, 9);
    expect(middle.elevationDeg).toBeCloseTo(30, 9);
    const level = { ...flat, elevationDeg: 0 };
    expect(anglesAt(level, 400, 100, 400, 200).azimuthDeg - anglesAt(level, 0, 100, 400, 200).azimuthDeg).toBeCloseTo(
      70,
      6,
    );
    expect(pointOf(flat, 20, -30, 400, 200).x).toBeLessThan(-1000);
  });
  test('it never tips over, and does not widen into a smear', () => {
    expect(tame({ ...flat, elevationDeg: 120, spanDeg: 300 }, 400, 200)).toMatchObject({
      elevationDeg: 89,
      spanDeg: 110,
      flat: true,
    });
  });
});

test('tiles in view: those that the strip crosses, across the seam too', () => {
  const tiles = tilesInView({ azimuthDeg: 0, elevationDeg: 0, spanDeg: 30 }, 0, 400, 100, 8, 8)
    .map((t) => `${t.column},${t.row}`)
    .sort();
  expect(tiles).toEqual(['0,3', '0,4', '7,3', '7,4']);
  expect(
    tilesInView({ azimuthDeg: 90, elevationDeg: 0, spanDeg: 10 }, 90, 400, 100, 8, 8)
      .map((t) => t.column)
      .sort(),
  ).toEqual([0, 0, 7, 7]);
});

test('false colour: neutral in the middle, tide below, tawny above, ever the same beyond its ends', () => {
  const [r, g, b] = colourOfStop(0);
  expect(Math.max(r, g, b) - Math.min(r, g, b)).toBeLessThan(0.05);
  const low = colourOfStop(-SCALE_STOPS);
  const high = colourOfStop(SCALE_STOPS);
  expect(low[2]).toBeGreaterThan(low[0]);
  expect(high[0]).toBeGreaterThan(high[2]);
  expect(colourOfStop(-40)).toEqual(low);
  expect(cssOfStop(0)).toMatch(/^rgb\(\d+,\d+,\d+\)$/);
});
