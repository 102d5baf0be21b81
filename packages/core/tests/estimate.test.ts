import fc from 'fast-check';
import {
  adopt,
  adoptScalar,
  agrees,
  chiSquareLimit,
  explain,
  gaussNewton,
  median,
  NormalEquations,
  quantile,
  robustLocation,
  spreadOfResiduals,
  tukeyWeight,
  weakest,
  type Source,
} from '../src';
import { random } from './support/random';

describe('robust location and spread', () => {
  it('is a value of the list, whatever its order, and NaN of nothing', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ noNaN: true, noDefaultInfinity: true }), { minLength: 1 }), (list) => {
        const m = median(list);
        expect(list).toContain(m);
        expect(median([...list].reverse())).toBe(m);
        expect(list.filter((v) => v < m).length).toBeLessThanOrEqual(list.length / 2);
      }),
    );
    expect(median([])).toBeNaN();
    expect(quantile([3, 1, 2, 4], 0.7)).toBe(3);
  });

  it('picks of many what sorting them finds, whatever stands twice; what is no number comes last', () => {
    const { next } = random(9);
    for (const n of [49, 50, 51, 700, 20000])
      for (const values of [Array.from({ length: n }, next), Array.from({ length: n }, () => Math.floor(5 * next()))])
        for (const share of [0, 0.03, 0.5, 0.68, 0.95, 1]) {
          const sorted = [...values].sort((a, b) => a - b);
          expect(quantile(values, share)).toBe(sorted[Math.min(n - 1, Math.floor(share * n))]);
        }
    const holed = Array.from({ length: 400 }, (_, i) => (i % 4 === 0 ? NaN : 400 - i));
    expect(quantile(holed, 0)).toBe(1);
    expect(quantile(holed, 0.9)).toBeNaN();
  });

  it('tells the sigma of clean normal values within 3 %, and hardly moves with a tenth of outliers', () => {
    const { normal } = random(5);
    const clean = Array.from({ length: 20000 }, () => 7 + 2 * normal());
    const spoilt = clean.map((v, i) => (i % 10 === 0 ? v + 500 : v));
    expect(robustLocation(clean).spread / 2).toBeCloseTo(1, 1);
    expect(robustLocation(spoilt).value).toBeCloseTo(7, 0);
    expect(spreadOfResiduals(clean.map((v) => Math.abs(v - 7))) / 2).toBeCloseTo(1, 1);
    expect(tukeyWeight(0)).toBe(1);
    expect(tukeyWeight(1)).toBe(0);
    expect(tukeyWeight(-0.5)).toBe(tukeyWeight(0.5));
  });
});

describe('normal equations', () => {
  it('fits a line as the textbook does, with its covariance', () => {
    // y = 1 + 2 x with known residuals; slope variance is 1 / sum (x - mean)^2 for unit weights.
    const xs = [0, 1, 2, 3];
    const ys = [1.1, 2.9, 5.1, 6.9];
    const line = [0, 0];
    const solved = gaussNewton({
      size: 2,
      passes: 3,
      fill: (n) => {
        xs.forEach((x, i) => n.add([0, 1], [1, x], line[0] + line[1] * x - ys[i], 1));
        return true;
      },
      move: (step) => {
        step.forEach((d, i) => (line[i] += d));
        return step.every((d) => Math.abs(d) < 1e-9);
      },
    })!;
    expect(line[1]).toBeCloseTo(1.96, 10);
    expect(line[0]).toBeCloseTo(1.06, 10);
    expect(solved.covariance()[3]).toBeCloseTo(1 / 5, 10);
  });

  it('says so when something is undetermined, and a prior mends it', () => {
    const open = new NormalEquations(2);
    open.add([0, 1], [1, 1], -3, 1);
    expect(() => open.solve()).toThrow(/do not determine/);
    const held = new NormalEquations(2);
    held.add([0, 1], [1, 1], -3, 1);
    held.prior(0, 0, 0.001);
    held.prior(1, 0, 100);
    expect(held.solve().step[1]).toBeCloseTo(3, 3);
  });
});

describe('sources and what was adopted', () => {
  it('weighs two that agree by their variance, and never averages two that differ in silence', () => {
    const near = adoptScalar([
      { name: 'card', value: 1, uncertainty: 0.1 },
      { name: 'meter', value: 1.1, uncertainty: 0.2 },
    ]);
    expect(near.value).toBeCloseTo(1.02, 6);
    expect(near.verdict).toBe('agrees');
    expect(near.sources.map((s) => s.weight)).toEqual([expect.closeTo(0.8, 6), expect.closeTo(0.2, 6)]);
    const far = adoptScalar([
      { name: 'card', value: 0, uncertainty: 0.1 },
      { name: 'meter', value: 2, uncertainty: 0.1 },
    ]);
    expect(far.verdict).toBe('disagrees');
    expect(far.uncertainty).toBeGreaterThan(1);
    expect(far.sources.some((s) => s.outlier)).toBe(false);
    expect(adoptScalar([{ name: 'card', value: 3, uncertainty: 0.1 }]).verdict).toBe('cannotTell');
  });

  it('names the outlier of three, keeps the interval of the others, and shows by how much it is off', () => {
    const judged = adoptScalar([
      { name: 'card', value: 0, uncertainty: 0.1 },
      { name: 'meter', value: 0.05, uncertainty: 0.1 },
      { name: 'metadata', value: 1, uncertainty: 0.1 },
    ]);
    expect(judged.sources.filter((s) => s.outlier).map((s) => s.name)).toEqual(['metadata']);
    expect(judged.verdict).toBe('agrees');
    expect(judged.value).toBeCloseTo(0.025, 6);
    expect(judged.sources[2].residual).toBeCloseTo(0.975, 6);
    expect(judged.sources.reduce((sum, s) => sum + s.weight, 0)).toBeCloseTo(1, 9);
  });

  it('joins sources that see parts of two unknowns, and refuses what is left open', () => {
    const part = (name: string, row: number[], value: number): Source => ({
      name,
      sees: [row],
      value: [value],
      covariance: [[0.01]],
    });
    const joined = adopt([part('a', [1, 0], 1), part('sum', [1, 1], 3)]);
    expect(joined.value).toEqual([expect.closeTo(1, 9), expect.closeTo(2, 9)]);
    expect(joined.covariance[1][1]).toBeCloseTo(0.02, 9);
    expect(() => adopt([part('a', [1, 0], 1)])).toThrow(/do not determine/);
    expect(() => adopt([])).toThrow(/no source/);
  });

  it('knows the published chi-square limits within 1 %', () => {
    for (const [freedom, limit] of [
      [1, 6.635],
      [2, 9.21],
      [5, 15.086],
      [20, 37.566],
    ]) {
      expect(chiSquareLimit(freedom, 0.99) / limit).toBeCloseTo(1, 1);
      expect(Math.abs(chiSquareLimit(freedom, 0.99) / limit - 1)).toBeLessThan(0.012);
    }
    expect(agrees(0.14, 0.1, 0.1)).toBe(true);
    expect(agrees(-0.15, 0.1, 0.1)).toBe(false);
  });
});

describe('explanations', () => {
  it('names one only when the others are clearly worse, and none when all fail', () => {
    expect(
      explain(
        [
          { name: 'hour', chi2: 1, parameters: 0 },
          { name: 'right', chi2: 40, parameters: 0 },
        ],
        1,
      ).name,
    ).toBe('hour');
    expect(
      explain(
        [
          { name: 'hour', chi2: 1, parameters: 0 },
          { name: 'level', chi2: 0.5, parameters: 0 },
        ],
        1,
      ).name,
    ).toBe('cannotTell');
    expect(
      explain(
        [
          { name: 'hour', chi2: 50, parameters: 0 },
          { name: 'right', chi2: 90, parameters: 0 },
        ],
        1,
      ).name,
    ).toBe('cannotTell');
  });

  it('makes a fitted parameter earn its keep', () => {
    const { probabilities } = explain(
      [
        { name: 'plain', chi2: 10, parameters: 0 },
        { name: 'fitted', chi2: 9.5, parameters: 3 },
      ],
      10,
    );
    expect(probabilities.plain).toBeGreaterThan(0.9);
    expect(probabilities.plain + probabilities.fitted).toBeCloseTo(1, 9);
  });
});

it('calls a result by the weakest fact that it rests on', () => {
  expect(weakest(['measured', 'fromFile', 'logged'])).toBe('fromFile');
  expect(weakest(['measured', 'assumed', 'logged'])).toBe('assumed');
  expect(weakest([])).toBe('measured');
});
