import {
  anglesFromDirection,
  arcDeg,
  createImage,
  detectSun,
  directionFromAngles,
  multiply,
  pixelsWithin,
  quaternionFromAttitude,
  RELATIVE_REC709,
  rotate,
  yawQuaternion,
} from '@tawny/core';
import { frameSuffix, frameWords, placePanorama, type Placing } from '../src/handoffs/placePanorama';

const WIDTH = 1024;
const AT = { azimuthDeg: 250, elevationDeg: 30 };

/** A sun in a blue sky. */
function sunny() {
  const image = createImage(WIDTH, WIDTH / 2, RELATIVE_REC709);
  for (let i = 0; i < image.data.length; i += 3)
    image.data.set(i < image.data.length / 2 ? [1, 1.5, 2] : [0.3, 0.3, 0.3], i);
  for (const i of pixelsWithin(directionFromAngles(AT.azimuthDeg, AT.elevationDeg), 0.0048, WIDTH, WIDTH / 2))
    image.data.fill(2e5, 3 * i, 3 * i + 3);
  return image;
}

const KNOWN = { clipped: false, expected: { elevationDeg: AT.elevationDeg, withinDeg: 1 } };
const sunOf = (placing: Placing) => detectSun(placePanorama(sunny(), placing, KNOWN))!.direction;
/** About the vertical, in the world; null leaves it as it is. */
const turn = (yawDeg: number | null) => ({
  rotation: yawDeg === null ? null : yawQuaternion(yawDeg),
  north: yawDeg !== null,
});

test('a panorama is turned to north, or stays as its rig stood', () => {
  expect(arcDeg(sunOf({ ...turn(37.3), flopped: false, headingDeg: 80 }), directionFromAngles(287.3, 30))).toBeLessThan(
    0.2,
  );
  expect(arcDeg(sunOf({ ...turn(null), flopped: false, headingDeg: null }), directionFromAngles(250, 30))).toBeLessThan(
    0.2,
  );
});

test('of a flopped plate what stood so far to the right of the camera stands as far to its left', () => {
  // The sun at 287.3 is 27.3 to the right of a camera that looks to 260.
  const mirrored = sunOf({ ...turn(37.3), flopped: true, headingDeg: 260 });
  expect(arcDeg(mirrored, directionFromAngles(260 - 27.3, 30))).toBeLessThan(0.2);
  // Without a heading, and without north, about the zero of what is known.
  expect(arcDeg(sunOf({ ...turn(null), flopped: true, headingDeg: 260 }), directionFromAngles(110, 30))).toBeLessThan(
    0.2,
  );
});

test('names and words say in which frame a panorama lies', () => {
  const about = { ...turn(1), flopped: true, headingDeg: 8 };
  expect(frameSuffix({ ...about, flopped: false })).toBe('');
  expect(frameSuffix(about)).toBe('_flopped');
  expect(frameSuffix({ ...about, ...turn(null) })).toBe('_set-frame_flopped');
  expect(frameWords({ ...about, flopped: false })).toBe('north-aligned');
  expect(frameWords(about)).toMatch(/mirrored .* heading 8\.00 deg true/);
  expect(frameWords({ ...about, headingDeg: null })).toMatch(/heading was not logged/);
  expect(frameWords({ ...about, ...turn(null) })).toMatch(/north unknown; mirrored/);
});

test('a whole rotation turns the sun with it, of a flopped plate mirrored about the camera', () => {
  const rotation = multiply(yawQuaternion(37.3), quaternionFromAttitude({ headingDeg: 0, tiltDeg: 6, rollDeg: -4 }));
  const world = rotate(rotation, directionFromAngles(AT.azimuthDeg, AT.elevationDeg));
  const placing = { rotation, north: true, headingDeg: 260 };
  expect(arcDeg(sunOf({ ...placing, flopped: false }), world)).toBeLessThan(0.2);
  const a = anglesFromDirection(world);
  const mirrored = sunOf({ ...placing, flopped: true });
  expect(arcDeg(mirrored, directionFromAngles(520 - a.azimuthDeg, a.elevationDeg))).toBeLessThan(0.2);
});

test('a set frame that plate and panorama share says so', () => {
  const placing = { rotation: yawQuaternion(12), north: false, flopped: false, headingDeg: 0 };
  expect(frameSuffix(placing)).toBe('_set-frame');
  expect(frameWords(placing)).toBe('set frame, north unknown; the camera looks along azimuth 0');
});
