import {
  angleOfRadius,
  anglesFromDirection,
  arcDeg,
  boxShrink,
  composeRows,
  conjugate,
  createImage,
  RELATIVE_REC709,
  cross,
  directionFromAngles,
  dot,
  fromAxisAngle,
  fromRotationVector,
  IDENTITY,
  illuminance,
  lensAngle,
  lensFromFov,
  lensRadius,
  logVignetting,
  multiply,
  normalize,
  normalizeQuaternion,
  projectDirection,
  quaternionFromAttitude,
  radiusOfAngle,
  resampleLatlong,
  rotate,
  throughPupil,
  toMatrix,
  toRotationVector,
  turnPanorama,
  unprojectPixel,
  weighView,
  wrap180,
  wrap360,
  type Projection,
  type Quaternion,
  type Vec3,
  type View,
} from '../src';
import { lookUp, makeColumns, newPlaces, nodeSpacing, placeRow, prepareView } from '../src/stitch/project';
import { random as seeded } from './support/random';

const { next, normal } = seeded(11);
const anyVector = (): Vec3 => [normal(), normal(), normal()];
const anyTurn = (): Quaternion => normalizeQuaternion([normal(), normal(), normal(), normal()]);
const close = (a: readonly number[], b: readonly number[], digits = 10) =>
  a.forEach((v, i) => expect(v).toBeCloseTo(b[i], digits));

describe('rotations', () => {
  test('a product turns as its factors one after the other; the opposite undoes', () => {
    for (let k = 0; k < 50; k++) {
      const [p, q, v] = [anyTurn(), anyTurn(), anyVector()];
      close(rotate(multiply(p, q), v), rotate(p, rotate(q, v)));
      close(rotate(conjugate(q), rotate(q, v)), v);
      close(multiply(q, IDENTITY), q);
    }
  });
  test('matrices are orthonormal and keep handedness', () => {
    for (let k = 0; k < 20; k++) {
      const m = toMatrix(anyTurn());
      const rows: Vec3[] = [
        [m[0], m[1], m[2]],
        [m[3], m[4], m[5]],
        [m[6], m[7], m[8]],
      ];
      rows.forEach((a, i) => rows.forEach((b, j) => expect(dot(a, b)).toBeCloseTo(i === j ? 1 : 0, 12)));
      close(cross(rows[0], rows[1]), rows[2]);
    }
  });
  test('rotation vectors come back, the short way round', () => {
    for (let k = 0; k < 50; k++) {
      const v = anyVector().map((c) => c * 0.8) as unknown as Vec3;
      if (Math.hypot(...v) > 3.1) continue;
      close(toRotationVector(fromRotationVector(v)), v, 9);
    }
    const long = toRotationVector(fromAxisAngle([0, 1, 0], (350 * Math.PI) / 180));
    expect(long[1]).toBeCloseTo((-10 * Math.PI) / 180, 12);
    close(toRotationVector(fromRotationVector([1e-14, 0, 0])), [1e-14, 0, 0], 16);
    expect(() => normalizeQuaternion([0, 0, 0, 0])).toThrow('no rotation');
  });
  test('heading, tilt and roll: the axis looks there, and roll leans the picture', () => {
    for (const [heading, tilt] of [
      [0, 0],
      [90, 0],
      [200, 35],
      [310, -60],
    ]) {
      const ahead = anglesFromDirection(
        rotate(quaternionFromAttitude({ headingDeg: heading, tiltDeg: tilt, rollDeg: 0 }), [0, 0, -1]),
      );
      expect(wrap180(ahead.azimuthDeg - heading)).toBeCloseTo(0, 9);
      expect(ahead.elevationDeg).toBeCloseTo(tilt, 9);
    }
    const level = rotate(quaternionFromAttitude({ headingDeg: 40, tiltDeg: 20, rollDeg: 0 }), [1, 0, 0]);
    expect(level[1]).toBeCloseTo(0, 12);
    const rolled = rotate(quaternionFromAttitude({ headingDeg: 0, tiltDeg: 0, rollDeg: 10 }), [1, 0, 0]);
    expect(Math.abs(Math.asin(rolled[1])) * (180 / Math.PI)).toBeCloseTo(10, 9);
  });
});

describe('angles', () => {
  test('wrap into their ranges', () => {
    expect([wrap360(-1), wrap360(360), wrap360(725), wrap360(-0)]).toEqual([359, 0, 5, 0]);
    expect([wrap180(180), wrap180(-180), wrap180(190), wrap180(-190)]).toEqual([-180, -180, -170, 170]);
  });
  test('azimuth and elevation to a direction and back', () => {
    for (let k = 0; k < 100; k++) {
      const [az, el] = [360 * next(), -89 + 178 * next()];
      const back = anglesFromDirection(directionFromAngles(az, el));
      expect(wrap180(back.azimuthDeg - az)).toBeCloseTo(0, 9);
      expect(back.elevationDeg).toBeCloseTo(el, 9);
    }
    close(directionFromAngles(90, 0), [1, 0, 0]);
    close(directionFromAngles(0, 0), [0, 0, -1]);
    expect(() => normalize([0, 0, 0])).toThrow('no direction');
  });
  test('arcs are exact where a cosine would not be', () => {
    expect(arcDeg(directionFromAngles(10, 0), directionFromAngles(10 + 1e-7, 0)) / 1e-7).toBeCloseTo(1, 6);
    expect(arcDeg([1, 0, 0], [-1, 0, 0])).toBeCloseTo(180, 12);
  });
});

describe('lenses', () => {
  const kinds: [Projection, number][] = [
    ['equidistant', 3],
    ['equisolid', 3],
    ['stereographic', 3],
    ['orthographic', 1.55],
    ['rectilinear', 1.5],
  ];
  test.each(kinds)('%s: angle to radius and back, near the axis one to one', (projection, most) => {
    for (let t = 0.001; t < most; t += 0.037)
      expect(angleOfRadius(projection, radiusOfAngle(projection, t))).toBeCloseTo(t, 9);
    expect(radiusOfAngle(projection, 1e-4) / 1e-4).toBeCloseTo(1, 7);
    // The odd polynomial, too.
    const lens = { projection, poly: [0.02, -0.004] as const };
    for (let t = 0.01; t < Math.min(most, 1.4); t += 0.11)
      expect(lensAngle(lens, lensRadius(lens, t))).toBeCloseTo(t, 8);
  });
  test.each([...kinds.map(([p]) => p), 'latlong' as const])(
    '%s: a pixel looks where its direction falls',
    (projection) => {
      const lens = lensFromFov(projection, projection === 'rectilinear' ? 90 : projection === 'latlong' ? 360 : 170, {
        width: projection === 'latlong' ? 400 : 300,
        height: 200,
      });
      let seen = 0;
      for (let y = 5; y < 200; y += 17) {
        for (let x = 5; x < 300; x += 19) {
          const d = unprojectPixel(lens, x, y);
          if (!d) continue;
          seen++;
          expect(Math.hypot(...d)).toBeCloseTo(1, 10);
          const p = projectDirection(lens, d)!;
          expect(p.x).toBeCloseTo(x, 6);
          expect(p.y).toBeCloseTo(y, 6);
        }
      }
      expect(seen).toBeGreaterThan(50);
    },
  );
  test('what a field of view spans is what was stated', () => {
    const size = { width: 400, height: 300 };
    const edge = (across: 'width' | 'height' | 'diagonal', x: number, y: number) => {
      const lens = lensFromFov('rectilinear', 60, size, across);
      const d = unprojectPixel({ ...lens, maxTheta: 1.5 }, x, y)!;
      return (Math.acos(-d[2]) * 180) / Math.PI;
    };
    expect(edge('width', 400, 150)).toBeCloseTo(30, 9);
    expect(edge('height', 200, 0)).toBeCloseTo(30, 9);
    expect(edge('diagonal', 400, 0)).toBeCloseTo(30, 9);
    expect(lensFromFov('equidistant', 180, size, 'circle', 280).focalPx).toBeCloseTo(140 / (Math.PI / 2), 9);
  });
  test('what cannot be is refused', () => {
    expect(() => lensFromFov('rectilinear', 180, { width: 100, height: 100 })).toThrow(
      /not possible for a rectilinear lens \(1 to 175\)/,
    );
    expect(() => lensFromFov('equidistant', 0.5, { width: 100, height: 100 })).toThrow('not possible');
    expect(() => lensFromFov('equidistant', 180, { width: 8, height: 100 })).toThrow('too small');
    expect(radiusOfAngle('orthographic', 1.6)).toBe(Infinity);
    expect(angleOfRadius('equisolid', 2.1)).toBeNaN();
  });
});

describe('projection of whole rows', () => {
  const view = (projection: Projection, pupilShare = 0): View => {
    const lens = {
      ...lensFromFov(projection, projection === 'rectilinear' ? 80 : 180, { width: 1500, height: 1000 }),
      poly: [0.01, -0.002] as const,
    };
    return {
      image: createImage(16, 16, RELATIVE_REC709),
      clipped: new Uint8Array(256),
      lens,
      attitude: quaternionFromAttitude({ headingDeg: 33, tiltDeg: 12, rollDeg: 4 }),
      logGain: 0.1,
      vignetting: [-0.2, 0.01, 0],
      pupilShare,
    };
  };
  test.each([
    ['equidistant', 4096],
    ['equisolid', 8192],
    ['stereographic', 4096],
    ['rectilinear', 4096],
  ] as const)('%s: straight lines between nodes stay within two hundredths of a pixel', (projection, width) => {
    const v = view(projection);
    const p = prepareView(v, width, 8);
    const columns = makeColumns(width, 2, nodeSpacing(width, [v]));
    expect(columns.apart).toBeGreaterThan(1);
    const places = newPlaces(2 * width);
    let compared = 0;
    let farthestPx = 0;
    let farthestCos = 0;
    for (const elevation of [-70, -20, 0, 31, 64]) {
      placeRow(p, columns, (elevation * Math.PI) / 180, null, places, 0);
      for (let i = 0; i < 2 * width; i += 13) {
        const world = directionFromAngles((360 * (i + 0.5)) / (2 * width), elevation);
        const own = rotate(conjugate(v.attitude), world);
        const exact = projectDirection(v.lens, own);
        if (!exact) continue;
        compared++;
        farthestPx = Math.max(farthestPx, Math.hypot(places.x[i] - exact.x, places.y[i] - exact.y));
        farthestCos = Math.max(farthestCos, Math.abs(places.cos[i] + own[2]));
      }
    }
    expect(compared).toBeGreaterThan(100);
    expect(farthestPx).toBeLessThan(0.02);
    expect(farthestCos).toBeLessThan(5e-5);
  });
  test('nodes divide every width, and are the closer the more pixels a view has', () => {
    const coarse = view('equidistant');
    const fine = { ...coarse, lens: { ...coarse.lens, focalPx: 9 * coarse.lens.focalPx } };
    for (const width of [64, 256, 514, 1024, 2048, 4096, 8192, 8194, 16384]) {
      const apart = nodeSpacing(width, [coarse]);
      expect(width % apart).toBe(0);
      expect((apart * 360) / width).toBeLessThanOrEqual(Math.max(360 / width, 0.6));
      expect(nodeSpacing(width, [fine])).toBeLessThanOrEqual(apart);
      expect(nodeSpacing(width, [coarse, fine])).toBe(nodeSpacing(width, [fine]));
    }
  });
  test('tables give gain and vignetting undone', () => {
    const p = prepareView(view('equidistant'), 1024, 8);
    for (const theta of [0.05, 0.4, 1.1])
      expect(lookUp(p.scale, Math.cos(theta))).toBeCloseTo(Math.exp(-0.1 - logVignetting([-0.2, 0.01, 0], theta)), 6);
  });
  test('the pupil ahead of the axis: nothing for the far, the ground for what is below', () => {
    const out = new Float64Array(3);
    throughPupil(0.01, [0, 0, -1], 0.3, 0.2, -0.9, out);
    close([...out], [0.3, 0.2, -0.9]);
    // Straight ahead and down at the ground: seen from a hundredth of the height ahead.
    const [dx, dy, dz] = directionFromAngles(0, -45);
    throughPupil(0.01, [0, 0, -1], dx, dy, dz, out);
    const ground = { x: dx / -dy, z: dz / -dy };
    expect(out[2] / -out[1]).toBeCloseTo(ground.z + 0.01, 12);
    expect(out[0] / -out[1]).toBeCloseTo(ground.x, 12);
  });
  test('a view weighs nothing where it does not see, most along its axis', () => {
    const v = view('rectilinear');
    const weights = weighView(v, 256);
    let best = 0;
    let mostOutside = 0;
    weights.forEach((w, i) => {
      if (w > weights[best]) best = i;
      const d = directionFromAngles((360 * ((i % 256) + 0.5)) / 256, 90 - (180 * (Math.floor(i / 256) + 0.5)) / 128);
      if (!projectDirection(v.lens, rotate(conjugate(v.attitude), d))) mostOutside = Math.max(mostOutside, Math.abs(w));
    });
    expect(mostOutside).toBe(0);
    const axis = directionFromAngles(
      (360 * ((best % 256) + 0.5)) / 256,
      90 - (180 * (Math.floor(best / 256) + 0.5)) / 128,
    );
    expect(arcDeg(axis, rotate(v.attitude, [0, 0, -1]))).toBeLessThan(1.5);
  });
  test('a latitude-longitude frame that is only turned comes out turned, across its seam as well', () => {
    const width = 256;
    const image = createImage(width, width / 2, RELATIVE_REC709);
    for (let y = 0; y < width / 2; y++)
      for (let x = 0; x < width; x++)
        image.data.fill(
          2 + Math.sin((2 * Math.PI * x) / width) + 0.01 * y,
          3 * (y * width + x),
          3 * (y * width + x) + 3,
        );
    const lens = lensFromFov('latlong', 360, { width, height: width / 2 });
    const strip = {
      y0: 0,
      y1: width / 2,
      width,
      rgb: new Float32Array(3 * width * (width / 2)),
      mask: new Uint8Array(width * (width / 2)),
    };
    // The picture's middle is its heading; 90 degrees are a quarter of the width.
    composeRows(
      [
        {
          image,
          clipped: new Uint8Array(width * (width / 2)),
          lens,
          attitude: quaternionFromAttitude({ headingDeg: 90, tiltDeg: 0, rollDeg: 0 }),
          logGain: 0,
          vignetting: [0, 0, 0],
        },
      ],
      [],
      strip,
    );
    for (const [x, y] of [
      [0, 40],
      [10, 64],
      [128, 64],
      [200, 90],
      [255, 64],
    ])
      expect(strip.rgb[3 * (y * width + x)]).toBeCloseTo(
        image.data[3 * (y * width + ((x - 64 + 128 + width) % width))],
        4,
      );
  });
});

describe('panoramas in other sizes', () => {
  const busy = (width: number) => {
    const image = createImage(width, width / 2, RELATIVE_REC709);
    for (let i = 0; i < image.data.length; i++) image.data[i] = 0.5 + next() * (i % 97 === 0 ? 400 : 1);
    return image;
  };
  test('shrinking keeps flux from every side', () => {
    const image = busy(256);
    for (const n of [
      [0, 1, 0],
      [0, -1, 0],
      [1, 0, 0],
      [0.6, 0.8, 0],
    ] as const) {
      const [before, after] = [illuminance(image, n), illuminance(resampleLatlong(image, 64), n)];
      before.forEach((v, c) => expect(after[c] / v).toBeCloseTo(1, 2));
    }
    // All around, exactly.
    const sum = (p: ReturnType<typeof busy>) => {
      let s = 0;
      for (let y = 0; y < p.height; y++) {
        const omega =
          Math.cos((Math.PI * (y + 0.5)) / p.height - Math.PI / 2) *
          (Math.sin(Math.PI / 2 / p.height) / (Math.PI / 2 / p.height));
        for (let x = 0; x < p.width; x++) s += (omega * p.data[3 * (y * p.width + x) + 1]) / (p.width * p.height);
      }
      return s;
    };
    expect(sum(resampleLatlong(image, 96)) / sum(image)).toBeCloseTo(1, 4);
    expect(() => resampleLatlong(image, 512)).toThrow('cannot area-average');
    expect(resampleLatlong(image, 256)).toBe(image);
  });
  test('turning keeps every row', () => {
    const image = busy(128);
    const turned = turnPanorama(image, 33.3);
    for (let y = 0; y < 64; y += 7) {
      const row = (p: typeof image) => p.data.slice(3 * y * 128, 3 * (y + 1) * 128).reduce((a, b) => a + b, 0);
      expect(row(turned) / row(image)).toBeCloseTo(1, 5);
    }
    const back = turnPanorama(turnPanorama(image, 90), -90);
    for (let i = 0; i < image.data.length; i += 101) expect(back.data[i]).toBeCloseTo(image.data[i], 3);
  });
  test('box averages are averages, and what does not fill a box is dropped', () => {
    const image = createImage(7, 5, RELATIVE_REC709);
    image.data.forEach((_, i) => (image.data[i] = i));
    const small = boxShrink(image, 3);
    expect([small.width, small.height]).toEqual([2, 1]);
    let mean = 0;
    for (let y = 0; y < 3; y++) for (let x = 3; x < 6; x++) mean += image.data[3 * (y * 7 + x) + 2] / 9;
    expect(small.data[5]).toBeCloseTo(mean, 5);
    expect(boxShrink(image, 1)).toBe(image);
  });
});
