import fc from 'fast-check';
import {
  arcDeg,
  cameraOfTake,
  depthOfFieldOf,
  directionFromAngles,
  distort,
  entrancePupilM,
  fNumberFromTStop,
  plateCamera,
  plateToWorld,
  projectToPlate,
  squeezeOf,
  tStopFromFNumber,
  undistort,
  unprojectFromPlate,
  viewAnglesDeg,
  worldToPlate,
  type Distortion,
} from '../src';

const FORMAT = {
  name: 'open',
  gateWidthMm: 24,
  gateHeightMm: 20,
  widthPx: 1440,
  heightPx: 1200,
  squeeze: 1,
  circleOfConfusionMm: 0.025,
};
const TAKE = { focalLengthMm: 40, tStop: 4, focusM: 5, eastM: 1, northM: 2, heightM: 1.5, tiltDeg: -4, headingDeg: 30 };
const LENS = {
  squeeze: 2,
  transmission: 0.64,
  entrancePupil: [
    { focalMm: 60, distanceMm: 140 },
    { focalMm: 30, distanceMm: 80 },
  ],
  distortion: null,
};
const BENT: Distortion = [-0.12, 0.03, 0.001, -0.0008, -0.002];

describe('Brown-Conrady', () => {
  it('agrees with a hand-worked value: k1 = -0.1 at (0.5, 0) pulls in by a fortieth', () => {
    expect(distort([-0.1, 0, 0, 0, 0], 0.5, 0)[0]).toBeCloseTo(0.4875, 12);
    // p1 = 0.01: y gains p1 (r^2 + 2 y^2), x gains 2 p1 x y.
    expect(distort([0, 0, 0.01, 0, 0], 0.2, 0.1)).toEqual([expect.closeTo(0.2004, 12), expect.closeTo(0.1007, 12)]);
  });

  it('is undone by its inverse anywhere in a picture', () => {
    const at = fc.double({ min: -0.7, max: 0.7, noNaN: true });
    fc.assert(
      fc.property(at, at, (x, y) => {
        const back = undistort(BENT, ...distort(BENT, x, y))!;
        expect(Math.hypot(back[0] - x, back[1] - y)).toBeLessThan(1e-9);
      }),
    );
  });

  it('says where no ray arrives instead of inventing one', () => {
    // r (1 - r^2) never exceeds 0.385.
    expect(undistort([-1, 0, 0, 0, 0], 0.6, 0)).toBeNull();
  });
});

describe('the plate camera', () => {
  const camera = plateCamera(TAKE, FORMAT, LENS);

  it('sees by squeeze exactly: 2 atan(squeeze w / 2 f) across, square pixels make the focal lengths differ by the squeeze', () => {
    expect(viewAnglesDeg(camera).across).toBeCloseTo((2 * Math.atan(0.6) * 180) / Math.PI, 12);
    expect(viewAnglesDeg(camera).up).toBeCloseTo((2 * Math.atan(0.25) * 180) / Math.PI, 12);
    expect(camera.focalYPx / camera.focalXPx).toBe(2);
    expect(squeezeOf({ squeeze: 1 }, { squeeze: 1.3 })).toBe(1.3);
    expect(squeezeOf({ squeeze: 2 }, { squeeze: 1 })).toBe(2);
    // The edge of the picture is half the angle away.
    const edge = unprojectFromPlate(camera, 1440, 600)!;
    expect(arcDeg(edge, [0, 0, -1])).toBeCloseTo(viewAnglesDeg(camera).across / 2, 9);
  });

  it('keeps T-stop and f-number apart, each inverse of the other', () => {
    expect(camera.fNumber).toBeCloseTo(3.2, 12);
    for (const f of [1.4, 2.8, 11]) expect(fNumberFromTStop(tStopFromFNumber(f, 0.7), 0.7)).toBeCloseTo(f, 12);
    // Depth of field is the f-number's: the T-stop would make it deeper.
    const wide = plateCamera({ ...TAKE, tStop: 3.2 }, FORMAT, { ...LENS, transmission: 1 });
    expect(depthOfFieldOf(camera)!.hyperfocalM).toBeCloseTo(depthOfFieldOf(wide)!.hyperfocalM, 9);
    expect(depthOfFieldOf({ ...camera, focusM: null })).toBeNull();
  });

  it('measures focus from the pupil when the kit knows it, and does not guess when it does not', () => {
    expect(entrancePupilM(LENS.entrancePupil, 40)).toBeCloseTo(0.1, 12);
    expect(entrancePupilM(LENS.entrancePupil, 20)).toBe(0.08);
    expect(entrancePupilM(LENS.entrancePupil, 90)).toBe(0.14);
    expect(camera.focusFromPupilM).toBeCloseTo(4.9, 12);
    expect(plateCamera(TAKE, FORMAT, { ...LENS, entrancePupil: [] }).focusFromPupilM).toBeNull();
  });

  it('uses a distortion at the focal length it was solved for, and not at another end of a zoom', () => {
    const zoom = (focalMm: number) => ({ ...LENS, distortion: { focalMm, idealToDistorted: BENT } });
    expect(plateCamera(TAKE, FORMAT, zoom(40)).distortion).toBe(BENT);
    expect(plateCamera(TAKE, FORMAT, zoom(28)).distortion).toBeNull();
  });

  it.each([
    ['ideal', null],
    ['distorted', { focalMm: 40, idealToDistorted: BENT }],
  ])('projects and looks back along the same ray, %s', (_, distortion) => {
    const c = plateCamera(TAKE, FORMAT, { ...LENS, distortion });
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 1440, noNaN: true }),
        fc.double({ min: 0, max: 1200, noNaN: true }),
        (x, y) => {
          const back = projectToPlate(c, unprojectFromPlate(c, x, y)!)!;
          expect(Math.hypot(back.xPx - x, back.yPx - y)).toBeLessThan(1e-6);
          const [e, u, s] = plateToWorld(c, x, y)!;
          const seen = worldToPlate(c, { eastM: 1 + 7 * e, upM: 1.5 + 7 * u, northM: 2 - 7 * s })!;
          expect(Math.hypot(seen.xPx - x, seen.yPx - y)).toBeLessThan(1e-6);
        },
      ),
    );
  });

  it('looks where the log says: the middle of the picture is heading and tilt, nothing behind it is seen', () => {
    expect(arcDeg(plateToWorld(camera, 720, 600)!, directionFromAngles(30, -4))).toBeLessThan(1e-6);
    expect(projectToPlate(camera, [0, 0, 1])).toBeNull();
    expect(worldToPlate(camera, { eastM: 1, upM: 1.5, northM: -20 })).toBeNull();
  });

  it('that nobody placed on the plan still knows where it looks, and cannot say where a thing of the plan stands', () => {
    const unplaced = plateCamera({ ...TAKE, northM: null }, FORMAT, LENS);
    expect(unplaced.pose).toMatchObject({ position: null, heightM: TAKE.heightM });
    const placed = plateCamera(TAKE, FORMAT, LENS);
    expect(plateToWorld(unplaced, 100, 200)).toEqual(plateToWorld(placed, 100, 200));
    expect(() => worldToPlate(unplaced, { eastM: 0, upM: 0, northM: 30 })).toThrow(/log its place on the plan/);
  });
  it('has no pose when the log lacks one, and says what is missing', () => {
    const nowhere = plateCamera({ ...TAKE, headingDeg: null }, FORMAT, LENS);
    expect(nowhere.pose).toBeNull();
    expect(() => plateToWorld(nowhere, 0, 0)).toThrow(/height, tilt and heading/);
    expect(() => plateCamera({ ...TAKE, focalLengthMm: 0 }, FORMAT, LENS)).toThrow(/focal length/);
  });

  it('turns a magnetic heading to true, and is null for a format that the body does not record', () => {
    const place = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 };
    const take = { ...TAKE, formatName: 'open', headingNorth: 'magnetic' as const, shotAt: '2026-10-14T15:00:00Z' };
    const turned = cameraOfTake(take, { formats: [FORMAT] }, LENS, place)!.pose!.attitude.headingDeg;
    expect(Math.abs(turned - 30)).toBeGreaterThan(0.2);
    expect(Math.abs(turned - 30)).toBeLessThan(5);
    expect(cameraOfTake({ ...take, formatName: 'other' }, { formats: [FORMAT] }, LENS, place)).toBeNull();
  });
});
