import fc from 'fast-check';
import {
  anglesAtPixel,
  anglesFromDirection,
  arcDeg,
  attitudeFromQuaternion,
  createImage,
  RELATIVE_REC709,
  directionFromAngles,
  illuminance,
  luminance,
  pixelAtAngles,
  quaternionFromAttitude,
  resampleLatlong,
  rotate,
  rowSolidAngles,
  turnPanorama,
  wrap180,
  yawQuaternion,
  type Vec3,
} from '../src';

const near = (a: readonly number[], b: readonly number[], digits = 9) =>
  a.forEach((v, i) => expect(v).toBeCloseTo(b[i], digits));

describe('directions', () => {
  test('the four quarters and the zenith, by the conventions', () => {
    near(directionFromAngles(0, 0), [0, 0, -1]);
    near(directionFromAngles(90, 0), [1, 0, 0]);
    near(directionFromAngles(180, 0), [0, 0, 1]);
    near(directionFromAngles(270, 0), [-1, 0, 0]);
    near(directionFromAngles(123, 90), [0, 1, 0]);
  });

  test("angles and direction are each other's inverse", () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 359.99, noNaN: true }),
        fc.double({ min: -89, max: 89, noNaN: true }),
        (az, el) => {
          const back = anglesFromDirection(directionFromAngles(az, el));
          expect(Math.abs(wrap180(back.azimuthDeg - az))).toBeLessThan(1e-9);
          expect(back.elevationDeg).toBeCloseTo(el, 9);
        },
      ),
    );
  });

  test('arc is exact for tiny angles, where an arc cosine would give zero', () => {
    expect(arcDeg(directionFromAngles(10, 20), directionFromAngles(10, 20 + 1e-7))).toBeCloseTo(1e-7, 12);
  });
});

describe('attitude', () => {
  test('heading east, tilt up, roll lowers the right side', () => {
    near(rotate(quaternionFromAttitude({ headingDeg: 90, tiltDeg: 0, rollDeg: 0 }), [0, 0, -1]), [1, 0, 0]);
    expect(rotate(quaternionFromAttitude({ headingDeg: 0, tiltDeg: 30, rollDeg: 0 }), [0, 0, -1])[1]).toBeCloseTo(
      0.5,
      12,
    );
    expect(rotate(quaternionFromAttitude({ headingDeg: 0, tiltDeg: 0, rollDeg: 10 }), [1, 0, 0])[1]).toBeLessThan(0);
  });

  test('attitude survives the way through a quaternion', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 359, noNaN: true }),
        fc.double({ min: -85, max: 85, noNaN: true }),
        fc.double({ min: -170, max: 170, noNaN: true }),
        (headingDeg, tiltDeg, rollDeg) => {
          const a = attitudeFromQuaternion(quaternionFromAttitude({ headingDeg, tiltDeg, rollDeg }));
          expect(Math.abs(wrap180(a.headingDeg - headingDeg))).toBeLessThan(1e-7);
          expect(a.tiltDeg).toBeCloseTo(tiltDeg, 7);
          expect(a.rollDeg).toBeCloseTo(rollDeg, 7);
        },
      ),
    );
  });

  test('a yaw adds to every azimuth', () => {
    const turned = rotate(yawQuaternion(25), directionFromAngles(100, 12));
    expect(anglesFromDirection(turned).azimuthDeg).toBeCloseTo(125, 9);
    expect(anglesFromDirection(turned).elevationDeg).toBeCloseTo(12, 9);
  });
});

describe('latitude-longitude panoramas', () => {
  test('left edge north, east at a quarter, row 0 at the zenith side', () => {
    expect(anglesAtPixel(-0.5, 0, 8, 4).azimuthDeg).toBe(0);
    expect(anglesAtPixel(1.5, 0, 8, 4).azimuthDeg).toBe(90);
    expect(anglesAtPixel(0, 0, 8, 4).elevationDeg).toBe(67.5);
    expect(pixelAtAngles(90, 0, 8, 4)).toEqual({ x: 1.5, y: 1.5 });
  });

  test('solid angles of all pixels add up to the sphere', () => {
    expect(rowSolidAngles(64, 32).reduce((s, o) => s + 64 * o, 0)).toBeCloseTo(4 * Math.PI, 12);
  });

  test('a uniform sphere of 1 cd/m2 gives pi lux on any plane', () => {
    const image = createImage(256, 128, RELATIVE_REC709);
    image.data.fill(1);
    for (const n of [
      [0, 1, 0],
      [1, 0, 0],
      [0.6, 0, 0.8],
    ] as Vec3[])
      expect(luminance(...illuminance(image, n), 'rec709')).toBeCloseTo(Math.PI, 3);
  });

  test('turning and shrinking keep the flux', () => {
    const image = createImage(48, 24, RELATIVE_REC709);
    for (let i = 0; i < image.data.length; i++) image.data[i] = ((i * 7919) % 97) + 0.5;
    const omega = rowSolidAngles(48, 24);
    const flux = (p: typeof image, o: Float64Array) =>
      Array.from(p.data).reduce((s, v, i) => s + v * o[Math.floor(i / 3 / p.width)], 0);
    const total = flux(image, omega);
    expect(flux(turnPanorama(image, 13.7), omega) / total).toBeCloseTo(1, 6);
    expect(flux(resampleLatlong(image, 18), rowSolidAngles(18, 9)) / total).toBeCloseTo(1, 6);
  });

  test('a quarter turn moves a pixel by a quarter of the width', () => {
    const image = createImage(16, 8, RELATIVE_REC709);
    image.data[3 * (4 * 16 + 2)] = 5;
    expect(turnPanorama(image, 90).data[3 * (4 * 16 + 6)]).toBeCloseTo(5, 6);
  });

  test('a picture that is not twice as wide as high is refused', () => {
    expect(() => turnPanorama(createImage(10, 10, RELATIVE_REC709), 1)).toThrow(/twice as wide/);
  });
});
