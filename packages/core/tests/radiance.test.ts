import {
  anglesAtPixel,
  checkSheet,
  createImage,
  RELATIVE_REC709,
  decodingTable,
  directionFromAngles,
  fillHoles,
  floorAndEdge,
  linearToSrgb,
  mergeBracket,
  observeRatio,
  panoramaStatistics,
  recoverResponse,
  responseDifferenceStops,
  responseTables,
  sampleResponse,
  solveExposureFactors,
  unwrapBall,
  type ResponseSample,
} from '../src';

/** Minimal standard generator: tests must not depend on the simulated set. */
function generator(seed: number) {
  let s = seed;
  const uniform = () => {
    s = (s * 16807) % 2147483647;
    return s / 2147483647;
  };
  return { uniform, normal: () => Math.sqrt(-2 * Math.log(uniform())) * Math.cos(2 * Math.PI * uniform()) };
}

const NOMINAL = [16, 4, 1, 0.25, 0.0625];

function samplesOf(
  encode: (v: number, c: number) => number,
  factors: number[],
  seed: number,
): [ResponseSample[], ResponseSample[], ResponseSample[]] {
  const { uniform, normal } = generator(seed);
  return [0, 1, 2].map((c) =>
    Array.from({ length: 1200 }, (): ResponseSample => {
      const radiance = 2 ** (-7 + 10 * uniform());
      return {
        rungs: NOMINAL.map((_, k) => k),
        codes: NOMINAL.map((x, k) =>
          Math.max(
            0,
            Math.min(
              255,
              Math.round(255 * Math.min(1, encode(Math.min(1, radiance * x * factors[k]), c)) + 0.3 * normal()),
            ),
          ),
        ),
      };
    }),
  ) as [ResponseSample[], ResponseSample[], ResponseSample[]];
}

describe('response', () => {
  const gamma = (v: number, c: number) => Math.pow(v, [0.4, 0.45, 0.5][c]);
  test('another exponent in each channel is found within 0.03 stop', () => {
    const r = recoverResponse(samplesOf(gamma, [1, 1, 1, 1, 1], 3), NOMINAL);
    for (let c = 0; c < 3; c++) {
      const d: number[] = [];
      for (let code = 20; code <= 240; code++)
        d.push(Math.log2(r.tables[c][code] / Math.pow(code / 255, 1 / [0.4, 0.45, 0.5][c])));
      const middle = [...d].sort((a, b) => a - b)[d.length >> 1];
      expect(Math.max(...d.map((v) => Math.abs(v - middle)))).toBeLessThan(0.03);
    }
    expect(r.covered).toBe(true);
    expect(r.departureStops).toBeGreaterThan(0.1);
  });
  test('a third exposure that shows the brightest places darkly is enough; one that hardly shows them is not', () => {
    const seen = (step: number) => {
      const { uniform, normal } = generator(6);
      const nominal = [0, 1, 2, 3].map((k) => step ** -k);
      const samples = [0, 1, 2].map(() =>
        Array.from({ length: 1200 }, (): ResponseSample => {
          const radiance = 2 ** (-0.25 - 5 * uniform());
          const code = (x: number) => Math.round(255 * (radiance * x) ** 0.62 + 0.3 * normal());
          return { rungs: [0, 1, 2, 3], codes: nominal.map((x) => Math.max(0, Math.min(255, code(x)))) };
        }),
      ) as [ResponseSample[], ResponseSample[], ResponseSample[]];
      const brightestOfThird = samples.flat().reduce((most, s) => Math.max(most, s.codes[2]), 0);
      return { brightestOfThird, response: recoverResponse(samples, nominal) };
    };
    const three = seen(8);
    // Nothing of it lies among the codes 20 to 240.
    expect(three.brightestOfThird).toBeLessThan(20);
    expect(three.response.covered).toBe(true);
    const error = Array.from({ length: 221 }, (_, k) =>
      Math.log2(three.response.tables[1][k + 20] / ((k + 20) / 255) ** (1 / 0.62)),
    );
    const mean = error.reduce((sum, v) => sum + v, 0) / error.length;
    expect(Math.max(...error.map((v) => Math.abs(v - mean)))).toBeLessThan(0.1);
    expect(seen(16).response.covered).toBe(false);
  });
  test('no wave from one exposure to the next: steps of 8/3 stops, most places of one brightness, and a veil over all', () => {
    const nominal = [0, 1, 2, 3, 4].map((k) => 2 ** ((8 / 3) * (2 - k)));
    // A toe and a shoulder that the usual curve has not.
    const film = (v: number) =>
      ((0.8 * v + 0.2 * (1 - (1 - v) ** 1.5) + 0.01) ** 0.42 - 0.01 ** 0.42) / (1.01 ** 0.42 - 0.01 ** 0.42);
    const { uniform, normal } = generator(12);
    const samples = [0, 1, 2].map(() =>
      Array.from({ length: 1500 }, (_, n): ResponseSample => {
        const radiance = n % 3 === 0 ? 2 ** (-7 + 8 * uniform()) : 2 ** (-2.2 + 0.5 * uniform());
        return {
          rungs: [0, 1, 2, 3, 4],
          codes: nominal.map((x) =>
            Math.max(
              0,
              Math.min(255, Math.round(255 * film(Math.min(1, radiance * x * 1.003 + 0.001 * x)) + 0.5 * normal())),
            ),
          ),
        };
      }),
    ) as [ResponseSample[], ResponseSample[], ResponseSample[]];
    const r = recoverResponse(samples, nominal);
    const light = (code: number) => {
      let [low, high] = [0, 1];
      for (let k = 0; k < 40; k++)
        [low, high] = film((low + high) / 2) * 255 < code ? [(low + high) / 2, high] : [low, (low + high) / 2];
      return low;
    };
    const error = Array.from({ length: 221 }, (_, k) => Math.log2(r.tables[1][k + 20] / light(k + 20)));
    const mean = error.reduce((sum, v) => sum + v, 0) / error.length;
    expect(Math.sqrt(error.reduce((sum, v) => sum + (v - mean) ** 2, 0) / error.length)).toBeLessThan(0.03);
    expect(Math.max(...error.map((v) => Math.abs(v - mean)))).toBeLessThan(0.08);
  });
  test.each([[0.25], [0.33], [0.7], [1]])(
    'a curve that no place fits at first (exponent %f) is found all the same',
    (exponent) => {
      const r = recoverResponse(
        samplesOf((v) => v ** exponent, [1, 1.03, 0.98, 1.01, 0.98], 21),
        NOMINAL,
      );
      const at = (code: number) => Math.log2(r.tables[1][code] / r.tables[1][128]);
      for (const code of [60, 90, 180, 230])
        expect(Math.abs(at(code) - Math.log2(code / 128) / exponent)).toBeLessThan(0.12);
      expect(r.residualRatio).toBeLessThan(6);
    },
  );
  test('what earlier rounds taught stands where a bracket does not reach, and gives way where it does', () => {
    const learned = recoverResponse(samplesOf(gamma, [1, 1, 1, 1, 1], 3), NOMINAL).kept;
    expect(responseDifferenceStops(learned, learned)).toBe(0);
    expect(responseDifferenceStops(learned, { ...learned, curve: 'rec709' })).toBeNull();
    // Nothing brighter than code 110 in any frame.
    const dim = samplesOf(gamma, [1, 1, 1, 1, 1], 8).map((list) =>
      list.flatMap((s) => {
        const seen = s.codes.map((_, i) => i).filter((i) => s.codes[i] <= 110);
        return seen.length > 1 ? [{ rungs: seen.map((i) => s.rungs[i]), codes: seen.map((i) => s.codes[i]) }] : [];
      }),
    ) as ReturnType<typeof samplesOf>;
    const error = (r: { tables: Float32Array[] }) =>
      Math.max(
        ...[0, 1, 2].map((c) => {
          const at = (code: number) => Math.log2(r.tables[c][code]) - Math.log2(code / 255) / [0.4, 0.45, 0.5][c];
          return Math.abs(at(230) - at(80));
        }),
      );
    expect(error(recoverResponse(dim, NOMINAL, { learned }))).toBeLessThan(0.035);
    expect(error(recoverResponse(dim, NOMINAL))).toBeGreaterThan(0.07);
    // Another rendering, seen all over: the samples decide.
    const other = samplesOf((v) => v ** 0.6, [1, 1, 1, 1, 1], 5);
    const [free, held] = [recoverResponse(other, NOMINAL), recoverResponse(other, NOMINAL, { learned })];
    expect(held.changeStops).toBeGreaterThan(0.5);
    expect(responseDifferenceStops(free.kept, held.kept)).toBeLessThan(0.07);
    expect(free.changeStops).toBeNull();
  });
  test('tables are those of what is kept', () => {
    const r = recoverResponse(samplesOf(gamma, [1, 1, 1, 1, 1], 3), NOMINAL);
    expect(responseTables(JSON.parse(JSON.stringify(r.kept)))).toEqual(r.tables);
  });
  test('tables are monotone', () => {
    for (const t of recoverResponse(samplesOf(gamma, [1, 1.05, 0.97, 1, 1], 4), NOMINAL).tables)
      for (let k = 1; k < 256; k++) expect(t[k]).toBeGreaterThan(t[k - 1]);
  });
  test('one slow shutter speed among right ones is told', () => {
    const r = recoverResponse(
      samplesOf((v) => linearToSrgb(v), [1, 1, 1.08, 1, 1], 5),
      NOMINAL,
    );
    const rest = (r.exposureFactors[1] + r.exposureFactors[3]) / 2;
    expect(r.exposureFactors[2] / rest).toBeGreaterThan(1.05);
    expect(r.exposureFactors[2] / rest).toBeLessThan(1.11);
  });
  test('codes that depend on their place are noticed', () => {
    const { uniform } = generator(9);
    const samples = samplesOf((v) => linearToSrgb(v) ** (0.6 + 0.9 * uniform()), [1, 1, 1, 1, 1], 6);
    expect(recoverResponse(samples, NOMINAL).residualRatio).toBeGreaterThan(6);
    expect(
      recoverResponse(
        samplesOf((v) => linearToSrgb(v), [1, 1, 1, 1, 1], 6),
        NOMINAL,
      ).residualRatio,
    ).toBeLessThan(3);
  });
  test('one exposure, or nothing to see, is refused', () => {
    expect(() => recoverResponse([[], [], []], [1])).toThrow(/two exposures/);
    expect(() => recoverResponse([[], [], []], [1, 2])).toThrow(/too few places/);
  });
  test('places are spread over the picture and its brightness', () => {
    const [w, h] = [200, 160];
    const frames = [4, 1].map((x) =>
      Uint8Array.from({ length: w * h * 3 }, (_, i) => Math.min(255, x * 0.25 * Math.floor(((i / 3) % w) * 0.9 + 20))),
    );
    const [red] = sampleResponse(frames, [0, 1], w, h, 200);
    expect(red.length).toBeGreaterThan(60);
    const levels = red.map((s) => s.codes[0]);
    expect(Math.max(...levels) - Math.min(...levels)).toBeGreaterThan(100);
  });
});

describe('exposure ratios of linear frames', () => {
  test('errors of single speeds are found, their mean stays 1', () => {
    const { uniform, normal } = generator(11);
    const radiance = Float64Array.from({ length: 60000 }, () => 0.002 * 2 ** (8 * uniform()));
    const nominal = [8, 2, 0.5];
    const real = [1.04, 0.97, 1.0];
    const codes = nominal.map((x, k) =>
      Uint16Array.from(radiance, (r) =>
        Math.max(0, Math.min(65535, Math.round(65535 * r * x * real[k] * (1 + 0.01 * normal())))),
      ),
    );
    const seen = [0, 1].map((k) =>
      observeRatio(
        { codes: codes[k], exposure: nominal[k] },
        { codes: codes[k + 1], exposure: nominal[k + 1] },
        { a: k, b: k + 1 },
      )!,
    );
    const f = solveExposureFactors(3, seen);
    expect(f[0] / f[1]).toBeCloseTo(1.04 / 0.97, 2);
    expect(f[1] / f[2]).toBeCloseTo(0.97, 2);
    expect(Math.log(f[0] * f[1] * f[2])).toBeCloseTo(0, 6);
    expect(
      observeRatio(
        { codes: new Uint16Array(900), exposure: 1 },
        { codes: new Uint16Array(900), exposure: 0.5 },
        { a: 0, b: 1 },
      ),
    ).toBeNull();
  });
});

describe('moved', () => {
  const [w, h] = [64, 48];
  const exposures = [4, 1, 0.25];
  const frame = (x: number, walker: boolean) => {
    const codes = new Uint8Array(w * h * 3);
    for (let p = 0; p < w * h; p++) {
      const inside = walker && p % w > 20 && p % w < 34 && p / w > 12 && p / w < 40;
      codes.fill(Math.round(255 * linearToSrgb(Math.min(1, (inside ? 0.02 : 0.12) * x))), 3 * p, 3 * p + 3);
    }
    return { codes, exposure: x };
  };
  test('somebody in one frame is taken out, the rest stays', () => {
    const frames = [frame(exposures[0], true), frame(exposures[1], false), frame(exposures[2], false)];
    const plain = mergeBracket(frames, { width: w, height: h, curve: 'srgb' });
    const clean = mergeBracket(frames, { width: w, height: h, curve: 'srgb', moved: true });
    const at = 3 * (25 * w + 27);
    expect(plain.image.data[at]).toBeLessThan(0.1);
    expect(clean.image.data[at]).toBeCloseTo(0.12, 2);
    expect(clean.moved![25 * w + 27]).toBe(1);
    expect(clean.moved![5 * w + 5]).toBe(0);
    expect(clean.image.data[3 * (5 * w + 5)]).toBe(plain.image.data[3 * (5 * w + 5)]);
    expect(plain.moved).toBeNull();
  });
  test('a still bracket has none', () => {
    expect(
      mergeBracket(
        exposures.map((x) => frame(x, false)),
        { width: w, height: h, curve: 'srgb', moved: true },
      ).moved!.every((g) => g === 0),
    ).toBe(true);
  });
  test('a recovered response wins over the stated curve', () => {
    const linear = decodingTable('linear', 255);
    const merged = mergeBracket([{ codes: new Uint8Array(3).fill(51), exposure: 1 }], {
      width: 1,
      height: 1,
      curve: 'srgb',
      tables: [linear, linear, linear],
    });
    expect(merged.image.data[0]).toBeCloseTo(0.2, 6);
  });
});

describe('mirror ball', () => {
  /** A picture of a ball in a world whose radiance tells the direction. */
  const focal = 900;
  const distance = 6;
  const size = 400;
  const world = (d: readonly number[]) => [2 + d[0], 2 + d[1], 2 + d[2]];
  const picture = createImage(size, size, RELATIVE_REC709);
  for (let y = 0; y < size; y++) {
    for (let x = 0; x < size; x++) {
      const v = [x + 0.5 - size / 2, size / 2 - y - 0.5, -focal];
      const n = Math.hypot(...v);
      const r = v.map((c) => c / n);
      // Camera at the origin looking along -Z, ball of radius 1 at distance 6.
      const b = r[2] * -distance;
      const disc = b * b - (distance * distance - 1);
      if (disc < 0) continue;
      const t = b - Math.sqrt(disc);
      const normal = [r[0] * t, r[1] * t, r[2] * t + distance];
      const k = 2 * (r[0] * normal[0] + r[1] * normal[1] + r[2] * normal[2]);
      const out = [r[0] - k * normal[0], r[1] - k * normal[1], r[2] - k * normal[2]];
      picture.data.set(world(out), 3 * (y * size + x));
    }
  }
  const radiusPx = focal * Math.tan(Math.asin(1 / distance));
  test('every direction comes back from where the ball shows it', () => {
    const u = unwrapBall(picture, { centreX: size / 2, centreY: size / 2, radiusPx }, focal, 128);
    let worst = 0;
    for (let y = 0; y < 64; y++) {
      for (let x = 0; x < 128; x++) {
        const a = anglesAtPixel(x, y, 128, 64);
        const d = directionFromAngles(a.azimuthDeg, a.elevationDeg);
        if (Math.acos(-d[2]) < 0.6) continue;
        const w = world(d);
        for (let c = 0; c < 3; c++) worst = Math.max(worst, Math.abs(u.panorama.data[3 * (y * 128 + x) + c] - w[c]));
      }
    }
    expect(worst).toBeLessThan(0.02);
    expect(u.blindConeDeg).toBeCloseTo((Math.asin(1 / 6) * 180) / Math.PI, 6);
    expect(u.pxPerDegree.sideways).toBeLessThan(u.pxPerDegree.towardsCamera);
  });
  test('an outline outside the picture is refused', () => {
    expect(() => unwrapBall(picture, { centreX: 10, centreY: 10, radiusPx: 50 }, focal, 128)).toThrow(/outline/);
    expect(() => unwrapBall(picture, { centreX: 200, centreY: 200, radiusPx }, focal, 128, 0)).toThrow(/reflectance/);
  });
});

describe('holes and the check sheet', () => {
  const panorama = (fill: (el: number, az: number) => number) => {
    const image = createImage(128, 64, RELATIVE_REC709);
    for (let y = 0; y < 64; y++)
      for (let x = 0; x < 128; x++) {
        const a = anglesAtPixel(x, y, 128, 64);
        image.data.fill(fill(a.elevationDeg, a.azimuthDeg), 3 * (y * 128 + x), 3 * (y * 128 + x) + 3);
      }
    return image;
  };
  test('a hole is filled with what surrounds it and nothing else changes', () => {
    const image = panorama((el) => (el < -75 ? 0 : 3));
    const mask = Uint8Array.from({ length: 128 * 64 }, (_, i) => (image.data[3 * i] === 0 ? 2 : 0));
    fillHoles(image, mask);
    expect(Math.min(...image.data)).toBeCloseTo(3, 4);
    expect(Math.max(...image.data)).toBeCloseTo(3, 4);
    const whole = panorama(() => 1);
    const before = whole.data.slice();
    fillHoles(whole, new Uint8Array(128 * 64));
    expect(whole.data).toEqual(before);
  });
  const sheet = (image: ReturnType<typeof panorama>, more: object = {}) =>
    checkSheet({
      statistics: panoramaStatistics(image),
      widthPx: image.width,
      clippedSr: 0,
      sun: null,
      ...floorAndEdge(image),
      ...more,
    });
  const verdict = (checks: ReturnType<typeof sheet>, name: string) => checks.find((c) => c.name === name)!.verdict;
  const smooth = panorama((el, az) => 2 + Math.sin((az * Math.PI) / 180) + 0.01 * el);
  test('a scene of few stops is no fault; lost highlights are called so in words', () => {
    expect(verdict(sheet(smooth, { clippedSr: 0 }), 'dynamic range')).toBe('good');
    const checks = sheet(smooth, { clippedSr: 1e-4, framesPerView: 1 });
    expect(checks.find((c) => c.name === 'dynamic range')).toMatchObject({
      verdict: 'good',
      words: 'as far as its lights are held',
    });
    expect(checks.find((c) => c.name === 'clipped')!.words).toMatch(/lost its highlights/);
    expect(verdict(checks, 'frames a view')).toBe('lost');
    // What a bracket costs that does not tell the response is said; it is no fault.
    const told = (responseFrom: 'round' | 'curve') =>
      sheet(smooth, { framesPerView: 3, responseFrom }).find((c) => c.name === 'frames a view')!;
    expect(told('round')).toMatchObject({ verdict: 'good', words: 'bracketed' });
    expect(told('curve').verdict).toBe('good');
    expect(told('curve').words).toMatch(
      /^bracketed; the frames hardly tell the camera's response, its usual curve is assumed: .* 4 to 7 %/,
    );
  });
  test('edges that do not fit are a wrong projection', () => {
    expect(verdict(sheet(smooth), 'edge')).toBe('good');
    expect(verdict(sheet(panorama((_el, az) => 0.5 + az / 90)), 'edge')).toBe('lost');
  });
  test('a post at the edge of a place full of posts is no cut; what we projected ourselves is not asked', () => {
    const posts = panorama((_el, az) => (Math.floor(az / 4) % 2 === 0 ? 1 : 0.1));
    expect(verdict(sheet(posts), 'edge')).toBe('good');
    const own = sheet(
      panorama((_el, az) => 0.5 + az / 90),
      { framesPerView: 7 },
    );
    expect(own.map((c) => c.name).filter((n) => ['edge', 'poles'].includes(n))).toEqual([]);
  });
  test('light that changed and views that disagree are named', () => {
    const checks = sheet(smooth, {
      seamStops: 0.2,
      lightDriftStops: 0.6,
      movedSr: 0.6,
      movedThings: [{ azimuthDeg: 30, elevationDeg: 2, view: 1 }],
      uncoveredSr: 0.1,
      responseDepartureStops: 0.4,
    });
    expect(['seam error', 'light drift', 'moved', 'not seen', 'camera curve'].map((n) => verdict(checks, n))).toEqual([
      'lost',
      'lost',
      'doubtful',
      'doubtful',
      'good',
    ]);
  });
});
