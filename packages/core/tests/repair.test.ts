import {
  bracketShifts,
  codesFromFloats,
  commonSamples,
  createImage,
  RELATIVE_REC709,
  decodeUncertainty,
  decodingTable,
  encodeInformation,
  encodeUncertainty,
  glareCeiling,
  glareShare,
  lensFromFov,
  measureGlare,
  mergeBracket,
  pixelSolidAngle,
  removeGlare,
  repairSamples,
  shiftCodes,
  standingOut,
  takeFloats,
  UNKNOWN_UNCERTAINTY,
  unprojectPixel,
  DEG,
  type RgbImage,
} from '../src';
import { random } from './support/random';

const lattice = (x: number, y: number, seed: number) => random(x * 7919 + y * 104729 + seed * 31).next();

/** Smooth noise that never repeats: bilinear between random lattice values. */
function noise(x: number, y: number, size: number, seed: number): number {
  const [i, j] = [Math.floor(x / size), Math.floor(y / size)];
  const ease = (t: number) => t * t * (3 - 2 * t);
  const [u, v] = [ease(x / size - i), ease(y / size - j)];
  return (
    (lattice(i, j, seed) * (1 - u) + lattice(i + 1, j, seed) * u) * (1 - v) +
    (lattice(i, j + 1, seed) * (1 - u) + lattice(i + 1, j + 1, seed) * u) * v
  );
}

/** A smooth, detailed light field. */
const field = (x: number, y: number) =>
  0.06 + 0.3 * noise(x, y, 29, 1) + 0.2 * noise(x, y, 11, 2) + 0.1 * noise(x, y, 6, 3);

describe('leaking photosites', () => {
  const view = (shift: number, hot: number[]): RgbImage => {
    const image = createImage(60, 40, RELATIVE_REC709);
    for (let y = 0; y < 40; y++)
      for (let x = 0; x < 60; x++) image.data.fill(field(x + shift, y), 3 * (y * 60 + x), 3 * (y * 60 + x) + 3);
    for (const i of hot) image.data[i] += 5;
    return image;
  };
  const HOT = [3 * (10 * 60 + 20) + 1, 3 * (25 * 60 + 41)];

  test('what stands out at the same place of most views is found; a glint of one view is not', () => {
    const views = [0, 40, 80, 120].map((s) => view(s, HOT));
    views[2].data[3 * (30 * 60 + 30)] += 9;
    expect([...commonSamples(views.map((v) => standingOut(v)))]).toEqual([...HOT].sort((a, b) => a - b));
    repairSamples(views[0], commonSamples(views.map((v) => standingOut(v))));
    for (const i of HOT) expect(Math.abs(views[0].data[i] - view(0, []).data[i])).toBeLessThan(0.02);
  });
  test('two views tell nothing', () => {
    expect(commonSamples([view(0, HOT), view(40, HOT)].map((v) => standingOut(v)))).toHaveLength(0);
  });
});

describe('a bumped bracket', () => {
  const [W, H] = [320, 240];
  const frame = (dx: number, dy: number, x: number) => {
    const codes = new Uint16Array(3 * W * H);
    for (let p = 0; p < W * H; p++)
      codes.fill(
        Math.min(65535, Math.round(65535 * x * field((p % W) - dx, Math.floor(p / W) - dy))),
        3 * p,
        3 * p + 3,
      );
    return codes;
  };
  const table = decodingTable('linear', 65535);

  test('shifts are found to a tenth of a pixel over exposures, and taken back', () => {
    const moved = [
      [0, 0],
      [3.4, -2.2],
      [-1.7, 4.1],
    ];
    const frames = moved.map(([dx, dy], k) => ({ codes: frame(dx, dy, 1 / 2 ** k), table }));
    const shifts = bracketShifts(frames, W, H);
    shifts.forEach((s, k) => {
      expect(Math.abs(s.dx - moved[k][0])).toBeLessThan(0.1);
      expect(Math.abs(s.dy - moved[k][1])).toBeLessThan(0.1);
    });
    const back = shiftCodes(frames[1].codes, W, H, shifts[1]);
    let worst = 0;
    for (let y = 20; y < H - 20; y++)
      for (let x = 20; x < W - 20; x++)
        worst = Math.max(worst, Math.abs(back[3 * (y * W + x)] / 65535 - field(x, y) / 2));
    expect(worst).toBeLessThan(0.01);
  });
  test('frames that stand still are left alone', () => {
    expect(
      bracketShifts(
        [frame(0, 0, 1), frame(0.1, 0, 0.5)].map((codes) => ({ codes, table })),
        W,
        H,
      ),
    ).toEqual([
      { dx: 0, dy: 0 },
      { dx: 0, dy: 0 },
    ]);
  });
  test('a clipped sample stays clipped when it is moved between pixels', () => {
    const codes = new Uint8Array(3 * 16 * 16).fill(100);
    codes.fill(255, 3 * (8 * 16 + 8), 3 * (8 * 16 + 8) + 3);
    const moved = shiftCodes(codes, 16, 16, { dx: 0.5, dy: 0 });
    expect(moved[3 * (8 * 16 + 8)]).toBe(255);
    expect(moved[3 * (8 * 16 + 7)]).toBe(255);
    expect(moved[3 * (8 * 16 + 3)]).toBe(100);
  });
});

describe('uncertainty of a pixel', () => {
  test('one byte keeps it within 2.2 % over the whole range', () => {
    for (let u = 2 ** -12.9; u < 7; u *= 1.037)
      expect(Math.abs(decodeUncertainty(encodeUncertainty(u)) / u - 1)).toBeLessThan(0.0221);
    for (const none of [0, -1, NaN, Infinity]) expect(encodeUncertainty(none)).toBe(UNKNOWN_UNCERTAINTY);
    // By information, as the merge does it: the same code, or its neighbour on the border between two.
    for (let u = 2 ** -12.9; u < 7; u *= 1.0037)
      expect(Math.abs(decodeUncertainty(encodeInformation(1 / (u * u))) / u - 1)).toBeLessThan(0.025);
    for (const none of [0, -1, NaN]) expect(encodeInformation(none)).toBe(UNKNOWN_UNCERTAINTY);
    expect(decodeUncertainty(UNKNOWN_UNCERTAINTY)).toBeNaN();
  });
  test('what the merge states is what repeated merges scatter by', () => {
    const r = random(2);
    const [fullWell, read] = [30000, 4];
    const radiance = 0.02;
    const exposures = [4, 1, 0.25];
    const N = 4000;
    const frames = exposures.map((x) => ({
      exposure: x,
      codes: Uint16Array.from({ length: 3 * N }, () =>
        Math.max(
          0,
          Math.min(
            65535,
            Math.round(
              ((radiance * x * fullWell + Math.sqrt(radiance * x * fullWell) * r.normal() + read * r.normal()) /
                fullWell) *
                65535,
            ),
          ),
        ),
      ),
    }));
    const uncertainty = new Uint8Array(N);
    const { image } = mergeBracket(frames, {
      width: N,
      height: 1,
      curve: 'linear',
      into: { pixels: new Float32Array(3 * N), clipped: new Uint8Array(N), uncertainty },
    });
    // The code states the pixel's luminance-weighted relative error; channels are independent here.
    const relative = (values: number[]) => {
      const mean = values.reduce((s, v) => s + v, 0) / values.length;
      return Math.sqrt(values.reduce((s, v) => s + (v - mean) ** 2, 0) / values.length) / mean;
    };
    const green = relative(Array.from({ length: N }, (_, i) => image.data[3 * i + 1]));
    const stated = decodeUncertainty(uncertainty[0]);
    expect(stated / green).toBeGreaterThan(0.6);
    expect(stated / green).toBeLessThan(1.4);
  });
});

describe('float frames', () => {
  test('codes of a common white give the values back to a part in 65535', () => {
    const frames = [Float32Array.from([0.5, 2, 0.001]), Float32Array.from([0.1, 0.4, 0])];
    const { codes, white } = codesFromFloats(frames);
    expect(white).toBe(2);
    frames.forEach((f, k) =>
      f.forEach((v, i) => expect(Math.abs((codes[k][i] / 65535) * white - v)).toBeLessThan(2 / 65535)),
    );
    expect(() => codesFromFloats([Float32Array.from([1, NaN, 1])])).toThrow(/not a number at pixel 0/);
  });
  test('a lone frame is divided by its exposure; flat tops count as clipped, a peak does not', () => {
    const data = Float32Array.from({ length: 90 }, (_, i) => (i < 60 ? 3 : 0.5 + i / 1000));
    const into = { pixels: new Float32Array(90), clipped: new Uint8Array(30) };
    expect(takeFloats(data, 2, into).clipLevel).toBe(1.5);
    expect(into.pixels[80]).toBeCloseTo(0.29, 6);
    expect([...into.clipped].filter(Boolean)).toHaveLength(20);
    const peak = Float32Array.from({ length: 90 }, (_, i) => (i === 4 ? 9 : 0.5));
    expect(takeFloats(peak, 1, { pixels: new Float32Array(90), clipped: new Uint8Array(30) }).clipLevel).not.toBe(9);
  });
});

describe('veiling glare', () => {
  const SIZE = 192;
  const lens = lensFromFov('equidistant', 180, { width: SIZE, height: SIZE }, 'circle', SIZE);
  const CURVE = [
    { angleDeg: 5, perSr: 0.02 },
    { angleDeg: 40, perSr: 0.008 },
    { angleDeg: 120, perSr: 0.003 },
  ];
  const inside = (x: number, y: number) => unprojectPixel(lens, x + 0.5, y + 0.5);

  /** A scene, then what glare makes of it by the very definition: every pixel throws its energy about. */
  function scene(sun: boolean): RgbImage {
    const image = createImage(SIZE, SIZE, RELATIVE_REC709);
    for (let y = 0; y < SIZE; y++) {
      for (let x = 0; x < SIZE; x++) {
        if (!inside(x, y)) continue;
        const disc = sun && Math.hypot(x - 120.5, y - 60.5) < 1.5;
        image.data.fill(disc ? 20000 : 1 + field(x, y), 3 * (y * SIZE + x), 3 * (y * SIZE + x) + 3);
      }
    }
    return image;
  }
  function veiled(clean: RgbImage): RgbImage {
    const out = createImage(SIZE, SIZE, RELATIVE_REC709);
    const share = glareShare(CURVE);
    const sources: { d: readonly number[]; flux: number }[] = [];
    const SIDE = 16;
    let sun = 0;
    for (let y = 0; y < SIZE; y += SIDE) {
      for (let x = 0; x < SIZE; x += SIDE) {
        let flux = 0;
        for (let v = y; v < y + SIDE; v++) {
          for (let u = x; u < x + SIDE; u++) {
            const energy = clean.data[3 * (v * SIZE + u)] * pixelSolidAngle(lens, u + 0.5, v + 0.5);
            if (clean.data[3 * (v * SIZE + u)] > 100) sun += energy;
            else flux += energy;
          }
        }
        const d = unprojectPixel(lens, x + SIDE / 2, y + SIDE / 2);
        if (d && flux > 0) sources.push({ d, flux });
      }
    }
    if (sun > 0) sources.push({ d: unprojectPixel(lens, 121, 61)!, flux: sun });
    const g = (angle: number) =>
      angle <= 5
        ? 0.02
        : angle <= 40
          ? 0.02 + ((angle - 5) / 35) * (0.008 - 0.02)
          : angle <= 120
            ? 0.008 + ((angle - 40) / 80) * (0.003 - 0.008)
            : 0.003;
    for (let y = 0; y < SIZE; y++) {
      for (let x = 0; x < SIZE; x++) {
        const d = inside(x, y);
        if (!d) continue;
        let sum = 0;
        for (const s of sources)
          sum += s.flux * g(Math.acos(Math.min(1, s.d[0] * d[0] + s.d[1] * d[1] + s.d[2] * d[2])) / DEG);
        const v = (1 - share) * clean.data[3 * (y * SIZE + x)] + sum;
        out.data.fill(v, 3 * (y * SIZE + x), 3 * (y * SIZE + x) + 3);
      }
    }
    return out;
  }
  const clean = scene(true);
  const open = veiled(clean);
  const covered = veiled(scene(false));

  test('the curve is found from a pair with the sun seen and covered', () => {
    const found = measureGlare(open, covered, lens);
    expect(found.share / glareShare(CURVE)).toBeGreaterThan(0.85);
    expect(found.share / glareShare(CURVE)).toBeLessThan(1.15);
    expect(Math.hypot(found.source.x - 121, found.source.y - 61)).toBeLessThan(4);
  });
  test('taken out with the measured curve, shadows and sun come back', () => {
    const { curve } = measureGlare(open, covered, lens);
    const mended: RgbImage = { ...open, data: open.data.slice() };
    const share = removeGlare(mended, lens, curve);
    expect(share).toBeGreaterThan(0.05);
    const at = (image: RgbImage, x: number, y: number) => image.data[3 * (y * SIZE + x)];
    const errors = (image: RgbImage) =>
      [
        [45, 135],
        [96, 96],
        [60, 60],
        [150, 120],
      ].map(([x, y]) => Math.abs(Math.log2(at(image, x, y) / at(clean, x, y))));
    expect(Math.max(...errors(mended))).toBeLessThan(0.3 * Math.max(...errors(open)));
    const sun = (image: RgbImage) =>
      [118, 119, 120, 121, 122, 123]
        .flatMap((x) => [58, 59, 60, 61, 62, 63].map((y) => at(image, x, y)))
        .reduce((s, v) => s + v, 0);
    expect(Math.abs(sun(mended) / sun(clean) - 1)).toBeLessThan(Math.abs(sun(open) / sun(clean) - 1));
  });
  test('no sun between the two views is said', () => {
    expect(() => measureGlare(covered, covered, lens)).toThrow(/no sun stands out/);
  });
  test('pixels of the circle add up to a hemisphere', () => {
    let sum = 0;
    for (let y = 0; y < SIZE; y++) for (let x = 0; x < SIZE; x++) sum += pixelSolidAngle(lens, x + 0.5, y + 0.5);
    expect(sum / (2 * Math.PI)).toBeGreaterThan(0.99);
    expect(sum / (2 * Math.PI)).toBeLessThan(1.01);
  });
  test('the darkest places bound the glare', () => {
    const flat = createImage(64, 32, RELATIVE_REC709);
    flat.data.fill(1);
    expect(glareCeiling(flat)).toBeCloseTo(1, 6);
    for (let i = 0; i < 300; i++) flat.data[i] = 0.01;
    expect(glareCeiling(flat)).toBeLessThan(0.02);
    expect(glareCeiling(createImage(8, 8, RELATIVE_REC709))).toBe(0);
  });
});
