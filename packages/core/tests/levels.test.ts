import fc from 'fast-check';
import { LEVEL_BINS, LEVELS, levelsOf } from '../src';
import { colourWords, shortValue } from '../src/text/lightValue';

const binOf = (stops: number) => Math.floor((stops - LEVELS.lowStops) * LEVELS.binsPerStop);

describe('levels of a picture', () => {
  test('an even picture stands in one bin, a black one at the dark end, nothing nowhere', () => {
    const even = levelsOf(new Float64Array(40).fill(0.18 * 2 ** 1.5), 8);
    expect(even.histogram[binOf(1.5)]).toBe(1);
    for (const v of [even.blackStops, even.middleStops, even.highlightStops]) expect(v).toBeCloseTo(1.5, 9);
    const black = levelsOf([0, -1, NaN, 0], 2);
    expect(black.histogram[0]).toBe(1);
    expect(black.middleStops).toBe(LEVELS.lowStops);
    expect(() => levelsOf([NaN, NaN], 2)).toThrow(/shows nothing/);
    expect(() => levelsOf([1, 1, 1], 2)).toThrow(/no whole rows of 2/);
  });

  test('every column of the waveform adds up to one, and all columns together are the histogram', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 6 }), fc.integer({ min: 1, max: 9 }), fc.infiniteStream(fc.double({ min: -12, max: 9, noNaN: true })), (columns, rows, stream) => {
        const values = Array.from({ length: columns * rows }, () => 0.18 * 2 ** (stream.next().value as number));
        const { waveform, histogram } = levelsOf(values, columns);
        for (let k = 0; k < LEVEL_BINS; k++) {
          let sum = 0;
          for (let x = 0; x < columns; x++) sum += waveform[x * LEVEL_BINS + k] / columns;
          expect(sum).toBeCloseTo(histogram[k], 9);
        }
        for (let x = 0; x < columns; x++)
          expect(waveform.subarray(x * LEVEL_BINS, (x + 1) * LEVEL_BINS).reduce((s, v) => s + v, 0)).toBeCloseTo(1, 9);
      }),
      { numRuns: 30 },
    ); // prettier-ignore
  });

  test('a step stands on the left and on the right of the waveform; a gain shifts all by its stops', () => {
    const step = Float64Array.from({ length: 60 }, (_, i) => (i % 6 < 3 ? 0.045 : 0.72));
    const { waveform, blackStops, highlightStops } = levelsOf(step, 6);
    expect(waveform[binOf(-2)]).toBe(1);
    expect(waveform[5 * LEVEL_BINS + binOf(2)]).toBe(1);
    expect([blackStops, highlightStops]).toEqual([expect.closeTo(-2, 9), expect.closeTo(2, 9)]);
    const brighter = levelsOf(step.map((v) => 2 * v), 6); // prettier-ignore
    expect(brighter.middleStops - levelsOf(step, 6).middleStops).toBeCloseTo(1, 9);
  });
});

describe('a value in words', () => {
  test('channels, and stops from mid grey where the unit has one', () => {
    expect(shortValue([0.18, 0.18, 0.18], 'rec709', true)).toBe('0.18 0.18 0.18 · +0.00 stop');
    expect(shortValue([0.045, 0.045, 0.045], 'acescg', true)).toBe('0.045 0.045 0.045 · −2.00 stop');
    expect(shortValue([1234.5, 3, 0], 'rec709', false)).toBe('1230 3 0');
    expect(shortValue([0, 0, 0], 'rec709', true)).toBe('0 0 0');
  });

  test('colour temperature and distance from the locus of neutral light; none of a saturated colour', () => {
    // D65, and the white of ACEScg, which is near D60.
    expect(colourWords([1, 1, 1], 'rec709')).toMatch(/^xy 0\.313 0\.329, 65[01]0 K, Duv \+0\.003$/);
    expect(colourWords([5, 5, 5], 'acescg')).toMatch(/^xy 0\.322 0\.338, (59|60)\d0 K, Duv \+0\.003$/);
    expect(colourWords([1, 0.7, 0.4], 'rec709')).toMatch(/, [34]\d{3} K, Duv/);
    expect(colourWords([0, 1, 0], 'rec709')).toMatch(/far from white$/);
    expect(colourWords([0, 0, 0], 'rec709')).toBe('no colour');
  });
});
