import {
  decodingTable,
  mergeBracket,
  quantisationVariance,
  ratiosByCurve,
  solveExposureFactors,
  decodeUncertainty,
  type BracketFrame,
} from '../src';
import { random as seeded } from './support/random';

const WELL = 30000;
const READ = 4;

/** By which share a merge departs from what it should be where there is light. */
function furthest(merged: Float32Array, truth: readonly number[]): number {
  const shares = truth.flatMap((v, i) => (v > 0 ? [Math.abs(merged[i] / v - 1)] : []));
  expect(shares.length).toBeGreaterThan(0);
  return shares.reduce((a, b) => Math.max(a, b));
}

/** The merge as its docstring states it, sample by sample in double precision. */
function byHand(
  frames: readonly BracketFrame[],
  tables: readonly Float32Array[],
  saturation: number,
): { value: number[]; weight: number[] } {
  const sorted = [...frames].sort((a, b) => b.exposure - a.exposure);
  const wide = sorted[0].codes instanceof Uint16Array;
  const roundings = tables.map(quantisationVariance);
  const value: number[] = [];
  const weight: number[] = [];
  for (let i = 0; i < sorted[0].codes.length; i++) {
    const table = wide ? tables[0] : tables[i % 3];
    const rounding = roundings[wide ? 0 : i % 3];
    const held = sorted.filter((f) => table[f.codes[i]] < saturation);
    if (held.length === 0) {
      const last = sorted[sorted.length - 1];
      value.push(table[last.codes[i]] / last.exposure);
      weight.push(0);
      continue;
    }
    const first = table[held[0].codes[i]] / held[0].exposure;
    let [w, p] = [0, 0];
    for (const f of held) {
      const v = table[f.codes[i]];
      const q =
        (f.exposure * f.exposure) /
        ((wide ? first * f.exposure : v) / WELL + (READ / WELL) ** 2 + rounding[f.codes[i]]);
      w += q;
      p += (q * v) / f.exposure;
    }
    value.push(p / w);
    weight.push(w);
  }
  return { value, weight };
}

const SIZE = { width: 41, height: 29 };
const samples = SIZE.width * SIZE.height * 3;

function frames(count: number, most: number, gamma: number, seed: number): BracketFrame[] {
  const { next } = seeded(seed);
  const scene = Float64Array.from({ length: samples }, () => 2 ** (-11 + 13 * next()));
  return Array.from({ length: count }, (_, k) => {
    const exposure = 4 ** ((count - 1) / 2 - k);
    const codes = most === 255 ? new Uint8Array(samples) : new Uint16Array(samples);
    scene.forEach(
      (v, i) =>
        (codes[i] = Math.round(most * Math.min(1, Math.max(0, v * exposure + 0.004 * (next() - 0.5))) ** gamma)),
    );
    return { codes, exposure };
  });
}

/** Frames in any order are the same bracket. */
const shuffled = (list: BracketFrame[]) =>
  list
    .map((f, i) => ({ f, key: (i * 7919) % 13 }))
    .sort((a, b) => a.key - b.key)
    .map(({ f }) => f);

describe('the merge is what it says it is', () => {
  test.each([[1], [3], [7], [8], [9], [17]])('8 bits, %i frames: the weighted mean of what is not clipped', (count) => {
    const bracket = frames(count, 255, 1 / 2.2, count);
    const table = decodingTable('srgb', 255);
    const uncertainty = new Uint8Array(SIZE.width * SIZE.height);
    const merged = mergeBracket(shuffled(bracket), {
      ...SIZE,
      curve: 'srgb',
      into: { pixels: new Float32Array(samples), clipped: new Uint8Array(SIZE.width * SIZE.height), uncertainty },
    });
    const truth = byHand(bracket, [table, table, table], table[250]);
    expect(furthest(merged.image.data, truth.value)).toBeLessThan(5e-5);
    const cutOff = Array.from(merged.clipped, (_, p) => ([0, 1, 2].some((c) => truth.weight[3 * p + c] === 0) ? 1 : 0));
    expect(Array.from(merged.clipped)).toEqual(cutOff);
    for (let p = 0; p < uncertainty.length; p += 5) {
      // One byte holds it in steps of 4.4 %.
      if (!cutOff[p] && truth.value[3 * p + 1] > 0)
        expect(
          Math.abs(
            Math.log(decodeUncertainty(uncertainty[p]) * Math.sqrt(truth.weight[3 * p + 1]) * truth.value[3 * p + 1]),
          ),
        ).toBeLessThan(0.03);
    }
  });

  test('8 bits, a curve of its own for every channel', () => {
    const bracket = frames(5, 255, 1 / 2.2, 4);
    const tables = [1.9, 2.2, 2.5].map((g) => Float32Array.from({ length: 256 }, (_, c) => (c / 255) ** g)) as [
      Float32Array,
      Float32Array,
      Float32Array,
    ];
    const merged = mergeBracket(bracket, { ...SIZE, curve: 'srgb', tables });
    const truth = byHand(bracket, tables, Math.min(...tables.map((t) => t[250])));
    expect(furthest(merged.image.data, truth.value)).toBeLessThan(5e-5);
  });

  test.each([
    ['linear', 1],
    ['srgb', 1 / 2.2],
  ] as const)('16 bits, %s: weights follow from the longest frame that holds', (curve, gamma) => {
    const bracket = frames(7, 65535, gamma, 9);
    const merged = mergeBracket(shuffled(bracket), { ...SIZE, curve });
    const truth = byHand(bracket, [decodingTable(curve, 65535)], 0.95);
    expect(furthest(merged.image.data, truth.value)).toBeLessThan(5e-5);
  });
});

describe('exposures from what the curve says', () => {
  test('three samples of a straight curve give back how far each rung is off', () => {
    const factors = [1, 1.06, 0.95];
    const exposures = [4, 1, 0.25];
    const table = decodingTable('linear', 255);
    const samples8 = Array.from({ length: 400 }, (_, k) => {
      const light = 0.02 + (0.2 * k) / 400;
      return {
        rungs: [0, 1, 2],
        codes: exposures.map((x, r) => Math.min(255, Math.round(255 * light * x * factors[r]))),
      };
    });
    const observed = ratiosByCurve([samples8], exposures, table);
    expect(observed.map((o) => [o.a, o.b])).toEqual([
      [0, 1],
      [1, 2],
    ]);
    const solved = solveExposureFactors(3, observed);
    // One common factor cannot be told.
    const scale = solved[1] / factors[1];
    solved.forEach((f, r) => expect(f / factors[r] / scale).toBeCloseTo(1, 1));
    expect(solved[1] / solved[2]).toBeCloseTo(1.06 / 0.95, 1);
  });
});
