import { createRandom } from '@tawny/simset';
import { createImage, plateCharacter, RELATIVE_REC709, type RgbImage } from '../src';

interface Made {
  /** Sigma of a channel at a level of 1 times the root of the level, and of the dark. */
  shot?: number;
  dark?: number;
  blurPx?: number;
  /** Sigma of the grain's own blur. */
  coarsePx?: number;
  /** Share of grain that the channels have in common. */
  common?: number;
  lift?: number;
  seed?: number;
}

function blurred(plane: Float32Array, width: number, height: number, sigma: number): Float32Array {
  if (sigma === 0) return plane;
  const reach = Math.ceil(4 * sigma);
  const kernel = Array.from({ length: 2 * reach + 1 }, (_, k) => Math.exp(-(((k - reach) / sigma) ** 2) / 2));
  const total = kernel.reduce((s, v) => s + v, 0);
  let from = plane;
  for (const [dx, dy] of [
    [1, 0],
    [0, 1],
  ]) {
    const out = new Float32Array(plane.length);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++)
        for (let k = -reach; k <= reach; k++) {
          const i = Math.min(width - 1, Math.max(0, x + k * dx));
          const j = Math.min(height - 1, Math.max(0, y + k * dy));
          out[y * width + x] += (from[j * width + i] * kernel[k + reach]) / total;
        }
    from = out;
  }
  return from;
}

/** A wall with slanted panels from dark to bright, a soft shadow, and a strip of texture. */
function plate({ shot = 0, dark = 0, blurPx = 0.6, coarsePx = 0, common = 0, lift = 0, seed = 1 }: Made): RgbImage {
  const [width, height] = [480, 320];
  const light = new Float32Array(width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const column = Math.floor((x + 0.13 * y) / 80);
      const row = Math.floor((y - 0.08 * x + 40) / 110);
      let v = [0.02, 0.06, 0.18, 0.4, 0.1, 0.3, 0.03][(column + 2 * row) % 7] * (0.9 + (0.2 * x) / width);
      if (y > 280) v *= 1 + 0.5 * Math.sin(x / 3) * Math.sin(y / 2);
      light[y * width + x] = v;
    }
  const soft = blurred(light, width, height, blurPx);
  const random = createRandom(seed, 'plate with grain');
  const field = () => {
    const noise = blurred(
      Float32Array.from({ length: width * height }, () => random.normal()),
      width,
      height,
      coarsePx,
    );
    const sigma = Math.sqrt(noise.reduce((s, v) => s + v * v, 0) / noise.length);
    return noise.map((v) => v / sigma);
  };
  const shared = common > 0 ? field() : null;
  const image = createImage(width, height, RELATIVE_REC709);
  for (let c = 0; c < 3; c++) {
    const own = shot + dark > 0 ? field() : null;
    for (let p = 0; p < soft.length; p++) {
      const noise = (Math.sqrt(common) * (shared?.[p] ?? 0) + Math.sqrt(1 - common) * (own?.[p] ?? 0)) * Math.sqrt(shot * shot * soft[p] + dark * dark); // prettier-ignore
      image.data[3 * p + c] = soft[p] + noise + lift;
    }
  }
  return image;
}

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
    expect(() => plateCharacter(createImage(64, 64, RELATIVE_REC709))).toThrow(/even enough/);
  });
});
