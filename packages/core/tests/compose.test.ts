import {
  CLIPPED,
  composeRows,
  COVERED,
  createImage,
  RELATIVE_REC709,
  decodeUncertainty,
  directionFromAngles,
  encodeUncertainty,
  fillHoles,
  lensFromFov,
  matchViews,
  MOVED,
  quaternionFromAttitude,
  UNKNOWN_UNCERTAINTY,
  UNSEEN,
  weighView,
  type BlendMap,
  type Strip,
  type View,
  type WholeRegion,
} from '../src';
import { farthest } from './support/numbers';
import { random } from './support/random';

const LENS = lensFromFov('equidistant', 180, { width: 160, height: 160 }, 'circle', 160);
const WIDTH = 256;
const HEIGHT = WIDTH / 2;

/** A view of one value all over. */
function even(headingDeg: number, value: number, more: Partial<View> = {}): View {
  const image = createImage(160, 160, RELATIVE_REC709);
  image.data.fill(value);
  return {
    image,
    clipped: new Uint8Array(160 * 160),
    lens: LENS,
    attitude: quaternionFromAttitude({ headingDeg, tiltDeg: 0, rollDeg: 0 }),
    logGain: 0,
    vignetting: [0, 0, 0],
    ...more,
  };
}

function compose(views: readonly View[], regions: readonly WholeRegion[] = [], y0 = 0, y1 = HEIGHT) {
  const n = (y1 - y0) * WIDTH;
  const strip: Strip & { uncertainty: Uint8Array } = {
    y0,
    y1,
    width: WIDTH,
    rgb: new Float32Array(3 * n),
    mask: new Uint8Array(n),
    uncertainty: new Uint8Array(n),
  };
  composeRows(views, regions, strip);
  const index = (azimuth: number, elevation: number) =>
    (Math.floor(((90 - elevation) / 180) * HEIGHT) - y0) * WIDTH + Math.floor((azimuth / 360) * WIDTH);
  return {
    ...strip,
    at: (azimuth: number, elevation: number) => strip.rgb[3 * index(azimuth, elevation)],
    maskAt: (a: number, e: number) => strip.mask[index(a, e)],
    sigmaAt: (a: number, e: number) => decodeUncertainty(strip.uncertainty[index(a, e)]),
  };
}

const map = (data: (cell: number) => readonly [number, number, number, number]): BlendMap => {
  const [width, height] = [64, 32];
  const out = new Float32Array(4 * width * height);
  for (let i = 0; i < width * height; i++) out.set(data(i), 4 * i);
  return { width, height, data: out };
};

describe('values', () => {
  test('views of one value make a panorama of that value, wherever they overlap', () => {
    const { rgb, mask } = compose([even(0, 3), even(90, 3), even(180, 3), even(270, 3)]);
    expect(new Set(mask)).toEqual(new Set([COVERED]));
    expect(farthest(rgb, 3)).toBeLessThan(5e-6);
  });
  test('gain and vignetting are undone', () => {
    const vignetting = [-0.3, 0.02, 0] as const;
    const view = even(0, 0, { logGain: Math.log(1.25), vignetting });
    for (let y = 0; y < 160; y++) {
      for (let x = 0; x < 160; x++) {
        const t = Math.hypot(x + 0.5 - 80, y + 0.5 - 80) / LENS.focalPx;
        view.image.data.fill(
          4 * 1.25 * Math.exp(-0.3 * t * t + 0.02 * t ** 4),
          3 * (y * 160 + x),
          3 * (y * 160 + x) + 3,
        );
      }
    }
    const { at } = compose([view]);
    for (const [a, e] of [
      [0, 0],
      [30, 10],
      [340, -40],
      [60, 20],
    ])
      expect(at(a, e) / 4).toBeCloseTo(1, 2);
  });
  test('halfway between two views both count the same, and nearer ones more', () => {
    const { at } = compose([even(0, 1), even(120, 3)]);
    // The pixel's middle lies a quarter of a degree nearer to the first.
    expect(Math.abs(at(60, 0) - 2)).toBeLessThan(0.1);
    expect(at(50, 0)).toBeLessThan(1.6);
    expect(at(10, 0)).toBeCloseTo(1, 5);
    expect(at(110, 0)).toBeCloseTo(3, 5);
    // On the way it only rises.
    for (let a = 20; a < 100; a += 2) expect(at(a + 2, 0)).toBeGreaterThanOrEqual(at(a, 0) - 1e-6);
  });
  test('any part of the rows is the same as that part of the whole', () => {
    const views = [even(0, 1), even(120, 3), even(240, 2)];
    const whole = compose(views);
    const part = compose(views, [], 40, 57);
    expect([...part.rgb]).toEqual([...whole.rgb.subarray(3 * 40 * WIDTH, 3 * 57 * WIDTH)]);
    expect([...part.uncertainty]).toEqual([...whole.uncertainty.subarray(40 * WIDTH, 57 * WIDTH)]);
  });
  test('nothing is clamped: what is large stays large, what is small stays small', () => {
    const { at } = compose([even(0, 4e8), even(180, 1e-7)]);
    expect(at(5, 0)).toBeCloseTo(4e8, -3);
    expect(at(185, 0)).toBeCloseTo(1e-7, 12);
  });
});

describe('masks', () => {
  test('what no view sees, what is cut off, what one frame stands for', () => {
    const clipped = new Uint8Array(160 * 160);
    const moved = new Uint8Array(160 * 160);
    for (let y = 60; y < 100; y++) for (let x = 60; x < 100; x++) clipped[y * 160 + x] = 1;
    for (let y = 20; y < 50; y++) for (let x = 60; x < 100; x++) moved[y * 160 + x] = 1;
    const { maskAt, uncertainty, mask } = compose([
      even(0, 1, { clipped, moved, uncertainty: new Uint8Array(160 * 160).fill(encodeUncertainty(0.01)) }),
    ]);
    expect(maskAt(1, 0)).toBe(CLIPPED);
    expect(maskAt(1, 50)).toBe(MOVED);
    expect(maskAt(1, -50)).toBe(COVERED);
    expect(maskAt(180, 0)).toBe(UNSEEN);
    const wrong = mask.filter((m, i) => (uncertainty[i] === UNKNOWN_UNCERTAINTY) !== (m === CLIPPED || m === UNSEEN));
    expect(wrong).toHaveLength(0);
  });
  test('where most of the weight is cut off the pixel is', () => {
    const { maskAt } = compose([even(0, 1, { clipped: new Uint8Array(160 * 160).fill(1) }), even(120, 1)]);
    expect(maskAt(40, 0)).toBe(CLIPPED);
    expect(maskAt(80, 0)).toBe(COVERED);
  });
  test('holes are filled smoothly, their mask says so, and what was seen stays', () => {
    const image = createImage(WIDTH, HEIGHT, RELATIVE_REC709);
    const mask = new Uint8Array(WIDTH * HEIGHT);
    for (let y = 0; y < HEIGHT; y++)
      for (let x = 0; x < WIDTH; x++) image.data.fill(2 + y / HEIGHT, 3 * (y * WIDTH + x), 3 * (y * WIDTH + x) + 3);
    const before = image.data.slice();
    for (let y = 110; y < HEIGHT; y++) mask.fill(UNSEEN, y * WIDTH, (y + 1) * WIDTH);
    for (let i = 0; i < mask.length; i++) if (mask[i] === UNSEEN) image.data.fill(0, 3 * i, 3 * i + 3);
    fillHoles(image, mask);
    const inHole = image.data.filter((_, i) => mask[Math.floor(i / 3)] === UNSEEN);
    expect(farthest(inHole, 2.75)).toBeLessThan(0.35);
    const beside = (_: number, i: number) => mask[Math.floor(i / 3)] !== UNSEEN;
    expect(farthest(image.data.filter(beside), before.filter(beside))).toBe(0);
    expect(mask.filter((m) => m === UNSEEN)).toHaveLength(18 * WIDTH);
  });
});

describe('uncertainty', () => {
  const noisy = (heading: number, relative: number) =>
    even(heading, 1, { uncertainty: new Uint8Array(160 * 160).fill(encodeUncertainty(relative)) });
  test('one view keeps its own; two that count the same are better by the root of two', () => {
    // Under a pixel of the panorama lie this many of the view, squared.
    const under = (2 * Math.PI * LENS.focalPx) / WIDTH;
    const { sigmaAt } = compose([noisy(0, 0.02), noisy(120, 0.02)]);
    expect(sigmaAt(0, 0) / (0.02 / under)).toBeCloseTo(1, 1);
    expect(sigmaAt(60, 0) / sigmaAt(0, 0)).toBeCloseTo(Math.SQRT1_2, 1);
  });
  test('views without their own leave it at the least', () => {
    const { uncertainty, mask } = compose([even(0, 1)]);
    expect(new Set(uncertainty.filter((_, i) => mask[i] === COVERED))).toEqual(new Set([UNKNOWN_UNCERTAINTY]));
  });
});

describe('places that come whole from one view', () => {
  const at60 = (view: number, radiusDeg = 8): WholeRegion => ({
    direction: directionFromAngles(60, 0),
    radiusDeg,
    view,
  });
  test('inside only that view, from two radii on as without', () => {
    const views = [even(0, 1), even(120, 3)];
    const plain = compose(views);
    for (const [view, value] of [
      [0, 1],
      [1, 3],
    ] as const) {
      const { at } = compose(views, [at60(view)]);
      for (const a of [53, 60, 67]) expect(at(a, 0)).toBeCloseTo(value, 5);
      for (const a of [30, 43, 78, 100]) expect(at(a, 0)).toBeCloseTo(plain.at(a, 0), 4);
    }
  });
  test('a view that does not see the place cannot have it: nothing becomes a hole', () => {
    const views = [even(0, 1), even(120, 3), even(240, 5)];
    const { rgb, mask } = compose(views, [at60(2)]);
    expect(mask.includes(UNSEEN)).toBe(compose(views).mask.includes(UNSEEN));
    expect([...rgb]).toEqual([...compose(views).rgb]);
  });
  test('of two that claim the same place the first has it, and no hole is torn', () => {
    const views = [even(0, 1), even(120, 3), even(240, 5)];
    const { at, maskAt } = compose(views, [at60(1), at60(0)]);
    for (const a of [53, 60, 67]) {
      expect(at(a, 0)).toBeCloseTo(3, 5);
      expect(maskAt(a, 0)).toBe(COVERED);
    }
  });
});

describe('maps of the hand-over', () => {
  test('factors multiply, channel by channel', () => {
    const { rgb } = compose([even(0, 2, { blend: map(() => [1.1, 1, 0.9, 1]) })]);
    const i = 3 * ((HEIGHT / 2) * WIDTH + 3);
    [2.2, 2, 1.8].forEach((v, c) => expect(rgb[i + c]).toBeCloseTo(v, 5));
  });
  test('a view counts for nothing where its share is nothing, if another sees it', () => {
    const views = [even(0, 1, { blend: map(() => [1, 1, 1, 0]) }), even(90, 3, { blend: map(() => [1, 1, 1, 1]) })];
    const { at, maskAt } = compose(views);
    expect(at(20, 0)).toBeCloseTo(3, 5);
    // Where only the silenced one looks nothing is left: the matching gives such cells to nobody else.
    expect(maskAt(270, 0)).toBe(UNSEEN);
  });
  test('factors run smoothly around the seam of the panorama', () => {
    const wave = map((cell) => {
      const f = 1 + 0.2 * Math.sin((2 * Math.PI * ((cell % 64) + 0.5)) / 64);
      return [f, f, f, 1];
    });
    const { at } = compose([even(0, 1, { blend: wave })]);
    for (const a of [358.9, 0.3, 1.5]) expect(at(a, 0)).toBeCloseTo(1 + 0.2 * Math.sin((2 * Math.PI * a) / 360), 2);
  });
  test('maps give way narrowly', () => {
    const ones = map(() => [1, 1, 1, 1]);
    const broad = compose([even(0, 1), even(120, 3)]);
    const sharp = compose([even(0, 1, { blend: ones }), even(120, 3, { blend: ones })]);
    expect(broad.at(57, 0) - 1).toBeGreaterThan(0.2);
    expect(sharp.at(57, 0)).toBeCloseTo(1, 2);
    expect(Math.abs(sharp.at(60, 0) - 2)).toBeLessThan(0.5);
  });
});

describe('matching of views', () => {
  test('a lone view needs none', () => {
    const { blends, moved } = matchViews([even(0, 1)], []);
    expect(moved).toEqual([]);
    expect(blends).toHaveLength(1);
    expect(blends[0].data.every((v) => v === 1)).toBe(true);
  });
  test('noise is neither a thing nor a factor', () => {
    const next = random(5);
    const noisy = (heading: number) => {
      const v = even(heading, 1);
      for (let i = 0; i < v.image.data.length; i++) v.image.data[i] = 1 + 0.1 * next.normal();
      return v;
    };
    const { blends, moved } = matchViews([0, 72, 144, 216, 288].map(noisy), [], 0.02);
    expect(moved).toEqual([]);
    const off = blends
      .flatMap((b) => Array.from({ length: b.data.length / 4 }, (_, i) => Math.abs(b.data[4 * i] - 1)))
      .sort((a, b) => a - b);
    expect(off[Math.floor(0.99 * off.length)]).toBeLessThan(0.05);
  });
  test('a view that fits badly all over is told from a thing', () => {
    const worse = [0, 72, 144, 216, 288].map((h, k) => even(h, k % 2 ? 1 : 1.4));
    expect(matchViews(worse, [], 0.1).moved).toEqual([]);
  });
  test("a small difference all over is brought to the broad mean, the views' own middles stay", () => {
    const views = [even(0, 1), even(120, 1.1), even(240, 1)];
    const { blends } = matchViews(views, []);
    const factor = (v: number, azimuth: number) =>
      blends[v].data[4 * ((blends[v].height / 2) * blends[v].width + Math.floor((azimuth / 360) * blends[v].width))];
    expect(factor(0, 0)).toBeCloseTo(1, 2);
    expect(factor(1, 120)).toBeCloseTo(1, 2);
    // In the middle between them both are brought towards each other.
    expect(factor(0, 60)).toBeGreaterThan(1.02);
    expect(factor(1, 60)).toBeLessThan(0.98);
    expect(factor(0, 60) * 1).toBeCloseTo(factor(1, 60) * 1.1, 1);
  });
  test('weights of a view are largest where it looks and nothing behind it', () => {
    const w = weighView(even(90, 1), 128);
    expect(w[32 * 128 + 32]).toBeGreaterThan(0.8);
    expect(w[32 * 128 + 96]).toBe(0);
  });
});
