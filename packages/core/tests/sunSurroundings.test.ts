import {
  anglesAtPixel,
  arcDeg,
  boundOddPixels,
  createImage,
  detectSun,
  directionFromAngles,
  RELATIVE_REC709,
  type RgbImage,
} from '../src';

const WIDTH = 720;
const AT = { azimuthDeg: 140, elevationDeg: 40 };
const THERE = directionFromAngles(AT.azimuthDeg, AT.elevationDeg);

type Rgb = readonly [number, number, number];

/** A sphere painted by direction: the arc from the light, and the height. */
function painted(colour: (awayDeg: number, elevationDeg: number, azimuthDeg: number) => Rgb): RgbImage {
  const image = createImage(WIDTH, WIDTH / 2, RELATIVE_REC709);
  for (let y = 0; y < WIDTH / 2; y++)
    for (let x = 0; x < WIDTH; x++) {
      const a = anglesAtPixel(x, y, WIDTH, WIDTH / 2);
      const away = arcDeg(directionFromAngles(a.azimuthDeg, a.elevationDeg), THERE);
      image.data.set(colour(away, a.elevationDeg, a.azimuthDeg), 3 * (y * WIDTH + x));
    }
  return image;
}

/** A soft light as wide as the sun, over what lies behind it. */
const light = (away: number, value: number, behind: Rgb): Rgb => {
  const v = value * Math.max(0, 1 - away / 0.52);
  return [behind[0] + 1.1 * v, behind[1] + v, behind[2] + 0.8 * v];
};

const blueSky: Rgb = [2000, 3000, 4500];
const times = (c: Rgb, k: number): Rgb => [c[0] * k, c[1] * k, c[2] * k];

/** A dark hall with a lamp, whose ceiling is lit by it as lamps do: with the square of the distance. */
const hall = (ceiling: number) =>
  painted((away, el) => {
    if (el < 15) return [60, 60, 55];
    const glow = ceiling + 40000 / (1 + away * away);
    return light(away, 3e7, [glow * 1.1, glow, glow * 0.8]);
  });

describe('a lamp is no sun', () => {
  test('under a dark ceiling, and under one that it lights about itself', () => {
    expect(detectSun(hall(8))).toBeNull();
    expect(detectSun(hall(120))).toBeNull();
  });
  test('among others like it, also where the ceiling is as bright as a sky', () => {
    const rowed = (others: number) =>
      painted((away, el, az) => {
        const behind: Rgb = el > 0 ? blueSky : [500, 480, 450];
        const row = Array.from({ length: others }, (_, k) => directionFromAngles(200 + 25 * k, 40));
        const d = directionFromAngles(az, el);
        return row.some((r) => arcDeg(d, r) < 0.5) ? times(behind, 2000) : light(away, 3e7, behind);
      });
    expect(arcDeg(detectSun(rowed(0))!.direction, THERE)).toBeLessThan(0.1);
    // One may be its reflection.
    expect(detectSun(rowed(1))).not.toBeNull();
    expect(detectSun(rowed(4))).toBeNull();
  });
});

describe('a sun stays one', () => {
  test('in a white haze that glows about it', () => {
    const haze = painted((away, el) => {
      const glow = el > 0 ? 1500 + 16000 / (1 + away / 12) : 700;
      return light(away, 3e7, [glow, glow * 0.95, glow * 0.85]);
    });
    expect(arcDeg(detectSun(haze)!.direction, THERE)).toBeLessThan(0.1);
  });
  test('through the window of a dark room', () => {
    const window = painted((away, el, az) => {
      const outside = Math.abs(az - AT.azimuthDeg) < 14 && el > 25 && el < 52;
      return outside ? light(away, 3e7, [6000, 6600, 7400]) : [120, 110, 90];
    });
    expect(arcDeg(detectSun(window)!.direction, THERE)).toBeLessThan(0.1);
  });
  test('where the surroundings leave it open the almanac decides', () => {
    // A grey, uneven light above half of a sky: neither clear nor glowing.
    const open = painted((away, el, az) =>
      el > 0 ? light(away, 3e7, times([900, 900, 900], 1 + 0.4 * Math.sin(az / 9))) : [800, 800, 800],
    );
    expect(detectSun(open)).toBeNull();
    expect(detectSun(open, { expected: { elevationDeg: 41, withinDeg: 3 } })).not.toBeNull();
    expect(detectSun(open, { expected: { elevationDeg: 20, withinDeg: 3 } })).toBeNull();
    // Nor does a wrong clock take away a sun in a clear sky; only one that says it is night.
    const clear = painted((away, el) => light(away, 3e7, el > 0 ? blueSky : [500, 480, 450]));
    expect(detectSun(clear, { expected: { elevationDeg: 20, withinDeg: 3 } })).not.toBeNull();
    expect(detectSun(clear, { expected: { elevationDeg: -20, withinDeg: 3 } })).toBeNull();
    // And it makes no sun of a lamp under a dark ceiling.
    const dark = painted((away, el) => light(away, 3e7, el > 0 ? [5, 5, 5] : [200, 190, 170]));
    expect(detectSun(dark, { expected: { elevationDeg: 40, withinDeg: 3 } })).toBeNull();
  });
  test('when a file has lost its channels but one: where it is, not how strong', () => {
    const damaged = painted((away, el) => {
      const glow = el > 0 ? 1500 + 16000 / (1 + away / 12) : 700;
      return away < 0.6 ? [0, 0, 2e7] : [glow, glow * 0.95, glow * 0.85];
    });
    const sun = detectSun(damaged)!;
    expect(arcDeg(sun.direction, THERE)).toBeLessThan(0.3);
    expect(sun.clipped).toBe(true);
    // What the lost channels leave possible of 4000 lux in blue.
    expect(Math.max(...sun.illuminanceNormal)).toBeLessThan(5);
    // The same without a glow about it is a faulty pixel.
    expect(detectSun(painted((away) => (away < 0.6 ? [0, 0, 2e7] : [100, 100, 100])))).toBeNull();
  });
});

describe('what no light makes is bounded and told', () => {
  const plain = () => painted((away, el) => light(away, 3e7, el > 0 ? blueSky : [500, 480, 450]));
  const at = (x: number, y: number, c: number) => 3 * (y * WIDTH + x) + c;

  test('a picture without it is given back as it is', () => {
    const image = plain();
    const { image: same, odd } = boundOddPixels(image);
    expect(same).toBe(image);
    expect(odd).toBeNull();
  });
  test('negative, infinite, no number, one channel alone: each by its rule, nothing else touched', () => {
    const image = plain();
    image.data[at(10, 300, 1)] = -200;
    image.data[at(20, 300, 0)] = Infinity;
    image.data[at(30, 300, 2)] = NaN;
    image.data[at(40, 300, 0)] = -Infinity;
    image.data[at(50, 300, 0)] = 5e6;
    const before = image.data.slice();
    const { image: bounded, odd } = boundOddPixels(image);
    expect(image.data.every((v, i) => Object.is(v, before[i]))).toBe(true);
    expect(bounded.data[at(10, 300, 1)]).toBe(0);
    expect([at(20, 300, 0), at(30, 300, 2), at(40, 300, 0), at(50, 300, 0)].map((i) => bounded.data[i])).toEqual([500, 450, 500, 500]); // prettier-ignore
    expect(odd).toMatchObject({ negative: 1, infinite: 1, noNumber: 2, singleChannel: 1 });
    expect(odd!.deepest).toBeLessThan(0);
    const touched = bounded.data.reduce((n, v, i) => n + (Object.is(v, before[i]) ? 0 : 1), 0);
    expect(touched).toBe(5);
    // The sun is a thing of many pixels and all channels: it stays.
    expect(detectSun(bounded)).not.toBeNull();
  });
  test('rounding below zero is not worth a word, but is no light either', () => {
    const image = plain();
    image.data[at(10, 300, 1)] = -1e-6;
    const { image: bounded, odd } = boundOddPixels(image);
    expect(odd).toBeNull();
    expect(bounded.data[at(10, 300, 1)]).toBe(0);
  });
});
