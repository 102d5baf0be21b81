import { arcDeg, createImage, detectSun, directionFromAngles, pixelsWithin, RELATIVE_REC709 } from '@tawny/core';
import { frameSuffix, frameWords, placePanorama } from '../src/handoffs/placePanorama';

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

const sunOf = (placing: Parameters<typeof placePanorama>[1]) => detectSun(placePanorama(sunny(), placing))!.direction;

test('a panorama is turned to north, or stays as its rig stood', () => {
  expect(arcDeg(sunOf({ yawDeg: 37.3, flopped: false, headingDeg: 80 }), directionFromAngles(287.3, 30))).toBeLessThan(
    0.2,
  );
  expect(arcDeg(sunOf({ yawDeg: null, flopped: false, headingDeg: null }), directionFromAngles(250, 30))).toBeLessThan(
    0.2,
  );
});

test('of a flopped plate what stood so far to the right of the camera stands as far to its left', () => {
  // The sun at 287.3 is 27.3 to the right of a camera that looks to 260.
  const mirrored = sunOf({ yawDeg: 37.3, flopped: true, headingDeg: 260 });
  expect(arcDeg(mirrored, directionFromAngles(260 - 27.3, 30))).toBeLessThan(0.2);
  // Without a heading, and without north, about the zero of what is known.
  expect(arcDeg(sunOf({ yawDeg: null, flopped: true, headingDeg: 260 }), directionFromAngles(110, 30))).toBeLessThan(
    0.2,
  );
});

test('names and words say in which frame a panorama lies', () => {
  const about = { yawDeg: 1, flopped: true, headingDeg: 8 };
  expect(frameSuffix({ ...about, flopped: false })).toBe('');
  expect(frameSuffix(about)).toBe('_flopped');
  expect(frameSuffix({ ...about, yawDeg: null })).toBe('_set-frame_flopped');
  expect(frameWords({ ...about, flopped: false })).toBe('north-aligned');
  expect(frameWords(about)).toMatch(/mirrored .* heading 8\.00 deg true/);
  expect(frameWords({ ...about, headingDeg: null })).toMatch(/heading was not logged/);
  expect(frameWords({ ...about, yawDeg: null })).toMatch(/north unknown; mirrored/);
});
