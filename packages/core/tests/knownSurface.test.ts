import {
  createImage,
  dot,
  gainFromBall,
  gainFromPlane,
  illuminance,
  lightOnThings,
  normalize,
  pixelAtAngles,
  quaternionFromAttitude,
  RELATIVE_REC709,
  rotate,
  type PlatePinhole,
  type RgbImage,
  type Vec3,
} from '../src';

const CAMERA = { focalXPx: 900, focalYPx: 900, centreXPx: 320, centreYPx: 180, tiltDeg: 3 } satisfies PlatePinhole;
const OUTLINE = { centreX: 360, centreY: 200, radiusPx: 60 };
const WIDTH = 256;
const KNOWN = { value: 0.18, uncertaintyStops: 0.1 };

/** A sky brighter than the ground, and a sun of a few pixels where it is wanted. */
function panorama(sun: { azimuthDeg: number; elevationDeg: number; flux: number } | null): RgbImage {
  const image = createImage(WIDTH, WIDTH / 2, RELATIVE_REC709);
  for (let i = 0; i < image.data.length; i++) image.data[i] = i < image.data.length / 2 ? 1 : 0.3;
  if (sun) {
    const { x, y } = pixelAtAngles(sun.azimuthDeg, sun.elevationDeg, WIDTH, WIDTH / 2);
    const i = 3 * (Math.round(y) * WIDTH + Math.round(x));
    image.data.fill(sun.flux, i, i + 3);
  }
  return image;
}

/** A ball by Lambert's law, or a mirror, drawn by rays against the whole panorama: nothing of it is shared with what is tested. */
function plate(light: RgbImage, headingDeg: number, gain: number, mirror = false): RgbImage {
  const image = createImage(640, 360, RELATIVE_REC709);
  const turn = quaternionFromAttitude({ headingDeg, tiltDeg: CAMERA.tiltDeg, rollDeg: 0 });
  const ray = (x: number, y: number): Vec3 => normalize([(x - 320) / 900, (180 - y) / 900, -1]);
  const middle = ray(OUTLINE.centreX, OUTLINE.centreY);
  const distance = 7;
  const radius = distance * Math.sin(Math.atan(OUTLINE.radiusPx / 900));
  for (let y = 120; y < 280; y++) {
    for (let x = 280; x < 440; x++) {
      const d = ray(x + 0.5, y + 0.5);
      const b = distance * dot(d, middle);
      const c = b * b - distance * distance + radius * radius;
      const o = 3 * (y * 640 + x);
      if (c <= 0) {
        image.data.fill(0.2, o, o + 3);
        continue;
      }
      const t = b - Math.sqrt(c);
      const n = normalize([0, 1, 2].map((k) => t * d[k] - distance * middle[k]) as [number, number, number]);
      if (mirror) {
        const r = rotate(turn, [0, 1, 2].map((k) => d[k] - 2 * dot(d, n) * n[k]) as [number, number, number]);
        const up = r[1] > 0 ? 1 : 0.3;
        image.data.fill(gain * 0.18 * up, o, o + 3);
      } else {
        const [r, g, bl] = illuminance(light, rotate(turn, n));
        image.data.set([r, g, bl].map((v) => (gain * 0.18 * v) / Math.PI), o); // prettier-ignore
      }
    }
  }
  return image;
}

describe('a ball that only the plate shows', () => {
  const sun = { azimuthDeg: 250, elevationDeg: 30, flux: 30000 };
  const light = panorama(sun);
  const things = lightOnThings(light);
  const sunlit = plate(light, 40, 8);

  test('under a sun: the gain, and where the camera looked', () => {
    const found = gainFromBall(sunlit, OUTLINE, CAMERA, 'grey', KNOWN, things, 'open');
    expect(found.gainStops).toBeCloseTo(3, 1);
    expect(found.headingDeg).toBeCloseTo(40, -1);
    expect(found.litOtherwise).toBe(false);
    expect(found.uncertaintyStops).toBeGreaterThan(0.2);
  });

  test('a tilt that nobody logged is found with the heading, and never makes it surer', () => {
    const known = gainFromBall(sunlit, OUTLINE, CAMERA, 'grey', KNOWN, things, 'open');
    const found = gainFromBall(sunlit, OUTLINE, { ...CAMERA, tiltDeg: null }, 'grey', KNOWN, things, 'open');
    expect(Math.abs(found.gainStops - 3)).toBeLessThan(found.uncertaintyStops);
    expect(found.headingDeg).toBeCloseTo(40, -1.5);
    expect(found.uncertaintyStops).toBeGreaterThan(known.uncertaintyStops - 0.02);
  });

  test('a flopped plate tells the same', () => {
    const flopped = createImage(640, 360, RELATIVE_REC709);
    for (let y = 0; y < 360; y++)
      for (let x = 0; x < 640; x++)
        flopped.data.set(sunlit.data.subarray(3 * (y * 640 + x), 3 * (y * 640 + x) + 3), 3 * (y * 640 + 639 - x));
    const found = gainFromBall(
      flopped,
      { ...OUTLINE, centreX: 640 - OUTLINE.centreX },
      { ...CAMERA, focalXPx: -CAMERA.focalXPx },
      'grey',
      KNOWN,
      things,
      'open',
    );
    expect(found.gainStops).toBeCloseTo(3, 1);
    expect(found.headingDeg).toBeCloseTo(40, -1);
  });

  test('a mirror under a plain sky: the gain, whatever the heading', () => {
    const even = panorama(null);
    const found = gainFromBall(plate(even, 40, 0.5, true), OUTLINE, CAMERA, 'chrome', KNOWN, lightOnThings(even), 'open'); // prettier-ignore
    expect(found.gainStops).toBeCloseTo(-1, 1);
  });

  test('a ball in the sun against a panorama without one is lit otherwise; lamps nearby widen instead', () => {
    const grey = lightOnThings(panorama(null));
    const open = gainFromBall(sunlit, OUTLINE, CAMERA, 'grey', KNOWN, grey, 'open');
    const near = gainFromBall(sunlit, OUTLINE, CAMERA, 'grey', KNOWN, grey, 'near');
    expect([open.litOtherwise, near.litOtherwise]).toEqual([true, false]);
    expect(near.uncertaintyStops).toBeGreaterThan(1);
  });

  test('outside of the picture, too small or black: refused by name', () => {
    const of = (outline: typeof OUTLINE, picture = sunlit) => gainFromBall(picture, outline, CAMERA, 'grey', KNOWN, things, 'open'); // prettier-ignore
    expect(() => of({ ...OUTLINE, centreX: 20 })).toThrow(/partly outside/);
    expect(() => of({ ...OUTLINE, radiusPx: 5 })).toThrow(/only 10 pixels across/);
    expect(() => of(OUTLINE, createImage(640, 360, RELATIVE_REC709))).toThrow(/holds no light/);
  });
});

describe('a plane that only the plate shows', () => {
  const value = (luminance: number) => ({ luminance, relativeSigma: 0.01 });

  test('level: what falls on it from above, over pi', () => {
    const light = panorama({ azimuthDeg: 100, elevationDeg: 50, flux: 3000 });
    const [onLevel] = illuminance(light, [0, 1, 0]);
    const found = gainFromPlane(value((4 * 0.18 * onLevel) / Math.PI), KNOWN, 'level', lightOnThings(light), 'open');
    expect(found.gainStops).toBeCloseTo(2, 1);
    expect(found.uncertaintyStops).toBeLessThan(0.8);
  });

  test('upright with nobody knowing where it faces: under a sun by more than a stop, under a grey sky not', () => {
    const under = (light: RgbImage) => gainFromPlane(value(0.1), KNOWN, 'upright', lightOnThings(light), 'open').uncertaintyStops; // prettier-ignore
    expect(under(panorama({ azimuthDeg: 100, elevationDeg: 20, flux: 30000 }))).toBeGreaterThan(1);
    expect(under(panorama(null))).toBeLessThan(0.6);
  });

  test('under no light at all: refused', () => {
    const dark = lightOnThings(createImage(WIDTH, WIDTH / 2, RELATIVE_REC709));
    expect(() => gainFromPlane(value(0.1), KNOWN, 'level', dark, 'open')).toThrow(/throws no light/);
  });

  test('what comes from a panorama of another shape is refused', () => {
    expect(() => lightOnThings(createImage(100, 100, RELATIVE_REC709))).toThrow(RangeError);
  });
});
