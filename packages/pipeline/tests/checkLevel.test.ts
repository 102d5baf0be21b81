import { createImage, RELATIVE_REC709, quaternionFromAttitude, rotatePanorama } from '@tawny/core';
import { checkPanorama } from '../src';

/** Posts of several widths and shades all round, upright, under an even sky. */
function posts() {
  const image = createImage(1024, 512, RELATIVE_REC709);
  for (let y = 0; y < 512; y++) {
    for (let x = 0; x < 1024; x++) {
      const place = (x * 17) / 1024;
      const onPost =
        y > 130 + 40 * Math.sin(Math.floor(place) * 2.4) &&
        y < 262 &&
        place % 1 < 0.25 + 0.1 * Math.sin(Math.floor(place) * 5.1);
      image.data.fill(
        onPost ? 0.12 + 0.05 * Math.sin(Math.floor(place)) : y < 256 ? 0.9 : 0.3,
        3 * (y * 1024 + x),
        3 * (y * 1024 + x) + 3,
      );
    }
  }
  return image;
}

const LEANT = rotatePanorama(posts(), quaternionFromAttitude({ headingDeg: 0, tiltDeg: 2, rollDeg: 0 }));
const [upright, leant] = [checkPanorama(posts()), checkPanorama(LEANT)];
const levelOf = ({ checks }: typeof upright) => checks.find((c) => c.name === 'level');

test('a panorama from elsewhere is told how far it leans; what its builder said is believed', () => {
  expect(levelOf(upright)!.verdict).toBe('good');
  expect(Math.abs(levelOf(leant)!.value! - 2)).toBeLessThan(0.3);
  expect(levelOf(leant)!.verdict).toBe('lost');
  expect(levelOf(checkPanorama(posts(), {}, { level: null }))).toBeUndefined();
});

test('how level it is known to be holds the lean that is left in it', () => {
  expect(upright.levelDeg!).toBeGreaterThan(0.1);
  expect(upright.levelDeg!).toBeLessThan(1);
  expect(leant.levelDeg!).toBeGreaterThan(1.7);
  // What was mended is known to the uncertainty that is left; what nothing tells of is not known at all.
  expect(checkPanorama(LEANT, {}, { level: { tiltDeg: 2, uncertaintyDeg: 0.3, mended: true } }).levelDeg).toBe(0.3);
  expect(checkPanorama(posts(), {}, { level: null }).levelDeg).toBeNull();
});
