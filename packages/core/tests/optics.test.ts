import fc from 'fast-check';
import {
  angleOfRadius,
  arcDeg,
  detectImageCircle,
  directionFromAngles,
  fieldOfViewDeg,
  lensFromFov,
  projectDirection,
  radiusOfAngle,
  unprojectPixel,
  type Projection,
  fieldOfViewScaled,
} from '../src';

const PROJECTIONS: Projection[] = ['equidistant', 'equisolid', 'stereographic', 'orthographic', 'rectilinear'];

describe('lenses', () => {
  test.each(PROJECTIONS)('%s: angle and radius are inverse', (projection) => {
    for (const theta of [0.01, 0.3, 0.8, 1.2])
      expect(angleOfRadius(projection, radiusOfAngle(projection, theta))).toBeCloseTo(theta, 10);
  });

  test.each([...PROJECTIONS, 'latlong' as const])('%s: a pixel looks where it is projected from', (projection) => {
    const size = projection === 'latlong' ? { width: 800, height: 400 } : { width: 600, height: 400 };
    const lens = lensFromFov(projection, 120, size);
    fc.assert(
      fc.property(
        fc.double({ min: 150, max: 450, noNaN: true }),
        fc.double({ min: 60, max: 340, noNaN: true }),
        (x, y) => {
          const d = unprojectPixel(lens, x, y);
          if (!d) return;
          const p = projectDirection(lens, d)!;
          expect(p.x).toBeCloseTo(x, 6);
          expect(p.y).toBeCloseTo(y, 6);
        },
      ),
    );
  });

  test('the stated field of view spans the long side', () => {
    const lens = lensFromFov('equidistant', 180, { width: 300, height: 200 });
    expect(arcDeg(unprojectPixel(lens, 300, 100)!, [0, 0, -1])).toBeCloseTo(90, 9);
    expect(projectDirection(lens, directionFromAngles(45, 0))!.x).toBeCloseTo(225, 6);
    expect(projectDirection(lens, [0, 0, 1])).toBeNull();
  });

  test.each([
    [0, 'rectilinear'],
    [200, 'rectilinear'],
    [400, 'equidistant'],
    [-5, 'equisolid'],
    [NaN, 'stereographic'],
  ] as [number, Projection][])('a field of view of %s degrees is refused for %s', (fov, projection) => {
    expect(() => lensFromFov(projection, fov, { width: 300, height: 200 })).toThrow(/not possible/);
  });
  test('a one-pixel picture is no view', () =>
    expect(() => lensFromFov('equidistant', 180, { width: 1, height: 1 })).toThrow(/too small/));

  test('field of view of a 24.89 mm gate behind 32 mm', () => expect(fieldOfViewDeg(24.89, 32)).toBeCloseTo(42.5, 1));

  test('an image circle is found, a full frame has none', () => {
    const plane = (lit: (x: number, y: number) => boolean) =>
      Float32Array.from({ length: 300 * 200 }, (_, i) =>
        lit((i % 300) + 0.5 - 150, Math.floor(i / 300) + 0.5 - 100) ? 1 : 0,
      );
    expect(
      detectImageCircle(
        plane((x, y) => Math.hypot(x, y) < 90),
        300,
        200,
        0.5,
      ),
    ).toBeCloseTo(180, -1);
    expect(
      detectImageCircle(
        plane(() => true),
        300,
        200,
        0.5,
      ),
    ).toBeNull();
  });
});

describe('a focal length that turned out longer', () => {
  test.each(['equidistant', 'equisolid', 'stereographic', 'orthographic', 'rectilinear'] as const)(
    '%s: back and forth, and the right way round',
    (projection) => {
      const fov = 100;
      expect(fieldOfViewScaled(projection, fov, 1)).toBeCloseTo(fov, 9);
      const longer = fieldOfViewScaled(projection, fov, 1.02);
      expect(longer).toBeLessThan(fov);
      expect(fieldOfViewScaled(projection, longer, 1 / 1.02)).toBeCloseTo(fov, 9);
    },
  );
  test('equidistant angles are simply divided; a rectilinear tangent is', () => {
    expect(fieldOfViewScaled('equidistant', 190, 1.01)).toBeCloseTo(190 / 1.01, 9);
    expect(Math.tan((fieldOfViewScaled('rectilinear', 90, 2) * Math.PI) / 360)).toBeCloseTo(0.5, 9);
  });
  test('what no projection holds is refused', () => {
    expect(() => fieldOfViewScaled('orthographic', 170, 0.5)).toThrow(/no focal length/);
  });
});
