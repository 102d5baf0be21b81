import { quaternionFromAttitude } from '@tawny/core/orient/attitude';
import { rotate, turnApartDeg } from '@tawny/core/orient/quaternion';
import { anglesFromDirection, directionFromAngles, wrap180 } from '@tawny/core/sphere/direction';
import { feltTurn } from '../../features/sight/feltTurn';
import {
  directionAt,
  dragged,
  handTurnOf,
  horizonLine,
  inSight,
  quaternionOf,
  shadowAzimuthDeg,
  whereInSight,
  type SightView,
} from '../../features/sight/sightMath';

/** A camera that looks along 40 degrees and 10 down, 1920 px wide. */
const view: SightView = {
  optics: { focalXPx: 1800, focalYPx: 1800, centreXPx: 960, centreYPx: 540, distortion: [-0.05, 0.01, 0, 0, 0] },
  widthPx: 1920,
  heightPx: 1080,
  squeeze: 1,
  fit: 'whole',
  attitude: quaternionFromAttitude({ headingDeg: 40, tiltDeg: -10, rollDeg: 0 }),
  headingKnown: true,
  tiltKnown: true,
};

test('a hand turn survives its quaternion', () => {
  const t = { yawDeg: -133, tiltDeg: 2.5, rollDeg: -1.2 };
  const back = handTurnOf(quaternionOf(t));
  expect(back.yawDeg).toBeCloseTo(-133, 9);
  expect(back.tiltDeg).toBeCloseTo(2.5, 9);
  expect(back.rollDeg).toBeCloseTo(-1.2, 9);
  expect(turnApartDeg(quaternionOf(t), quaternionOf({ ...t, yawDeg: -130 }))).toBeCloseTo(3, 6);
});

test('what is in the picture is found again, and what is not is told ahead or behind', () => {
  const world = directionFromAngles(47, -6);
  const at = inSight(view, world)!;
  const a = anglesFromDirection(directionAt(view, at.xPx, at.yPx)!);
  expect(a.azimuthDeg).toBeCloseTo(47, 6);
  expect(a.elevationDeg).toBeCloseTo(-6, 6);
  expect(whereInSight(view, directionFromAngles(220, 0)).at).toBeNull();
  expect(Math.abs(whereInSight(view, directionFromAngles(220, 0)).rightDeg)).toBeGreaterThan(90);
  expect(whereInSight(view, directionFromAngles(100, 0)).rightDeg).toBeGreaterThan(50);
});

test('the horizon lies above the middle of a camera that looks down', () => {
  const middle = horizonLine(view).find((h) => Math.abs(wrap180(h.azimuthDeg - 40)) < 0.5)!;
  expect(middle.xPx).toBeCloseTo(960, 0);
  expect(middle.yPx).toBeLessThan(540 - 250);
});

test.each([0, 40, 130, 250])('a drag takes what is seen along, wherever the panorama lies (%d)', (yawDeg) => {
  const start = { yawDeg, tiltDeg: 0, rollDeg: 0 };
  const own = directionFromAngles(40 - yawDeg, 0);
  const after = anglesFromDirection(rotate(quaternionOf(dragged(start, 40, 0.5, 0.4)), own));
  expect(after.azimuthDeg).toBeCloseTo(40.5, 1);
  expect(after.elevationDeg).toBeCloseTo(-0.4, 2);
});

test('a shadow on level ground: the same from any height', () => {
  const foot = directionAt(view, 900, 800)!;
  const ground = [foot[0] / -foot[1], foot[2] / -foot[1]];
  const way = directionFromAngles(75, 0);
  const tip = inSight(view, [ground[0] + 0.8 * way[0], -1, ground[1] + 0.8 * way[2]])!;
  expect(shadowAzimuthDeg(view, { from: { x: 900, y: 800 }, to: { x: tip.xPx, y: tip.yPx } })).toBeCloseTo(75, 3);
  expect(shadowAzimuthDeg(view, { from: { x: 900, y: 10 }, to: { x: 900, y: 900 } })).toBeNull();
});

test('what still fits lies between what failed on either side, across south too', () => {
  expect(feltTurn({ left: 10, right: null })).toBeNull();
  expect(feltTurn({ left: 10, right: 14 })).toEqual({ yawDeg: 12, halfDeg: 2 });
  expect(feltTurn({ left: 179, right: -179 })).toEqual({ yawDeg: -180, halfDeg: 1 });
});
