import {
  clippedPixels,
  curveFunction,
  decodePicture,
  decodingTable,
  luminance,
  rec709ToLinear,
  signalOf,
  usualDecoding,
  type Curve,
} from '../src';

const plain = (curve: Curve, range: 'full' | 'legal' = 'full') => ({ curve, range, primaries: 'rec709' as const });

describe('curves', () => {
  test('values of the standards', () => {
    // ITU-R BT.709: the linear part ends at 0.018, where the signal is 0.081.
    expect(rec709ToLinear(0.0812)).toBeCloseTo(0.018, 3);
    expect(rec709ToLinear(0.0405)).toBeCloseTo(0.009, 6);
    // 18 % grey has the signal 0.409.
    expect(rec709ToLinear(0.409)).toBeCloseTo(0.18, 3);
    expect(curveFunction('srgb')(0.4614)).toBeCloseTo(0.18, 3);
    expect(curveFunction('gamma:2.4')(0.5)).toBeCloseTo(0.5 ** 2.4, 10);
    expect(curveFunction('gamma22')(0.5)).toBeCloseTo(0.5 ** 2.2, 10);
  });
  test('HLG: the square root meets the logarithm at a twelfth of the light (ITU-R BT.2100-2 table 5)', () => {
    const hlg = curveFunction('hlg');
    // The forward characteristic, as the standard writes it; white is at a signal of 0.75.
    const forward = (e: number) =>
      e <= 1 / 12 ? Math.sqrt(3 * e) : 0.17883277 * Math.log(12 * e - 0.28466892) + 0.55991073;
    const white = (Math.exp((0.75 - 0.55991073) / 0.17883277) + 0.28466892) / 12;
    for (const light of [0.001, 0.05, 1 / 12, 0.18, 0.4, 0.9, 1])
      expect(hlg(forward(light)) * white).toBeCloseTo(light, 6);
    expect(hlg(0.5 + 1e-9)).toBeCloseTo(hlg(0.5), 6);
    expect(hlg(-0.1)).toBeCloseTo(-hlg(0.1), 12);
  });
  test('PQ: scene light through the reference OOTF (ITU-R BT.2100-2 table 4)', () => {
    const pq = curveFunction('pq');
    // The opto-electronic transfer as the standard writes it: OOTF, then the inverse of the electro-optical one.
    const display = (e: number) => 100 * (e <= 0.0003024 ? 267.84 * e : 1.099 * (59.5208 * e) ** 0.45 - 0.099) ** 2.4;
    const signal = (cdM2: number) => {
      const y = (cdM2 / 10000) ** 0.1593017578125;
      return ((0.8359375 + 18.8515625 * y) / (1 + 18.6875 * y)) ** 78.84375;
    };
    const lights = [1e-4, 0.001, 0.01, 0.18, 1];
    const ratios = lights.map((e) => pq(signal(display(e))) / e);
    for (const r of ratios) expect(r / ratios[0]).toBeCloseTo(1, 3);
    expect(pq(signal(203))).toBeCloseTo(1, 4);
    expect(pq(-0.1)).toBe(0);
  });
  test('white and grey card stand where ITU-R BT.2408 table 1 puts them', () => {
    // Signals in per cent: white 75 and 58, a grey card of 18 % at 38 in both.
    expect(curveFunction('hlg')(0.75)).toBeCloseTo(1, 10);
    expect(curveFunction('pq')(0.58)).toBeCloseTo(1, 1);
    for (const curve of ['hlg', 'pq'] as const) expect(curveFunction(curve)(0.38)).toBeCloseTo(0.18, 2);
  });
  test.each(['gamma:0', 'gamma:', 'gamma:x', 'cubic', 'clf:abc'])('%s is no curve', (name) => {
    expect(() => curveFunction(name as Curve)).toThrow(/no curve/);
  });
  test('every curve is steady, through 0 and 1', () => {
    for (const curve of ['linear', 'srgb', 'rec709', 'hlg', 'pq', 'gamma:1.8', 'gamma22'] as const) {
      const table = decodingTable(curve, 255);
      expect(table[0]).toBeCloseTo(0, 12);
      if (curve !== 'hlg' && curve !== 'pq') expect(table[255]).toBe(1);
      for (let i = 1; i < 256; i++) expect(table[i]).toBeGreaterThan(table[i - 1]);
    }
  });
});

describe('range', () => {
  test('legal black and white, at every depth', () => {
    expect([16, 235].map(signalOf('legal', 255))).toEqual([0, 1]);
    expect([16 * 256, 235 * 256].map(signalOf('legal', 65535))).toEqual([0, 1]);
    expect(signalOf('legal', 255)(255)).toBeCloseTo(239 / 219, 10);
    expect(signalOf('full', 65535)(65535)).toBe(1);
  });
  test('a legal picture that is read as full is wrong by more than half a stop in its shadows', () => {
    // Light of 0.022, three stops below grey.
    const code = Math.round(16 + 219 * 0.0988);
    const [right, wrong] = (['legal', 'full'] as const).map(
      (range) =>
        decodePicture({ width: 1, height: 1, codes: Uint8Array.of(code, code, code) }, plain('rec709', range)).data[1],
    );
    expect(right).toBeCloseTo(0.022, 2);
    expect(Math.log2(wrong / right)).toBeGreaterThan(0.5);
  });
});

describe('pictures', () => {
  test('linear floats are taken as they are; floats that are coded are not', () => {
    const codes = Float32Array.of(1, 2, 3);
    expect(decodePicture({ width: 1, height: 1, codes }, plain('linear')).data).toBe(codes);
    const coded = decodePicture({ width: 1, height: 1, codes: Float32Array.of(0.5, 0.25, 1) }, plain('gamma:2'));
    expect([...coded.data]).toEqual([0.25, 0.0625, 1]);
    const legal = decodePicture(
      { width: 1, height: 1, codes: Float32Array.of(16 / 256, 235 / 256, 0.5) },
      plain('linear', 'legal'),
    );
    expect([...legal.data.slice(0, 2)].map((v) => Number(v.toFixed(6)))).toEqual([0, 1]);
  });
  test('what depths are usually for', () => {
    expect(usualDecoding(8).curve).toBe('srgb');
    expect(usualDecoding(16).curve).toBe('linear');
  });
  test('steps of a process list run after the range', () => {
    const nodes = [{ kind: 'matrix', rows: [2, 0, 0, 0, 2, 0, 0, 0, 2], offset: [0, 0, 0.5] }] as const;
    const picture = decodePicture(
      { width: 1, height: 1, codes: Uint8Array.of(16, 235, 16) },
      { curve: nodes, range: 'legal', primaries: 'acescg' },
    );
    expect(picture.space).toBe('acescg');
    expect([...picture.data]).toEqual([0, 2, 0.5]);
  });
  test("a neutral keeps its value through a sensor's matrix", () => {
    // A made-up sensor whose own values mix the primaries.
    const xyzToCamera = [0.9, -0.2, -0.1, -0.4, 1.3, 0.1, 0, 0.1, 0.7];
    const grey = decodePicture(
      { width: 1, height: 1, codes: Uint16Array.of(20000, 20000, 20000) },
      { curve: 'linear', range: 'full', primaries: { xyzToCamera } },
    );
    expect(luminance(grey.data[0], grey.data[1], grey.data[2], 'rec709')).toBeGreaterThan(0.1);
  });
});

describe('what is cut off', () => {
  const noisy = (top: number, most: number, seed = 1) => {
    let s = seed;
    return Uint8Array.from({ length: 3 * 4000 }, () => {
      s = (s * 1103515245 + 12345) % 2147483648;
      return Math.min(top, Math.round((most * s) / 2147483648));
    });
  };
  const share = (codes: Uint8Array | Uint16Array | Float32Array) =>
    clippedPixels({ codes }).reduce((a, b) => a + b, 0) / (codes.length / 3);

  test('the end of the scale, and a white below it', () => {
    expect(share(noisy(255, 320))).toBeGreaterThan(0.3);
    // A legal recording stands at 235.
    expect(share(noisy(235, 320))).toBeGreaterThan(0.4);
    expect(share(noisy(255, 230))).toBe(0);
  });
  test('a bright picture that ends in noise has no white', () => {
    const codes = Uint16Array.from({ length: 30000 }, (_, i) => 30000 + 20000 * Math.sin(i * 12.9898) ** 6);
    expect(share(codes)).toBe(0);
  });
  test('an even grey is not its own white', () => {
    expect(share(new Uint8Array(3000).fill(128))).toBe(0);
  });
  test('floats have a white only where many stand at it', () => {
    const floats = Float32Array.from({ length: 9000 }, (_, i) => (i * 7919) % 1000);
    expect(share(floats)).toBe(0);
    expect(share(floats.map((v) => Math.min(v, 600)))).toBeGreaterThan(0.35);
  });
});
