import fc from 'fast-check';
import { agreeing } from '../src/orient/propose/agreeing';
import { coarseTurn } from '../src/orient/propose/coarseTurn';
import { localContrast, stopsOf } from '../src/orient/propose/localContrast';
import {
  arcDeg,
  conjugate,
  createImage,
  directionFromAngles,
  multiply,
  plateCamera,
  proposePicks,
  quaternionFromAttitude,
  RELATIVE_REC709,
  rotate,
  shrinkTo,
  throughLens,
  unprojectFromPlate,
  yawQuaternion,
  type RgbImage,
} from '../src';

const FORMAT = {
  gateWidthMm: 24,
  gateHeightMm: 13.5,
  widthPx: 640,
  heightPx: 360,
  squeeze: 1,
  circleOfConfusionMm: 0.02,
};
const LENS = { squeeze: 1, transmission: 0.8, entrancePupil: [], distortion: null };

/** A sphere of blotches of all sizes, as a place without two equal parts is. */
function blotches(seed: number): RgbImage {
  const image = createImage(1024, 512, RELATIVE_REC709);
  let state = seed;
  const random = () => (state = (state * 48271) % 2147483647) / 2147483647;
  image.data.fill(0.2);
  for (let k = 0; k < 2600; k++) {
    const [x, y] = [1024 * random(), 512 * (0.1 + 0.8 * random())];
    const [r, value] = [2 + 14 * random() ** 3, 0.02 * 2 ** (6 * random())];
    for (let j = Math.ceil(y - r); j <= y + r; j++)
      for (let i = Math.ceil(x - r); i <= x + r; i++)
        if (j >= 0 && j < 512) image.data.fill(value, 3 * (j * 1024 + ((i + 1024) % 1024)), 3 * (j * 1024 + ((i + 1024) % 1024)) + 3); // prettier-ignore
  }
  return image;
}

const camera = (headingDeg: number, tiltDeg: number, focalLengthMm = 24) =>
  plateCamera(
    { focalLengthMm, tStop: 4, focusM: null, eastM: 0, northM: 0, heightM: 1.5, tiltDeg, headingDeg },
    FORMAT,
    LENS,
  );

/** What the camera sees of a panorama that lies so, at another exposure and white balance, its lights cut off. */
function plateOf(panorama: RgbImage, seen: ReturnType<typeof camera>, turn: readonly [number, number, number, number]) {
  const attitude = multiply(conjugate(turn), seen.pose!.rotation);
  const picture = throughLens(panorama, attitude, seen);
  return { ...picture, data: picture.data.map((v, k) => [3.1, 2.6, 1.9][k % 3] * Math.min(v, 0.8)) };
}

test('what plate and panorama both show is proposed, whatever their exposures and turns', () => {
  const panorama = blotches(11);
  const turn = multiply(yawQuaternion(123), quaternionFromAttitude({ headingDeg: 0, tiltDeg: 1.2, rollDeg: -0.8 }));
  const seen = camera(200, -4);
  const { picks, reason } = proposePicks(panorama, plateOf(panorama, seen, turn), seen, { tiltDeg: -3, rollDeg: 0, tiltWithinDeg: 3 }); // prettier-ignore
  expect(reason).toBeNull();
  expect(picks.length).toBeGreaterThanOrEqual(6);
  const off = picks.map((p) => {
    const world = rotate(seen.pose!.rotation, unprojectFromPlate(seen, p.xPx, p.yPx)!);
    return arcDeg(rotate(conjugate(turn), world), directionFromAngles(p.panoramaAzimuthDeg, p.panoramaElevationDeg));
  });
  // A pixel of this panorama is 0.35 degrees.
  expect(Math.max(...off)).toBeLessThan(0.35);
  // They stand apart.
  for (const a of picks)
    for (const b of picks) if (a !== b) expect(Math.hypot(a.xPx - b.xPx, a.yPx - b.yPx)).toBeGreaterThan(30);
});

test('a plate of another place, or of what the panorama does not cover, gets none and the reason', () => {
  const panorama = blotches(11);
  const seen = camera(200, -4);
  const other = proposePicks(panorama, plateOf(blotches(77), seen, [0, 0, 0, 1]), seen, { tiltDeg: -4, rollDeg: 0, tiltWithinDeg: 3 }); // prettier-ignore
  expect(other.picks).toEqual([]);
  expect(other.reason).toMatch(/pick by hand/);
  const half = { ...panorama, data: panorama.data.slice() };
  for (let y = 0; y < 512; y++) half.data.fill(0, 3 * (y * 1024 + 340), 3 * (y * 1024 + 800));
  const covered = proposePicks(half, plateOf(panorama, seen, [0, 0, 0, 1]), seen, { tiltDeg: -4, rollDeg: 0, tiltWithinDeg: 3 }); // prettier-ignore
  expect(covered.picks).toEqual([]);
});

test('a long lens sees fewer pixels of the panorama than a plate is looked at with: it is found all the same, or said to be too long', () => {
  const panorama = blotches(11);
  // 64 pixels across.
  const seen = camera(200, -4, 60);
  const { picks } = proposePicks(panorama, plateOf(panorama, seen, [0, 0, 0, 1]), seen, { tiltDeg: -4, rollDeg: 0, tiltWithinDeg: 3 }); // prettier-ignore
  expect(picks.length).toBeGreaterThanOrEqual(6);
  for (const p of picks) {
    const world = rotate(seen.pose!.rotation, unprojectFromPlate(seen, p.xPx, p.yPx)!);
    expect(arcDeg(world, directionFromAngles(p.panoramaAzimuthDeg, p.panoramaElevationDeg))).toBeLessThan(0.35);
  }
  const long = camera(200, -4, 400);
  const none = proposePicks(panorama, plateOf(panorama, long, [0, 0, 0, 1]), long, { tiltDeg: -4, rollDeg: 0, tiltWithinDeg: 3 }); // prettier-ignore
  expect(none).toEqual({ picks: [], reason: 'the plate shows only 10 pixels of the panorama across: pick by hand' });
});

test('a picture is made narrower by area, to the last bit of light', () => {
  const image = blotches(3);
  const small = shrinkTo(image, 300);
  expect([small.width, small.height]).toEqual([300, 150]);
  const mean = (i: RgbImage) => i.data.reduce((s, v) => s + v, 0) / i.data.length;
  expect(mean(small) / mean(image)).toBeCloseTo(1, 4);
  expect(shrinkTo(image, 2000)).toBe(image);
});

test('matches that hang together are kept, near things that shift more among them; chance matches are not', () => {
  const wall = Array.from({ length: 12 }, (_, k) => {
    const [x, y] = [40 + 20 * (k % 4), 40 + 20 * Math.floor(k / 4)];
    // A slope of the shift, as along a wall that comes nearer.
    return { x, y, u: x + 9 + 0.04 * x, v: y + 1, score: 0.9 };
  });
  const chance = [
    { x: 60, y: 90, u: 20, v: 130, score: 0.95 },
    { x: 90, y: 60, u: 150, v: 20, score: 0.95 },
    { x: 250, y: 100, u: 259, v: 101, score: 0.95 },
  ];
  const kept = agreeing([...chance, ...wall], 300);
  expect(kept).toHaveLength(wall.length);
  expect(new Set(kept)).toEqual(new Set(wall));
  expect(agreeing(chance, 300)).toEqual([]);
});

test('local contrast is the same at any exposure, and unknown where there is no light', () => {
  const panorama = shrinkTo(blotches(5), 200);
  const plain = localContrast(stopsOf(panorama), 6, true);
  fc.assert(
    fc.property(fc.double({ min: -8, max: 8, noNaN: true }), (stops) => {
      const brighter = { ...panorama, data: panorama.data.map((v) => v * 2 ** stops) };
      const other = localContrast(stopsOf(brighter), 6, true);
      for (let i = 0; i < plain.data.length; i += 37) expect(other.data[i]).toBeCloseTo(plain.data[i], 3);
    }),
    { numRuns: 12 },
  );
  const dark = { ...panorama, data: panorama.data.slice().fill(0, 0, 3 * 200) };
  expect(localContrast(stopsOf(dark), 6, true).data.slice(0, 200).every(Number.isNaN)).toBe(true);
});

test('a view is found at its azimuth and tilt, and elsewhere only worse', () => {
  const panorama = blotches(21);
  const seen = camera(310, 6);
  const plate = shrinkTo(plateOf(panorama, seen, [0, 0, 0, 1]), 96);
  const scale = 96 / seen.widthPx;
  const optics = { focalXPx: seen.focalXPx * scale, focalYPx: seen.focalYPx * scale, centreXPx: 48, centreYPx: 27, distortion: null }; // prettier-ignore
  const columns = 2 * Math.round(180 * ((optics.focalXPx * Math.PI) / 180));
  const small = localContrast(stopsOf(shrinkTo(panorama, columns)), 12, true);
  const places = coarseTurn(small, localContrast(stopsOf(plate), 12), optics, [2, 4, 6, 8], 0, 4);
  expect(Math.abs(places[0].azimuthDeg - 310)).toBeLessThan(2);
  expect(places[0].tiltDeg).toBe(6);
  expect(places.map((p) => p.score)).toEqual([...places.map((p) => p.score)].sort((a, b) => b - a));
  expect(places[0].score).toBeGreaterThan(places[1].score + 0.2);
});
