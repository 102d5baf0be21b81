import { CHART, createRandom, daylight, filament, PLATE_CAMERA, RIG_CAMERA, seenBy, times } from '../src';
import { matchColours, type ColourMatrix, type PatchColour } from '@tawny/core';

const LIGHT = daylight(5600);
const TRUE: ColourMatrix = [0.9, 0.12, -0.03, 0.05, 1.02, -0.06, -0.02, 0.08, 0.95];
const multiply = (m: ColourMatrix, v: readonly number[]) =>
  [0, 1, 2].map((r) => m[3 * r] * v[0] + m[3 * r + 1] * v[1] + m[3 * r + 2] * v[2]);

const patch = (name: string, rgb: readonly number[], more: Partial<PatchColour> = {}): PatchColour => ({
  name,
  rgb: rgb as unknown as PatchColour['rgb'],
  sigma: rgb.map((v) => 0.001 * Math.abs(v)) as unknown as PatchColour['sigma'],
  clippedShare: 0,
  ...more,
});
const chart = CHART.map((s, k) => patch(String(k + 1), seenBy(RIG_CAMERA, times(s, LIGHT), LIGHT)));
const through = (m: ColourMatrix, gain: number) =>
  chart.map((p) => patch(p.name, multiply(m, p.rgb).map((v) => v * 2 ** gain))); // prettier-ignore
const luminanceOf = (v: readonly number[]) => 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2];

describe('colours of one camera onto those of another', () => {
  test('a matrix that there is, is found, and keeps the luminance of the white', () => {
    const match = matchColours(through(TRUE, 1.5), chart, 'rec709');
    expect(match.kind).toBe('matrix');
    expect(luminanceOf(multiply(match.matrix, [1, 1, 1]))).toBeCloseTo(1, 6);
    // White's luminance under the true matrix is part of the gain.
    const white = luminanceOf(multiply(TRUE, [1, 1, 1]));
    expect(match.gainStops).toBeCloseTo(1.5 + Math.log2(white), 2);
    match.matrix.forEach((v, k) => expect(v).toBeCloseTo(TRUE[k] / white, 2));
    expect(match.deltaE2000.mean).toBeLessThan(0.05);
    expect(match.deltaE2000.before).toBeGreaterThan(1);
    expect(match.uncertaintyStops).toBeLessThan(0.02);
  });

  test('cameras that are no matrices of each other: some of the colour remains, and it is said where', () => {
    const warm = filament(2900);
    const seen = (camera: typeof RIG_CAMERA) =>
      CHART.map((s, k) => patch(String(k + 1), seenBy(camera, times(s, warm), warm)));
    const match = matchColours(seen(PLATE_CAMERA), seen(RIG_CAMERA), 'acescg');
    expect(match.deltaE2000.mean).toBeGreaterThan(0.2);
    expect(match.deltaE2000.mean).toBeLessThan(0.75 * match.deltaE2000.before);
    expect(match.deltaE2000.leaveOneOutMean!).toBeGreaterThan(match.deltaE2000.mean);
    const worst = Math.max(...match.patches.map((p) => p.after!));
    expect(match.deltaE2000.max).toBeCloseTo(worst, 9);
  });

  test('an even veil over the plate is seen by the greys, stated as a share of white, and taken off', () => {
    const white = Math.max(...chart[18].rgb);
    const veil = [0.012, 0.01, 0.008].map((v) => v * white);
    const veiled = chart.map((p) => patch(p.name, multiply(TRUE, p.rgb).map((v, c) => v + veil[c]))); // prettier-ignore
    const match = matchColours(veiled, chart, 'rec709');
    match.veil!.forEach((v, c) => expect(v).toBeCloseTo(veil[c] / luminanceOf(multiply(TRUE, chart[18].rgb)), 3));
    expect(match.deltaE2000.mean).toBeLessThan(0.1);
    expect(matchColours(through(TRUE, 0), chart, 'rec709').veil).toBeNull();
  });

  test('colours that no matrix mends are named; noise is not taken for one', () => {
    const odd = through(TRUE, 0).map((p) =>
      p.name === '14' ? patch('14', p.rgb.map((v, c) => v * [1.25, 1, 0.85][c])) : p,
    ); // prettier-ignore
    const named = (plate: readonly PatchColour[]) =>
      matchColours(plate, chart, 'rec709').patches.flatMap((p) => (p.metameric ? [p.name] : []));
    expect(named(odd)).toEqual(['14']);
    const noisy = odd.map((p) => (p.name === '14' ? { ...p, sigma: p.rgb.map((v) => 0.2 * Math.abs(v)) as unknown as PatchColour['sigma'] } : p)); // prettier-ignore
    expect(named(noisy)).toEqual([]);
  });

  test('what all patches of a picture share widens the gain and does not average out', () => {
    const shared = chart.map((p) => ({ ...p, commonSigma: 0.02 }));
    const of = (panorama: readonly PatchColour[]) =>
      matchColours(through(TRUE, 0), panorama, 'rec709').uncertaintyStops;
    expect(of(shared)).toBeGreaterThan(1.9 * 0.02 * Math.LOG2E);
    expect(of(chart)).toBeLessThan(0.02);
  });

  test('white is met exactly where that is asked for', () => {
    const plate = through(TRUE, 0).map((p, k) => patch(p.name, p.rgb.map((v, c) => v * (1 + 0.01 * Math.sin(7 * k + c))))); // prettier-ignore
    const match = matchColours(plate, chart, 'rec709', { keepWhite: true });
    const white = multiply(match.matrix, chart[18].rgb).map((v) => v * 2 ** match.gainStops);
    white.forEach((v, c) => expect(v / plate[18].rgb[c]).toBeCloseTo(1, 6));
    expect(match.patches[18].after).toBeLessThan(1e-4);
  });

  test('three neutrals tell gains and nothing more', () => {
    const names = ['19', '21', '23'];
    const only = (of: readonly PatchColour[]) => of.filter((p) => names.includes(p.name));
    const match = matchColours(only(through([0.8, 0, 0, 0, 1, 0, 0, 0, 1.3], 0.5)), only(chart), 'rec709');
    expect(match.kind).toBe('gains');
    expect([1, 2, 3, 5, 6, 7].map((k) => match.matrix[k])).toEqual([0, 0, 0, 0, 0, 0]);
    expect(match.matrix[8] / match.matrix[0]).toBeCloseTo(1.3 / 0.8, 2);
  });

  test('clipped patches have no part, and are named', () => {
    const plate = through(TRUE, 0).map((p) => (p.name === '19' ? patch('19', [1, 1, 1], { clippedShare: 0.7 }) : p));
    const match = matchColours(plate, chart, 'rec709');
    expect(match.patches.find((p) => p.name === '19')).toMatchObject({ reason: 'clipped', after: null });
    expect(match.deltaE2000.mean).toBeLessThan(0.05);
  });

  test('a shadow over a corner of one chart is named, and does not reach the matrix', () => {
    const plate = through(TRUE, 0).map((p) =>
      ['1', '2', '7', '8'].includes(p.name) ? patch(p.name, p.rgb.map((v) => 0.6 * v)) : p,
    ); // prettier-ignore
    const match = matchColours(plate, chart, 'rec709');
    const shaded = match.patches.filter((p) => p.reason === 'shaded').map((p) => p.name);
    expect(shaded).toEqual(['1', '2', '7', '8']);
    expect(match.deltaE2000.mean).toBeLessThan(0.1);
  });

  test('a curve that was applied twice is named by its slope', () => {
    const curved = chart.map((p) => patch(p.name, p.rgb.map((v) => Math.pow(v, 1 / 2.2)))); // prettier-ignore
    expect(() => matchColours(curved, chart, 'rec709')).toThrow(/0\.45 times as steeply .* curve/);
    expect(() => matchColours(chart, curved, 'rec709')).toThrow(/2\.20 times as steeply/);
  });

  test('values outside of the primaries are kept and said', () => {
    const narrow: ColourMatrix = [1.9, -0.8, -0.1, -0.3, 1.4, -0.1, 0, -0.5, 1.5];
    const match = matchColours(through(narrow, 0), chart, 'rec709');
    const outside = match.patches.filter((p) => p.outOfGamut).map((p) => p.name);
    expect(outside.length).toBeGreaterThan(0);
    for (const name of outside)
      expect(Math.min(...multiply(narrow, chart.find((p) => p.name === name)!.rgb))).toBeLessThan(0.002);
  });

  test('names that do not meet, and nothing lit, are refused', () => {
    expect(() => matchColours([patch('a', [1, 1, 1])], [patch('b', [1, 1, 1])], 'rec709')).toThrow(/only 0 patches/);
    const dark = chart.map((p) => patch(p.name, [0, 0, 0]));
    expect(() => matchColours(dark, chart, 'rec709')).toThrow(/fewer than two patches are lit/);
  });

  test('the stated interval of the gain holds what noise and lack of fit do to it', () => {
    let inside = 0;
    for (let k = 0; k < 24; k++) {
      const random = createRandom(k, 'gain interval');
      const noisy = (of: readonly PatchColour[]) =>
        of.map((p) =>
          patch(
            p.name,
            p.rgb.map((v) => v * (1 + 0.01 * random.normal())),
            {
              sigma: p.rgb.map((v) => 0.01 * v) as unknown as PatchColour['sigma'],
            },
          ),
        );
      const match = matchColours(noisy(through(TRUE, 1)), noisy(chart), 'rec709');
      const truth = 1 + Math.log2(luminanceOf(multiply(TRUE, [1, 1, 1])));
      if (Math.abs(match.gainStops - truth) <= match.uncertaintyStops) inside++;
    }
    expect(inside).toBeGreaterThanOrEqual(20);
  });
});
