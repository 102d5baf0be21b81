import {
  composeRows,
  createImage,
  decodeUncertainty,
  encodeUncertainty,
  FALLOFF_SIGMA,
  falloffSigma,
  falloffStops,
  lensFromFov,
  lensRadius,
  logVignetting,
  naturalFalloff,
  placementDeg,
  placementSigma,
  quaternionFromAttitude,
  refineViews,
  RELATIVE_REC709,
  rotate,
  unprojectPixel,
  type FalloffCovariance,
  type LensCovariance,
  type Projection,
  type Vec3,
  type View,
  type Vignetting,
} from '../src';

const DEGREE = Math.PI / 180;
const diagonal = (sigma: Vignetting): FalloffCovariance =>
  [0, 1, 2].flatMap((i) => [0, 1, 2].map((j) => (i === j ? sigma[i] ** 2 : 0)));

describe('the falloff that a projection makes', () => {
  /** Sphere over picture, from the lens's own mapping. */
  const density = (projection: Projection, theta: number) => {
    const h = 1e-4;
    const slope = (lensRadius({ projection }, theta + h) - lensRadius({ projection }, theta - h)) / (2 * h);
    return Math.sin(theta) / (lensRadius({ projection }, theta) * slope);
  };
  test.each([
    ['equidistant', 90, 0.002],
    ['equisolid', 90, 1e-6],
    ['stereographic', 80, 0.01],
  ] as const)('%s: the area of the sphere over that of the picture, up to %d degrees', (projection, widest, within) => {
    for (let deg = 10; deg <= widest; deg += 10)
      expect(
        Math.abs(logVignetting(naturalFalloff(projection), deg * DEGREE) - Math.log(density(projection, deg * DEGREE))),
      ).toBeLessThan(within);
  });
  test('rectilinear: the flat pupil besides, which makes the fourth power of the cosine', () => {
    for (const deg of [10, 20, 30])
      expect(logVignetting(naturalFalloff('rectilinear'), deg * DEGREE)).toBeCloseTo(4 * Math.log(Math.cos(deg * DEGREE)), 2); // prettier-ignore
    expect(naturalFalloff('orthographic')).toEqual([0, 0, 0]);
  });
});

describe('how well a falloff is known', () => {
  test('the spread of lenses in stops between middle and edge', () => {
    const t = (Math.PI / 2) ** 2;
    const sigma = Math.hypot(FALLOFF_SIGMA[0] * t, FALLOFF_SIGMA[1] * t ** 2, FALLOFF_SIGMA[2] * t ** 3);
    expect(falloffStops(diagonal(FALLOFF_SIGMA))).toBeCloseTo((1.96 * sigma) / Math.LN2, 3);
    expect(falloffStops(diagonal([0, 0, 0]))).toBe(0);
  });
  test('against the mean of what a view shows, one angle is known best; terms that hang together cancel', () => {
    const first = diagonal([0.2, 0, 0]);
    const angles = Array.from({ length: 91 }, (_, deg) => falloffSigma(first, deg * DEGREE));
    const best = angles.indexOf(Math.min(...angles));
    expect(best).toBeGreaterThan(50);
    expect(best).toBeLessThan(70);
    // More of the first and less of the second term, so that 90 degrees stays what it is.
    const t = (Math.PI / 2) ** 2;
    const tied: FalloffCovariance = [0.04, -0.04 / t, 0, -0.04 / t, 0.04 / t ** 2, 0, 0, 0, 0];
    expect(falloffSigma(tied, Math.PI / 2, [0, 0, 0])).toBeLessThan(1e-6);
    expect(falloffSigma(tied, Math.PI / 4, [0, 0, 0])).toBeGreaterThan(0.05);
  });
});

describe('a panorama states it of its pixels', () => {
  const lens = lensFromFov('equidistant', 180, { width: 160, height: 160 }, 'circle', 160);
  const view = (headingDeg: number, falloffCovariance?: FalloffCovariance): View => {
    const image = createImage(160, 160, RELATIVE_REC709);
    image.data.fill(2);
    const attitude = quaternionFromAttitude({ headingDeg, tiltDeg: 0, rollDeg: 0 });
    const uncertainty = new Uint8Array(160 * 160).fill(encodeUncertainty(0.002));
    return { image, clipped: new Uint8Array(160 * 160), uncertainty, lens, attitude, logGain: 0, vignetting: [0, 0, 0], falloffCovariance }; // prettier-ignore
  };
  /** Relative uncertainty on the horizon. */
  const along = (views: readonly View[]) => {
    const uncertainty = new Uint8Array(128);
    composeRows(views, [], { y0: 32, y1: 33, width: 128, rgb: new Float32Array(384), mask: new Uint8Array(128), uncertainty }); // prettier-ignore
    return Array.from(uncertainty, decodeUncertainty);
  };
  test('nothing is added where nothing was fitted; an unsure falloff tells most in the middle and at the edge', () => {
    const plain = along([view(0), view(180)]);
    expect(Math.max(...plain)).toBeLessThan(0.003);
    const unsure = along([view(0, diagonal([0.1, 0, 0])), view(180, diagonal([0.1, 0, 0]))]);
    expect(unsure[0] / unsure[Math.round((60 / 360) * 128)]).toBeGreaterThan(2);
    // Its own, and a fifth of what it is between middle and edge, for lenses of another shape.
    const t = (Math.PI / 2) ** 2;
    expect(unsure[0]).toBeCloseTo(Math.hypot(falloffSigma(diagonal([0.1, 0, 0]), 0), 0.2 * 0.1 * t, 0.01), 2);
    // What two views share does not average out where both are seen.
    expect(unsure[32]).toBeGreaterThan(0.06);
  });
});

describe('a panorama states where a lens may put things too far out or in', () => {
  const size = 400;
  const lens = lensFromFov('equidistant', 180, { width: size, height: size }, 'circle', size);
  /** Dark to the left, sixteen times as bright from 45 degrees right of the axis on. */
  const uncertaintyAlong = (lensCovariance?: LensCovariance) => {
    const image = createImage(size, size, RELATIVE_REC709);
    for (let i = 0; i < size * size; i++) image.data.fill(i % size < 0.75 * size ? 1 : 16, 3 * i, 3 * i + 3);
    const attitude = quaternionFromAttitude({ headingDeg: 0, tiltDeg: 0, rollDeg: 0 });
    const view: View = { image, clipped: new Uint8Array(size * size), uncertainty: new Uint8Array(size * size).fill(encodeUncertainty(0.002)), lens, attitude, logGain: 0, vignetting: [0, 0, 0], lensCovariance }; // prettier-ignore
    const uncertainty = new Uint8Array(720);
    composeRows([view], [], { y0: 180, y1: 181, width: 720, rgb: new Float32Array(2160), mask: new Uint8Array(720), uncertainty }); // prettier-ignore
    return (deg: number) => decodeUncertainty(uncertainty[2 * deg]);
  };
  const scaleOff = (share: number): LensCovariance => [share ** 2, 0, 0, 0, 0, 0, 0, 0, 0];
  test('nothing beside an edge when the lens is known; at the edge, as far as it may be off, when it is not', () => {
    const known = uncertaintyAlong(scaleOff(0.0002));
    for (const deg of [20, 44, 46, 70]) expect(known(deg)).toBeLessThan(0.003);
    expect(uncertaintyAlong()(44)).toBeLessThan(0.003);
    // Two percent of 45 degrees are 0.9 degrees.
    const unsure = uncertaintyAlong(scaleOff(0.02));
    expect(unsure(44)).toBeGreaterThan(7);
    expect(unsure(45)).toBeCloseTo((15 / 16) * Math.SQRT1_2, 1);
    for (const deg of [20, 43, 47, 70]) expect(unsure(deg)).toBeLessThan(0.003);
  });
});

describe('two opposite views', () => {
  const radiance = (d: Vec3) =>
    2 + Math.sin(9 * d[0] + 1) * Math.cos(7 * d[2]) + 0.6 * Math.sin(13 * d[1] + 5 * d[0]) + 0.3 * Math.sin(31 * d[2]);
  const falloff = (theta: number) => (theta < 1e-6 ? 1 : Math.sin(Math.min(theta, 1.9)) / theta);
  /** A view by a lens of 200 degrees whose stated focal length is `stated` times its real one. */
  function shoot(headingDeg: number, stated: number): View {
    const real = lensFromFov('equidistant', 200, { width: 320, height: 320 }, 'circle', 320);
    const attitude = quaternionFromAttitude({ headingDeg, tiltDeg: 0, rollDeg: 0 });
    const image = createImage(320, 320, RELATIVE_REC709);
    for (let i = 0; i < 320 * 320; i++) {
      const d = unprojectPixel(real, (i % 320) + 0.5, Math.floor(i / 320) + 0.5);
      image.data.fill(d ? radiance(rotate(attitude, d)) * falloff(Math.acos(-d[2])) : 0, 3 * i, 3 * i + 3);
    }
    const lens = { ...real, focalPx: real.focalPx * stated };
    return { image, clipped: new Uint8Array(320 * 320), lens, attitude, logGain: 0, vignetting: [0, 0, 0] };
  }
  test('the ring in which they meet tells an angle that was stated wrong; a focal length that is known on the axis is not moved by it', () => {
    for (const stated of [1.03, 0.97]) {
      const views = [shoot(0, stated), shoot(180, stated)];
      expect(Math.abs(refineViews(views, { samples: 8000 }).focalScale * stated - 1)).toBeLessThan(0.008);
      const known = refineViews(views, { samples: 8000, focalPrior: 0.003, focalPriorAt: 0 });
      expect(Math.abs(known.focalScale - 1)).toBeLessThan(0.005);
    }
  });
  test('the focal length stays where it was stated rightly; the falloff is told to what it is known', () => {
    for (const stated of [1, 1.03]) {
      const fit = refineViews([shoot(0, stated), shoot(180, stated)], { samples: 8000 });
      expect(Math.abs(fit.focalScale * stated - 1)).toBeLessThan(0.008);
      expect(fit.poly.map(Math.abs).every((k) => k < 0.02)).toBe(true);
      const error = (theta: number) => logVignetting(fit.vignetting, theta) - Math.log(falloff(theta));
      const half = falloffStops(fit.falloffCovariance!);
      expect(half).toBeGreaterThan(0.2);
      expect(Math.abs(error(Math.PI / 2)) / Math.LN2).toBeLessThan(half);
    }
  });
  test('how far off things may stand: as the prior leaves it in the middle, told at the rim by the overlaps', () => {
    for (const stated of [1, 1.03, 0.97]) {
      const fit = refineViews([shoot(0, stated), shoot(180, stated)], { samples: 8000 });
      const lens = { ...shoot(0, stated).lens, poly: fit.poly };
      const fitted = { ...lens, focalPx: lens.focalPx * fit.focalScale };
      const real = lensFromFov('equidistant', 200, { width: 320, height: 320 }, 'circle', 320);
      const error = (theta: number) => Math.abs(fitted.focalPx * lensRadius(fitted, theta) - real.focalPx * theta);
      for (let deg = 15; deg <= 90; deg += 15)
        expect(error(deg * DEGREE)).toBeLessThan(
          1.96 * placementSigma(fit.lensCovariance!, fitted, deg * DEGREE) + 0.1,
        );
      expect(placementSigma(fit.lensCovariance!, fitted, 90 * DEGREE)).toBeLessThan(0.3);
      expect(placementDeg(fit.lensCovariance!, fitted)).toBeGreaterThan(0.3);
      expect(placementDeg(fit.lensCovariance!, fitted)).toBeLessThan(1.5);
    }
  });
  test('what was learnt of the lens holds its falloff', () => {
    const views = [shoot(0, 1), shoot(180, 1)];
    const learned = { mean: [-0.1667, -0.0056, -0.0004] as const, sigma: [0.01, 0.0015, 0.0003] as const };
    const fit = refineViews(views, { samples: 8000, falloffPrior: learned });
    expect(falloffStops(fit.falloffCovariance!)).toBeLessThan(0.1);
    expect(Math.abs(logVignetting(fit.vignetting, Math.PI / 2) - Math.log(falloff(Math.PI / 2)))).toBeLessThan(0.04);
  });
});
