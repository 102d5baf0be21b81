import {
  cameraFromStrokes,
  cameraOfPlate,
  checkShapes,
  conjugate,
  directionFromAngles,
  onPlate,
  plateCamera,
  projectToPlate,
  quaternionFromAttitude,
  rotate,
  snapStroke,
  strokesOnPlate,
  unprojectFromPlate,
  type Distortion,
  type Stroke,
  type Vec3,
} from '../src';

const FORMAT = { name: 'f', gateWidthMm: 24, gateHeightMm: 18, widthPx: 2880, heightPx: 2160, squeeze: 1, circleOfConfusionMm: 0.02 }; // prettier-ignore
const TAKE = {
  focalLengthMm: 28,
  tStop: 4,
  focusM: null,
  eastM: 0,
  northM: 0,
  heightM: 1.6,
  tiltDeg: 5,
  headingDeg: 0,
};
const BENT: Distortion = [-0.08, 0.01, 0, 0, 0];
const lens = (squeeze: number, bent: Distortion | null = null) => ({
  squeeze,
  transmission: 0.8,
  entrancePupil: [],
  distortion: bent && { focalMm: 28, idealToDistorted: bent },
});
const cameraWith = (squeeze: number, bent: Distortion | null = null) => plateCamera(TAKE, FORMAT, lens(squeeze, bent));

describe('a camera on the pixels of its plate', () => {
  const square = cameraWith(1);
  it.each([
    ['whole, half the size', square, { widthPx: 1440, heightPx: 1080 }, 'whole', 1680, 1680, 24, 18],
    ['of more pixels than it has', square, { widthPx: 4320, heightPx: 3240 }, 'enlarged', 5040, 5040, 24, 18],
    ['the wide middle of it', square, { widthPx: 1920, heightPx: 800 }, 'cropped', 2240, 2240, 24, 10],
    ['the narrow middle of it', square, { widthPx: 1080, heightPx: 1080 }, 'cropped', 1680, 1680, 18, 18],
    ['on its side', square, { widthPx: 1080, heightPx: 1440 }, 'portrait', 1680, 1680, 18, 24],
    ['squeezed', cameraWith(2), { widthPx: 1440, heightPx: 1080 }, 'whole', 840, 1680, 24, 18],
    ['brought back to its width', cameraWith(2), { widthPx: 2880, heightPx: 1080 }, 'desqueezed', 1680, 1680, 24, 18],
  ] as const)('%s', (_, camera, plate, fit, focalX, focalY, gateW, gateH) => {
    const on = onPlate(camera, plate);
    expect(on.fit).toBe(fit);
    expect([on.optics.focalXPx, on.optics.focalYPx, on.gateWidthMm, on.gateHeightMm]).toEqual([
      expect.closeTo(focalX, 6),
      expect.closeTo(focalY, 6),
      expect.closeTo(gateW, 6),
      expect.closeTo(gateH, 6),
    ]);
    expect(on.squeeze).toBeCloseTo(focalY / focalX, 9);
  });

  it('of a flopped plate sees what stands to the right on the left, and finds it again', () => {
    const straight = onPlate(square, FORMAT).optics;
    const flopped = onPlate(square, FORMAT, true).optics;
    const ray = directionFromAngles(10, 4);
    const [a, b] = [projectToPlate(straight, ray)!, projectToPlate(flopped, ray)!];
    expect(b.xPx).toBeCloseTo(FORMAT.widthPx - a.xPx, 9);
    expect(b.yPx).toBeCloseTo(a.yPx, 9);
    unprojectFromPlate(flopped, b.xPx, b.yPx)!.forEach((v, i) => expect(v).toBeCloseTo(ray[i], 9));
  });
});

describe('strokes on a plate', () => {
  const attitude = { headingDeg: 30, tiltDeg: 4, rollDeg: -1.5 };
  const back = conjugate(quaternionFromAttitude(attitude));
  const edges = (way: Vec3): { from: Vec3; to: Vec3 }[] =>
    [-2.2, -0.7, 1.6].map((aside, k) => {
      const [f, r] = [directionFromAngles(30, 0), directionFromAngles(120, 0)];
      const from: Vec3 = [8 * f[0] + aside * r[0], 0.4 * k - 0.6, 8 * f[2] + aside * r[2]];
      return { from, to: from.map((v, i) => v + 1.8 * way[i]) as unknown as Vec3 };
    });
  it.each([
    ['whole', 1, null, { widthPx: 1440, heightPx: 1080 }, false],
    ['cropped', 1, null, { widthPx: 1920, heightPx: 800 }, false],
    ['on its side', 1, null, { widthPx: 1080, heightPx: 1440 }, false],
    ['squeezed', 2, null, { widthPx: 1440, heightPx: 1080 }, false],
    ['brought back to its width', 2, null, { widthPx: 2880, heightPx: 1080 }, false],
    ['flopped', 1, null, { widthPx: 1440, heightPx: 1080 }, true],
    ['through a lens that bends', 1, BENT, { widthPx: 1440, heightPx: 1080 }, false],
    ['through a lens that bends, on its side and flopped', 1, BENT, { widthPx: 1080, heightPx: 1440 }, true],
  ] as const)('give the camera that made the picture: %s', (_, squeeze, bent, plate, flopped) => {
    const on = onPlate(cameraWith(squeeze, bent), plate, flopped);
    const draw = (way: Vec3) =>
      edges(way).map(({ from, to }): Stroke => {
        const [a, b] = [from, to].map((p) => projectToPlate(on.optics, rotate(back, p))!);
        return [a.xPx, a.yPx, b.xPx, b.yPx];
      });
    const found = cameraFromStrokes(
      strokesOnPlate(
        on,
        {
          families: [
            { kind: 'vertical', azimuthDeg: null, strokes: draw([0, 1, 0]) },
            { kind: 'level', azimuthDeg: 75, strokes: draw(directionFromAngles(75, 0)) },
            { kind: 'level', azimuthDeg: null, strokes: draw(directionFromAngles(345, 0)) },
          ],
          knownLength: null,
        },
        { focalLengthMm: 28, focalMeasured: false, tiltDeg: 4, heightM: 1.6 },
      ),
    );
    expect(found.focalLengthMm).toBeCloseTo(28, 3);
    expect(found.tiltDeg).toBeCloseTo(4, 3);
    expect(found.rollDeg).toBeCloseTo(-1.5, 3);
    expect(found.headingDeg).toBeCloseTo(30, 3);
    expect(found.verdict).toBe('agrees');
  });
});

test('what the picture does not tell is not the log over again', () => {
  const on = onPlate(cameraWith(1), { widthPx: 1440, heightPx: 1080 });
  const back = conjugate(quaternionFromAttitude({ headingDeg: 0, tiltDeg: 4, rollDeg: -1.5 }));
  const upright = [-2, -0.5, 1.5].map((x): Stroke => {
    const [a, b] = [-1, 0.9].map((up) => projectToPlate(on.optics, rotate(back, [x, up, -8]))!);
    return [a.xPx, a.yPx, b.xPx, b.yPx];
  });
  const drawn = { families: [{ kind: 'vertical' as const, azimuthDeg: null, strokes: upright }], knownLength: null };
  const found = cameraOfPlate(on, drawn, { focalLengthMm: 28, focalMeasured: false, tiltDeg: null, heightM: 1.6 });
  expect(found).toMatchObject({ focalLengthMm: null, upM: null, attitudeTold: true });
  expect(found.uncertainty).toMatchObject({ focalLengthMm: null, upM: null });
  // The logged focal length still helps the tilt.
  expect(found.tiltDeg).toBeCloseTo(4, 1);
  const one = { ...drawn, families: [{ kind: 'level' as const, azimuthDeg: null, strokes: upright.slice(0, 2) }] };
  expect(
    cameraOfPlate(on, one, { focalLengthMm: 28, focalMeasured: false, tiltDeg: 4, heightM: null }).attitudeTold,
  ).toBe(false);
});

describe('a stroke is laid on its edge', () => {
  const [W, H] = [400, 300];
  /** Soft steps along lines y = a + b x, with noise of some codes. */
  const picture = (lines: readonly { a: number; b: number; step: number }[], noise: number) => {
    let seed = 7;
    const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
    const data = new Float32Array(W * H);
    for (let j = 0; j < H; j++)
      for (let i = 0; i < W; i++) {
        let v = 100;
        for (const l of lines) {
          const away = (j + 0.5 - l.a - l.b * (i + 0.5)) / Math.hypot(1, l.b);
          v += l.step / (1 + Math.exp(-away / 0.6));
        }
        data[j * W + i] = v + noise * (random() + random() + random() - 1.5) * 2;
      }
    return { widthPx: W, heightPx: H, data };
  };
  const off = (s: Stroke, a: number, b: number) => [s[1] - a - b * s[0], s[3] - a - b * s[2]].map((d) => d / Math.hypot(1, b)); // prettier-ignore

  it('to a fifth of a pixel, through noise, from eight pixels away', () => {
    const laid = snapStroke(picture([{ a: 80, b: 0.3, step: 60 }], 6), [60, 92, 320, 183], 10)!;
    for (const d of off(laid, 80, 0.3)) expect(Math.abs(d)).toBeLessThan(0.2);
  });

  it('the nearer of two, however faint', () => {
    const two = picture([{ a: 80, b: 0.3, step: 40 }, { a: 89, b: 0.3, step: 50 }], 1); // prettier-ignore
    const laid = snapStroke(two, [60, 99.5, 320, 177], 10)!;
    for (const d of off(laid, 80, 0.3)) expect(Math.abs(d)).toBeLessThan(0.4);
  });

  it('and left alone where there is none', () => {
    expect(snapStroke(picture([], 6), [60, 92, 320, 183], 10)).toBeNull();
    expect(snapStroke(picture([{ a: 80, b: 0.3, step: 60 }], 6), [60, 160, 320, 240], 10)).toBeNull();
    expect(snapStroke(picture([{ a: 80, b: 0.3, step: 60 }], 0), [60, 92, 63, 93], 10)).toBeNull();
  });
});

test('what is drawn to check a camera has the sizes that it states', () => {
  const shapes = checkShapes(30, 1.6, 0.5);
  const size = ([a, b]: readonly Vec3[]) => Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2]);
  const cube = shapes.filter((s) => s.kind === 'cube');
  expect(cube).toHaveLength(12);
  for (const edge of cube) expect(size(edge.points)).toBeCloseTo(1, 9);
  for (const pole of shapes.filter((s) => s.kind === 'pole')) {
    expect(size(pole.points)).toBeCloseTo(3, 9);
    expect(pole.points[0][1]).toBeCloseTo(-1.6, 9);
  }
  const grid = shapes.filter((s) => s.kind === 'grid');
  for (const line of grid) for (const p of line.points) expect(p[1]).toBeCloseTo(-1.6, 9);
  // Its lines across stand half a metre apart.
  const ahead = directionFromAngles(30, 0);
  const away = grid.map((l) => l.points[0][0] * ahead[0] + l.points[0][2] * ahead[2]);
  expect([...new Set(away.map((v) => v.toFixed(6)))].map(Number).sort((a, b) => a - b).slice(0, 3)).toEqual([0.5, 1, 1.5]); // prettier-ignore
  expect(() => checkShapes(0, 0, 1)).toThrow(/height over the ground/);
});
