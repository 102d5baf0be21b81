import {
  arcDeg,
  createImage,
  detectSun,
  directionFromAngles,
  illuminance,
  luminance,
  anglesAtPixel,
  pixelsWithin,
  quaternionFromAttitude,
  RELATIVE_REC709,
  rotate,
  rowSolidAngle,
  throughLens,
  turnKeepingFlux,
  DEG,
  type RgbImage,
} from '../src';
import { random as createRandom } from './support/random';

const [WIDTH, HEIGHT] = [1024, 512];

/** A sky over a ground with texture, a row of small lamps, and a sun at azimuth 210, elevation 35. */
function scene(): { image: RgbImage; sun: ReturnType<typeof directionFromAngles> } {
  const image = createImage(WIDTH, HEIGHT, RELATIVE_REC709);
  const random = createRandom(4);
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const v = y < HEIGHT / 2 ? 1 - y / HEIGHT : 0.1 + 0.1 * random.next();
      image.data.set([0.8 * v, v, 1.2 * v], 3 * (y * WIDTH + x));
    }
  for (let k = 0; k < 12; k++) {
    const at = 3 * ((HEIGHT / 2 - 20) * WIDTH + 60 * k);
    image.data.set([90, 80, 60], at);
  }
  const sun = directionFromAngles(210, 35);
  for (const i of pixelsWithin(sun, 0.2665 * DEG, WIDTH, HEIGHT)) image.data.set([60000, 55000, 48000], 3 * i);
  return { image, sun };
}

function flux({ data }: RgbImage): number[] {
  const sums = [0, 0, 0];
  for (let y = 0; y < HEIGHT; y++) {
    const omega = rowSolidAngle(y, WIDTH, HEIGHT);
    for (let i = 3 * y * WIDTH; i < 3 * (y + 1) * WIDTH; i++) sums[i % 3] += omega * data[i];
  }
  return sums;
}

describe('a whole rotation', () => {
  const { image, sun: where } = scene();
  const sun = detectSun(image)!;
  const q = quaternionFromAttitude({ headingDeg: 77, tiltDeg: 14, rollDeg: -9 });
  const turned = turnKeepingFlux(image, q, sun);

  test('keeps its flux to 1e-4 in every channel', () => {
    const [before, after] = [flux(image), flux(turned)];
    before.forEach((f, c) => expect(Math.abs(after[c] / f - 1)).toBeLessThan(1e-4));
  });

  test('turns the sun as a light: as small, as bright, in its new place', () => {
    const found = detectSun(turned)!;
    expect(arcDeg(found.direction, rotate(q, sun.direction))).toBeLessThan(0.03);
    expect(arcDeg(sun.direction, where)).toBeLessThan(0.1);
    const [before, after] = [sun, found].map((s) => luminance(...s.illuminanceNormal, 'rec709'));
    expect(Math.abs(after / before - 1)).toBeLessThan(2e-3);
    // The pixels are a third of a degree wide.
    expect(found.diameterDeg).toBeLessThan(sun.diameterDeg + 0.15);
  });

  test('light on a turned plane is what it was on the plane before', () => {
    for (const n of [directionFromAngles(10, 40), directionFromAngles(200, -20), directionFromAngles(300, 70)]) {
      const [before, after] = [illuminance(image, n)[1], illuminance(turned, rotate(q, n))[1]];
      expect(Math.abs(after / before - 1)).toBeLessThan(3e-3);
    }
  });

  test('no rotation leaves what was there', () => expect(turnKeepingFlux(image, [0, 0, 0, 1], sun)).toBe(image));
});

test('a panorama through a lens: each pixel shows what lies along its ray, averaged when it is coarser', () => {
  const image = createImage(512, 256, RELATIVE_REC709);
  for (let y = 0; y < 256; y++)
    for (let x = 0; x < 512; x++) {
      const a = anglesAtPixel(x, y, 512, 256);
      image.data.set([a.elevationDeg + 90, Math.cos(a.azimuthDeg * DEG) + 2, 1], 3 * (y * 512 + x));
    }
  const camera = {
    widthPx: 81,
    heightPx: 61,
    focalXPx: 60,
    focalYPx: 60,
    centreXPx: 40.5,
    centreYPx: 30.5,
    distortion: null,
  };
  const pose = { headingDeg: 120, tiltDeg: 12, rollDeg: 0 };
  const seen = throughLens(image, quaternionFromAttitude(pose), camera);
  const middle = 3 * (30 * 81 + 40);
  expect(seen.data[middle] - 90).toBeCloseTo(12, 1);
  expect(seen.data[middle + 1] - 2).toBeCloseTo(Math.cos(120 * DEG), 2);
  // Twenty pixels above the middle: atan(20 / 60) higher.
  expect(seen.data[3 * (10 * 81 + 40)] - 90).toBeCloseTo(12 + Math.atan(20 / 60) / DEG, 1);
  const stripes = createImage(512, 256, RELATIVE_REC709);
  for (let i = 0; i < stripes.data.length; i++) stripes.data[i] = Math.floor(i / 3) % 2;
  const coarse = throughLens(stripes, quaternionFromAttitude(pose), { ...camera, focalXPx: 12, focalYPx: 12 });
  expect(coarse.data[middle]).toBeGreaterThan(0.4);
  expect(coarse.data[middle]).toBeLessThan(0.6);
});
