import { createRandom, grainPlate as plate } from '../src';
import { createImage, plateCharacter, RELATIVE_REC709 } from '@tawny/core';

describe('grain', () => {
  test.each([
    ['fine', 0, 0.02, 0.001],
    ['coarse', 0.8, 0.02, 0.001],
    ['strong', 0, 0.06, 0.004],
  ])('%s: its strength at each level within 5 %%', (_, coarsePx, shot, dark) => {
    const { grain } = plateCharacter(plate({ shot, dark, coarsePx }));
    expect(grain.sigmaAt.length).toBeGreaterThanOrEqual(5);
    for (const [level, sigma] of grain.sigmaAt)
      expect(Math.abs(sigma / Math.sqrt(shot * shot * level + dark * dark) - 1)).toBeLessThan(0.05);
  });

  test('its size: one pixel where neighbours are independent, that of a Gaussian where they are not', () => {
    const size = (coarsePx: number) => plateCharacter(plate({ shot: 0.03, coarsePx })).grain.sizePx;
    expect(size(0)).toBeCloseTo(1, 1);
    // Autocorrelation of a Gaussian of sigma s has sigma s root two; its full width at half is 2.355 of that.
    for (const s of [0.9, 1.4]) expect(Math.abs(size(s) / (2.3548 * Math.SQRT2 * s) - 1)).toBeLessThan(0.1);
  });

  test('what the channels have in common', () => {
    for (const common of [0, 0.4, 0.9])
      expect(Math.abs(plateCharacter(plate({ shot: 0.03, common })).grain.channelCorrelation - common)).toBeLessThan(0.03);
  }); // prettier-ignore

  test('a pair of frames tells it where nothing is even, a region where it is marked', () => {
    const made = { shot: 0.03, dark: 0.001 };
    const pair = plateCharacter(plate({ ...made, seed: 1 }), { pair: plate({ ...made, seed: 2 }) });
    for (const [level, sigma] of pair.grain.sigmaAt)
      expect(Math.abs(sigma / Math.sqrt(0.0009 * level + 1e-6) - 1)).toBeLessThan(0.05);
    const region = plateCharacter(plate(made), { regions: [{ x: 170, y: 90, width: 48, height: 48 }] });
    expect(region.grain.sigmaAt).toHaveLength(1);
    const [[level, sigma]] = region.grain.sigmaAt;
    expect(Math.abs(sigma / Math.sqrt(0.0009 * level + 1e-6) - 1)).toBeLessThan(0.08);
  });
});

describe('edges and black', () => {
  test.each([0.5, 0.8, 1.2, 1.8, 2.4])('blur of %f px within 0.15 px', (blurPx) => {
    const found = plateCharacter(plate({ shot: 0.01, dark: 0.0005, blurPx })).edgeBlurPx!;
    expect(Math.abs(found - blurPx)).toBeLessThan(0.15);
  });

  test('a lifted black is told per channel', () => {
    const { black } = plateCharacter(plate({ dark: 0.001, lift: 0.013 }));
    for (const v of black) {
      expect(v).toBeGreaterThan(0.013);
      expect(v).toBeLessThan(0.013 + 0.022);
    }
  });

  test('a plate without edges has no blur to tell', () => {
    const even = createImage(64, 64, RELATIVE_REC709);
    const random = createRandom(3, 'even');
    for (let i = 0; i < even.data.length; i++) even.data[i] = 0.2 + 0.002 * random.normal();
    expect(plateCharacter(even).edgeBlurPx).toBeNull();
  });
});

describe('what cannot be', () => {
  const some = plate({ dark: 0.001 });
  test('a region outside, a pair of another size, a plate without grain', () => {
    expect(() => plateCharacter(some, { regions: [{ x: 470, y: 0, width: 20, height: 20 }] })).toThrow(/470,0,20,20/);
    expect(() => plateCharacter(some, { regions: [{ x: 0, y: 0, width: 4, height: 4 }] })).toThrow(/at least 6 x 6/);
    expect(() => plateCharacter(some, { pair: createImage(10, 10, RELATIVE_REC709) })).toThrow(/10 x 10/);
    expect(() => plateCharacter(createImage(64, 64, RELATIVE_REC709))).toThrow(/holds any grain/);
    const clean = createImage(128, 128, RELATIVE_REC709);
    clean.data.forEach((_, i) => (clean.data[i] = 0.1 + (i < clean.data.length / 2 ? 0 : 0.3)));
    expect(() => plateCharacter(clean)).toThrow(/holds any grain/);
    // A shade of its own in every pixel row is no grain.
    clean.data.forEach((_, i) => (clean.data[i] = 0.2 + 0.1 * Math.sin(i / 9) * Math.sin(i / 700)));
    expect(() => plateCharacter(clean)).toThrow(/even enough/);
  });
});
