import { fieldOfViewDeg } from '@tawny/core/camera/fieldOfView';
import { directionFromAngles } from '@tawny/core/sphere/direction';
import type { CameraBody, LensRecord } from '@tawny/contract';
import { pathOnScreen, placeOnScreen } from '../../features/sight/onScreen';
import { plannedFrom, sightOfPlanned } from '../../features/sight/plannedCamera';
import { directionAt, headingOf, inSight, shiftAt, whereInSight } from '../../features/sight/sightMath';

const FORMAT = { name: 'full', widthPx: 1920, heightPx: 1080, gateWidthMm: 24, gateHeightMm: 13.5, squeeze: 1, circleOfConfusionMm: 0.02 }; // prettier-ignore
const LENS = { id: 'p', name: 'Skerry zoom', kind: 'zoom', focalMinMm: 24, focalMaxMm: 70, tMin: 2.8, squeeze: 1, transmission: 0.8, entrancePupil: [], distortion: null }; // prettier-ignore
const FISHEYE = { ...LENS, id: 'f', kind: 'fisheye' };
const kit = (lenses: object[]) => ({
  bodies: [{ id: 'b', formats: [FORMAT] }] as unknown as CameraBody[],
  lenses: lenses as LensRecord[],
});

describe('a camera for planning', () => {
  test('is the first lens of the kit that is no fisheye, at its wide end; a kit without one has none', () => {
    expect(plannedFrom(kit([FISHEYE, LENS]))).toMatchObject({ lens: { id: 'p' }, focalLengthMm: 24, headingDeg: 0 });
    expect(plannedFrom(kit([FISHEYE]))).toBeNull();
    expect(plannedFrom({ bodies: [], lenses: [LENS] as unknown as LensRecord[] })).toBeNull();
  });

  test('looks where it is told through the field of its lens', () => {
    const view = sightOfPlanned({ ...plannedFrom(kit([LENS]))!, focalLengthMm: 35, headingDeg: 250, tiltDeg: 10 });
    expect(headingOf(view)).toBeCloseTo(250, 9);
    const middle = inSight(view, directionFromAngles(250, 10))!;
    expect([middle.xPx, middle.yPx]).toEqual([expect.closeTo(960, 6), expect.closeTo(540, 6)]);
    const half = fieldOfViewDeg(24, 35) / 2;
    const level = sightOfPlanned({ ...plannedFrom(kit([LENS]))!, focalLengthMm: 35, headingDeg: 250, tiltDeg: 0 });
    expect(whereInSight(level, directionFromAngles(250 + half - 0.1, 0)).at).not.toBeNull();
    expect(whereInSight(level, directionFromAngles(250 + half + 0.1, 0)).at).toBeNull();
    // Nothing is known of a camera that is only thought of.
    expect([view.headingKnown, view.tiltKnown]).toEqual([false, false]);
  });
});

describe('lines over the picture', () => {
  const view = sightOfPlanned({ ...plannedFrom(kit([LENS]))!, headingDeg: 0 });

  test('points stand where the lens has them; what is behind or far beside is not drawn', () => {
    const at = placeOnScreen(view, 390, 219.375, [0, 0, -10])!;
    expect([at.x, at.y]).toEqual([expect.closeTo(195, 6), expect.closeTo(109.6875, 6)]);
    expect(placeOnScreen(view, 390, 219.375, [0, 0, 10])).toBeNull();
    expect(placeOnScreen(view, 390, 219.375, [60, 0, -10])).toBeNull();
  });

  test('a line that goes on behind the camera ends where it leaves the picture', () => {
    const whole = pathOnScreen(view, 390, 219.375, [[-1, -1, -10], [1, -1, -10]]); // prettier-ignore
    expect(whole.match(/M/g)).toHaveLength(1);
    expect(whole.match(/L/g)).toHaveLength(12);
    const half = pathOnScreen(view, 390, 219.375, [[0, -1, -10], [0, -1, 10]]); // prettier-ignore
    expect(half.match(/[ML]/g)!.length).toBeLessThan(8);
    expect(pathOnScreen(view, 390, 219.375, [[0, 0, 5], [0, 0, 10]])).toBe(''); // prettier-ignore
  });

  test('a thing to the right of a camera shifts as the station sees it, wherever the camera looks', () => {
    const offset = { aheadM: 0, rightM: 2, upM: 0 };
    for (const headingDeg of [0, 140, 300]) {
      const turned = sightOfPlanned({ ...plannedFrom(kit([LENS]))!, headingDeg });
      const ray = directionAt(turned, 960, 540)!;
      expect(shiftAt(turned, offset, ray, 10).rightDeg).toBeCloseTo(-11.31, 2);
    }
  });
});
