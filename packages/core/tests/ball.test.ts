import { combineBalls, createImage, RELATIVE_REC709, findBall, unwrapBall, type RgbImage } from '../src';
import { random } from './support/random';

/** A set in bands and posts with a ball in it that shows a squeezed, darker version of another set. */
function photograph(cx: number, cy: number, r: number, seed: number): RgbImage {
  const [width, height] = [360, 270];
  const image = createImage(width, height, RELATIVE_REC709);
  const g = random(seed);
  const posts = Array.from({ length: 9 }, () => ({
    x: width * g.next(),
    wide: 4 + 30 * g.next(),
    shade: 0.1 + 0.8 * g.next(),
  }));
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const inside = Math.hypot(x + 0.5 - cx, y + 0.5 - cy) < r;
      let v = y < 0.55 * height ? 0.9 : 0.35;
      if (inside) {
        const [u, w] = [(x + 0.5 - cx) / r, (y + 0.5 - cy) / r];
        v = 0.15 + 0.1 * Math.sin(9 * u) + (w < -0.1 ? 0.25 : 0) + (Math.hypot(u - 0.3, w + 0.4) < 0.06 ? 6 : 0);
      } else for (const p of posts) if (Math.abs(x - p.x) < p.wide && y > 34) v = p.shade;
      image.data.fill(v * (1 + 0.01 * g.normal()), 3 * (y * width + x), 3 * (y * width + x) + 3);
    }
  }
  return image;
}

describe('a ball is outlined in a photograph', () => {
  test.each([
    [180, 135, 62],
    [101, 169, 34],
    [264, 112, 84],
  ])('at %d, %d with radius %d, to a pixel or two', (cx, cy, r) => {
    const found = findBall(photograph(cx, cy, r, r));
    expect(Math.hypot(found.centreX - cx, found.centreY - cy)).toBeLessThan(2.5);
    expect(Math.abs(found.radiusPx - r)).toBeLessThan(2.5);
    expect(found.share).toBeGreaterThan(0.55);
  });
  test('without a ball it says so', () => {
    const stripes = createImage(320, 240, RELATIVE_REC709);
    for (let y = 0; y < 240; y++)
      for (let x = 0; x < 320; x++)
        stripes.data.fill(x % 40 < 20 ? 0.2 : 0.8, 3 * (y * 320 + x), 3 * (y * 320 + x) + 3);
    expect(() => findBall(stripes)).toThrow(/no ball stands out/);
  });
});

test('two photographs from the sides show what one hides', () => {
  const even = createImage(200, 200, RELATIVE_REC709);
  even.data.fill(0.5);
  const ball = { centreX: 100, centreY: 100, radiusPx: 60 };
  const [a, b] = [unwrapBall(even, ball, 400, 128), unwrapBall(even, ball, 400, 128)];
  expect(a.mask.some((m) => m === 2)).toBe(true);
  const both = combineBalls(a, b, 120);
  expect(both.mask.every((m) => m === 0)).toBe(true);
  expect(Math.max(...both.panorama.data.map((v) => Math.abs(v - 0.5)))).toBeLessThan(5e-7);
  // Seen from the same side twice, the same is hidden.
  expect(combineBalls(a, b, 0).mask).toEqual(a.mask);
  expect(() => combineBalls(a, unwrapBall(even, ball, 400, 64), 90)).toThrow(/same width/);
});
