import {
  attitudeFromQuaternion,
  attitudeOfDevice,
  checkSheet,
  clippedPlaces,
  clockOffset,
  conjugate,
  createImage,
  RELATIVE_REC709,
  directionFromAngles,
  floorAndEdge,
  levelFromVerticals,
  LEVEL_ROWS,
  LEVEL_WIDTH,
  LIMITS,
  panoramaStatistics,
  quaternionFromAttitude,
  rangeByRegion,
  rotate,
  rotatePanorama,
  turnDeg,
  turnPanorama,
  type RgbImage,
  type Vec3,
} from '../src';
import { farthest } from './support/numbers';
import { random } from './support/random';

/** A panorama of posts that stand upright, seen by a camera whose own up leans. */
function posts(leanDeg: number, towardsDeg: number, width = 768, place = (azimuthDeg: number) => azimuthDeg): RgbImage {
  const image = createImage(width, width / 2, RELATIVE_REC709);
  const r = random(3);
  const things = Array.from({ length: 26 }, () => ({
    at: place(360 * r.next()),
    wide: 1 + 3 * r.next(),
    top: 8 + 45 * r.next(),
    shade: 0.08 + 0.8 * r.next(),
  }));
  // World direction from the leaning panorama's: tilt about the horizontal axis at right angles to the lean.
  const q = quaternionFromAttitude({ headingDeg: towardsDeg, tiltDeg: leanDeg, rollDeg: 0 });
  const back = quaternionFromAttitude({ headingDeg: -towardsDeg, tiltDeg: 0, rollDeg: 0 });
  for (let y = 0; y < width / 2; y++) {
    for (let x = 0; x < width; x++) {
      const d = directionFromAngles((360 * (x + 0.5)) / width, 90 - (360 * (y + 0.5)) / width) as Vec3;
      const world = rotate(q, rotate(back, d));
      const el = (Math.asin(world[1]) * 180) / Math.PI;
      const az = (Math.atan2(world[0], -world[2]) * 180) / Math.PI;
      let v = el > 0 ? 0.5 + 0.003 * el : 0.25;
      // Edges as soft as a lens draws them: stairs of pixels would stand upright whatever leans.
      for (const t of things)
        if (el > -4 && el < t.top)
          v += (t.shade - v) * Math.min(1, Math.max(0, (t.wide - Math.abs(turnDeg(t.at, az))) / 0.8 + 0.5));
      image.data.fill(v, 3 * (y * width + x), 3 * (y * width + x) + 3);
    }
  }
  return image;
}

describe('level by what stands upright', () => {
  test.each([
    [0, 0],
    [1.2, 40],
    [2.5, 200],
    [4, 300],
  ])('a lean of %f degrees towards %f is found, and the correction levels', (leanDeg, towardsDeg) => {
    const found = levelFromVerticals(posts(leanDeg, towardsDeg))!;
    expect(Math.abs(found.tiltDeg - leanDeg)).toBeLessThan(0.12);
    // The correction turns the found up onto the zenith.
    const up = rotate(found.correction, found.up);
    expect(up[1]).toBeGreaterThan(1 - 1e-9);
    // Measured again after it was taken out: a large lean is known as well as a small one.
    expect(found.uncertaintyDeg).toBeLessThan(0.36);
    expect(Math.abs(found.tiltDeg - leanDeg)).toBeLessThan(found.uncertaintyDeg);
  });
  test('it is known no finer than the picture shows, and not well from one thing that rules', () => {
    const picture = posts(0, 0);
    const fine = levelFromVerticals(picture, 0.02)!.uncertaintyDeg;
    const coarse = levelFromVerticals(picture, 0.8)!.uncertaintyDeg;
    expect(fine).toBeLessThan(0.3);
    expect(coarse).toBeGreaterThan(0.8);
    // The same posts in two directions only: either of them decides one axis alone.
    const two = posts(0, 0, 768, (az) => (az < 180 ? 20 : 115) + 8 * (az / 360));
    expect(levelFromVerticals(two, 0.02)?.uncertaintyDeg ?? Infinity).toBeGreaterThan(2 * fine);
  });
  test('rows that are not looked at however it is turned may stay empty', () => {
    const whole = posts(7, 110, LEVEL_WIDTH);
    const bare = { ...whole, data: new Float32Array(whole.data.length) };
    const [from, to] = LEVEL_ROWS.map((y) => 3 * LEVEL_WIDTH * y);
    bare.data.set(whole.data.subarray(from, to), from);
    expect(from).toBeGreaterThan(0);
    expect(to).toBeLessThan(whole.data.length);
    const found = levelFromVerticals(bare)!;
    expect(found).toEqual(levelFromVerticals(whole));
    expect(Math.abs(found.tiltDeg - 7)).toBeLessThan(found.uncertaintyDeg);
  });
  test('a sky without anything upright tells nothing', () => {
    const sky = createImage(512, 256, RELATIVE_REC709);
    for (let i = 0; i < sky.data.length; i++) sky.data[i] = 1 + 0.2 * Math.sin(i / (3 * 512));
    expect(levelFromVerticals(sky)).toBeNull();
  });
});

describe('a panorama turned by any rotation', () => {
  /** Smooth over the whole sphere: a polynomial of the direction. */
  const light = (d: Vec3) => 3 + d[0] + 0.5 * d[1] * d[2] - 0.7 * d[0] * d[2];
  const picture = (of: (d: Vec3) => number): RgbImage => {
    const image = createImage(256, 128, RELATIVE_REC709);
    for (let y = 0; y < 128; y++)
      for (let x = 0; x < 256; x++)
        image.data.fill(
          of(directionFromAngles((360 * (x + 0.5)) / 256, 90 - (180 * (y + 0.5)) / 128)),
          3 * (y * 256 + x),
          3 * (y * 256 + x) + 3,
        );
    return image;
  };
  test('what stood in direction d stands at q d, across the seam and over the poles', () => {
    for (const [headingDeg, tiltDeg, rollDeg] of [
      [0, 0, 0],
      [33, 0, 0],
      [200, 25, 4],
      [-70, 90, 12],
      [10, -170, 60],
    ]) {
      const q = quaternionFromAttitude({ headingDeg, tiltDeg, rollDeg });
      const turned = rotatePanorama(picture(light), q);
      const truth = picture((d) => light(rotate(conjugate(q), d)));
      // Away from the top and bottom rows, where a picture has no rows beyond to lean on.
      const inner = [3 * 256 * 2, 3 * 256 * 126] as const;
      expect(farthest(turned.data.subarray(...inner), truth.data.subarray(...inner))).toBeLessThan(0.012);
    }
  });
  test('about the vertical it is the turn that keeps fluxes', () => {
    const image = picture((d) => light(d) ** 2);
    const a = rotatePanorama(image, quaternionFromAttitude({ headingDeg: 47, tiltDeg: 0, rollDeg: 0 }));
    expect(farthest(turnPanorama(image, 47).data, a.data)).toBeLessThan(1e-3);
  });
  test('only a whole sphere can be turned', () =>
    expect(() => rotatePanorama(createImage(100, 100, RELATIVE_REC709), [0, 0, 0, 1])).toThrow(RangeError));
});

describe('where the range lies and where it is lost', () => {
  const image = createImage(512, 256, RELATIVE_REC709);
  for (let y = 0; y < 256; y++) image.data.fill(y < 114 ? 8 : y < 142 ? 2 : 0.25, 3 * y * 512, 3 * (y + 1) * 512);
  test('ranges by region', () => {
    image.data.fill(1024, 3 * (40 * 512 + 100), 3 * (40 * 512 + 140));
    const [sky, horizon, ground] = rangeByRegion(image);
    expect(sky.stops).toBe(0);
    expect(horizon.stops).toBe(0);
    expect(ground.name).toBe('ground');
    const lamps = createImage(512, 256, RELATIVE_REC709);
    lamps.data.set(image.data);
    for (let y = 30; y < 60; y++) lamps.data.fill(1024, 3 * (y * 512 + 100), 3 * (y * 512 + 140));
    expect(rangeByRegion(lamps)[0].stops).toBeCloseTo(7, 3);
    expect(rangeByRegion(createImage(64, 32, RELATIVE_REC709))[0].stops).toBeNull();
  });
  test('clipped places by size, in degrees', () => {
    const mask = new Uint8Array(512 * 256);
    mask[64 * 512 + 256] = 1;
    for (const [dx, dy] of [
      [0, 0],
      [1, 0],
      [0, 1],
      [1, 1],
    ])
      mask[(90 + dy) * 512 + 400 + dx] = 1;
    mask[200 * 512] = 2;
    const places = clippedPlaces(mask, 512);
    expect(places).toHaveLength(2);
    expect(places[0].azimuthDeg).toBeCloseTo((360 * 401) / 512, 3);
    expect(places[0].elevationDeg).toBeCloseTo(90 - (180 * 91) / 256, 1);
    expect(places[0].sr).toBeGreaterThan(places[1].sr);
  });
  test('the check sheet names where, how much sun is missing, lean, parallax, noise, glare and poles', () => {
    const sheet = checkSheet({
      statistics: panoramaStatistics(image),
      widthPx: 512,
      clippedSr: 6e-5,
      sun: null,
      ...floorAndEdge(image),
      clippedPlaces: [{ azimuthDeg: 212.4, elevationDeg: 11.7, sr: 6e-5 }],
      missingSun: 0.6,
      regions: rangeByRegion(image),
      level: { tiltDeg: 1.4, uncertaintyDeg: 0.05, mended: true },
      parallaxDeg: 0.4,
      medianUncertainty: 0.15,
      falloffStops: 0.5,
      glareCeiling: 0.2,
    });
    const row = (name: string) => sheet.find((c) => c.name === name)!;
    expect(row('clipped')).toMatchObject({
      verdict: 'lost',
      words: expect.stringContaining('azimuth 212°, elevation 12°'),
    });
    expect(row('missing sunlight')).toMatchObject({ verdict: 'lost', value: 60 });
    expect(row('level')).toMatchObject({
      verdict: 'good',
      value: 0.05,
      words: expect.stringContaining('leant by 1.40°'),
    });
    expect(row('parallax').verdict).toBe('doubtful');
    expect(row('noise').verdict).toBe('doubtful');
    expect(row('falloff')).toMatchObject({ verdict: 'doubtful', value: 0.5 });
    // Not measured is not lost.
    expect(row('glare')).toMatchObject({ verdict: 'good', unit: '% at most' });
    expect(row('range, sky').unit).toBe('stops');
    expect(
      checkSheet({
        statistics: panoramaStatistics(image),
        widthPx: 512,
        clippedSr: 0,
        sun: null,
        ...floorAndEdge(image),
        glareTaken: 0.07,
        level: { tiltDeg: 1.4, uncertaintyDeg: 0.05, mended: false },
      }).find((c) => c.name === 'level')!.verdict,
    ).toBe('lost');
  });
  test('what a quantity is judged by has a reason; a lean that its own uncertainty explains is none', () => {
    for (const limit of Object.values(LIMITS)) {
      expect(limit.lost === null || limit.lost >= limit.good).toBe(true);
    }
    const even = posts(0, 0, 256);
    const facts = {
      statistics: panoramaStatistics(even),
      widthPx: 512,
      clippedSr: 0,
      sun: null,
      ...floorAndEdge(even),
    };
    const level = (tiltDeg: number, uncertaintyDeg: number) =>
      checkSheet({ ...facts, level: { tiltDeg, uncertaintyDeg, mended: false } }).find((c) => c.name === 'level')!
        .verdict;
    expect([level(0.6, 0.5), level(0.9, 0.5), level(1.6, 0.5)]).toEqual(['good', 'doubtful', 'lost']);
    const odd = { negative: 120, deepest: -0.02, infinite: 3, noNumber: 0, singleChannel: 1 };
    const told = checkSheet({ ...facts, odd }).find((c) => c.name === 'odd values')!;
    expect(told).toMatchObject({
      verdict: 'doubtful',
      value: 124,
      words:
        '120 negative (the deepest -0.020 of the mean): taken as 0; 3 infinite: taken as their brightest neighbour, a lower bound; 1 of one channel alone: taken from their neighbours',
    });
    expect(checkSheet({ ...facts, odd: null }).find((c) => c.name === 'odd values')).toBeUndefined();
  });
  test('a picture whose outermost rows are no poles is told', () => {
    const r = random(8);
    const photograph = createImage(512, 256, RELATIVE_REC709);
    for (let p = 0; p < 512 * 256; p++) photograph.data.fill(2 ** (2 * r.normal()), 3 * p, 3 * p + 3);
    expect(floorAndEdge(posts(0, 0, 512)).poleSpread).toBeLessThan(1);
    const tall = createImage(512, 256, RELATIVE_REC709);
    for (let y = 0; y < 256; y++)
      for (let x = 0; x < 512; x++)
        tall.data.fill(
          y < 2 || y > 253 ? 1 + x / 50 : 1 + 0.05 * Math.sin(x / 30),
          3 * (y * 512 + x),
          3 * (y * 512 + x) + 3,
        );
    expect(floorAndEdge(tall).poleSpread).toBeGreaterThan(1.5);
    expect(floorAndEdge(photograph).poleSpread).toBeLessThan(1.5);
  });
});

describe('a phone in the hand', () => {
  test('upright and facing north: level, heading 0; turned left: west', () => {
    expect(attitudeOfDevice(0, 90, 0)).toMatchObject({ tiltDeg: expect.closeTo(0, 9), rollDeg: expect.closeTo(0, 9) });
    expect(turnDeg(attitudeOfDevice(0, 90, 0).headingDeg, 0)).toBeCloseTo(0, 9);
    expect(attitudeOfDevice(90, 90, 0).headingDeg).toBeCloseTo(270, 9);
    expect(attitudeOfDevice(0, 120, 0).tiltDeg).toBeCloseTo(30, 9);
    expect(attitudeOfDevice(0, 60, 0).tiltDeg).toBeCloseTo(-30, 9);
    // Flat on a table, screen up: the camera looks at the ground.
    expect(attitudeOfDevice(10, 0, 0).tiltDeg).toBeCloseTo(-90, 6);
  });
  test('the angles are a rotation: an attitude goes there and back through our own frame', () => {
    for (const [a, b, g] of [
      [20, 80, 5],
      [200, 100, -12],
      [330, 65, 20],
    ]) {
      const attitude = attitudeOfDevice(a, b, g);
      const back = attitudeFromQuaternion(quaternionFromAttitude(attitude));
      expect(turnDeg(back.headingDeg, attitude.headingDeg)).toBeCloseTo(0, 6);
      expect(back.tiltDeg).toBeCloseTo(attitude.tiltDeg, 6);
      expect(back.rollDeg).toBeCloseTo(attitude.rollDeg, 6);
    }
  });
  test('the shortest turn', () => {
    expect(turnDeg(350, 10)).toBe(20);
    expect(turnDeg(10, 350)).toBe(-20);
    expect(Math.abs(turnDeg(0, 180))).toBe(180);
  });
});

describe('a camera clock by a photographed clock', () => {
  const at = Date.parse('2026-10-14T15:20:04.300Z');
  test('offset and uncertainty from file time and face', () => {
    // The face shows 16:20:00.9 in a zone one hour ahead; the middle of its tenth counts.
    const found = clockOffset(at, '16:20:00.9', 60);
    expect(found.offsetS).toBeCloseTo(3.35, 2);
    expect(found.uncertaintyS).toBeLessThan(0.1);
  });
  test('whole seconds on either side are less certain', () => {
    const found = clockOffset(Math.floor(at / 1000) * 1000, '16:20:01', 60);
    expect(found.offsetS).toBeCloseTo(3, 2);
    expect(found.uncertaintyS).toBeGreaterThan(0.7);
  });
  test('across midnight the nearest difference is meant', () => {
    expect(clockOffset(Date.parse('2026-10-14T23:59:58.500Z'), '00:00:01.4', 0).offsetS).toBeCloseTo(-2.95, 2);
  });
  test('what no clock shows is refused', () => {
    for (const face of ['25:00:00', '12:61:00', 'noon', '12:00'])
      expect(() => clockOffset(at, face, 0)).toThrow(/hours, minutes and seconds/);
  });
});
