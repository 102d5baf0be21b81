import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { attitudeFromQuaternion, createImage, RELATIVE_REC709, RESPONSE_KNOTS, turnDeg } from '@tawny/core';
import { bracketsOf, lensesOf, nominalAttitude, startingAttitudes } from '../src/build/placeViews';
import { MergedStore } from '../src/build/mergedStore';
import { parseRig, type Rig } from '../src';

const rig = (more: Partial<Rig> = {}): Rig => ({ projection: 'equidistant', fovDeg: 185, views: 6, ...more });

describe("where a rig's words put its views", () => {
  test('equal steps around, clockwise or not', () => {
    expect([0, 1, 5].map((i) => nominalAttitude(rig(), i).headingDeg)).toEqual([0, 60, 300]);
    expect(nominalAttitude(rig({ anticlockwise: true }), 1).headingDeg).toBe(-60);
  });
  test('rows one after the other, zenith and nadir as rows of one', () => {
    const rows = rig({
      projection: 'rectilinear',
      fovDeg: 60,
      views: 14,
      rows: [
        { tiltDeg: 0, views: 8 },
        { tiltDeg: 45, views: 4 },
        { tiltDeg: 90, views: 1 },
        { tiltDeg: -90, views: 1 },
      ],
    });
    expect(nominalAttitude(rows, 7)).toEqual({ headingDeg: 315, tiltDeg: 0, rollDeg: 0 });
    expect(nominalAttitude(rows, 9)).toEqual({ headingDeg: 90, tiltDeg: 45, rollDeg: 0 });
    expect(nominalAttitude(rows, 13).tiltDeg).toBe(-90);
    expect(() => nominalAttitude(rows, 14)).toThrow(/no view 15/);
  });
  test('what the frames say of where they looked wins, turned so that the first looks at azimuth 0', () => {
    const stated = [
      { headingDeg: 200, tiltDeg: 3, rollDeg: 1 },
      { headingDeg: 265, tiltDeg: -2, rollDeg: 0 },
    ];
    const [first, second] = startingAttitudes(rig({ views: 2 }), stated).map(attitudeFromQuaternion);
    expect(turnDeg(first.headingDeg, 0)).toBeCloseTo(0, 6);
    expect(first.tiltDeg).toBeCloseTo(3, 6);
    expect(first.rollDeg).toBeCloseTo(1, 6);
    expect(second.headingDeg).toBeCloseTo(65, 6);
    // One that is silent makes all of them fall back on the rig's words.
    expect(
      startingAttitudes(rig({ views: 2 }), [stated[0], null]).map(
        (q) => Math.round(attitudeFromQuaternion(q).headingDeg) % 360,
      ),
    ).toEqual([0, 180]);
  });
  test('two circles in a frame are two views of one bracket, with a lens each', () => {
    const twin = rig({ fovDeg: 190, views: 2, twoCircles: true });
    expect(bracketsOf(twin)).toBe(1);
    expect(bracketsOf(rig())).toBe(6);
    const image = createImage(200, 100, RELATIVE_REC709);
    for (let y = 0; y < 100; y++)
      for (let x = 0; x < 200; x++)
        if (Math.hypot((x % 100) - 49.5, y - 49.5) < 46) image.data.fill(1, 3 * (y * 200 + x), 3 * (y * 200 + x) + 3);
    const lenses = lensesOf(twin, image, () => undefined);
    expect(lenses.map((l) => l.centreX)).toEqual([50, 150]);
    expect(lenses[0].focalPx).toBeCloseTo(46 / ((95 * Math.PI) / 180), 0);
  });
  test('a latitude-longitude frame that is not twice as wide as high is refused', () => {
    expect(() =>
      lensesOf(
        rig({ projection: 'latlong', fovDeg: 360, views: 1 }),
        createImage(100, 60, RELATIVE_REC709),
        () => undefined,
      ),
    ).toThrow(/100 x 60 pixels: a latitude-longitude frame is twice as wide as high/);
  });
});

describe('a rig file', () => {
  const parse = (more: object) => parseRig({ projection: 'equidistant', fovDeg: 185, views: 6, ...more }, 'rig.json');
  test('rows must add up, circles come in pairs, glare climbs', () => {
    expect(
      parse({
        rows: [
          { tiltDeg: 0, views: 4 },
          { tiltDeg: 90, views: 2 },
        ],
      }).rows,
    ).toHaveLength(2);
    expect(() => parse({ rows: [{ tiltDeg: 0, views: 4 }] })).toThrow(/rows add up to 4 views, views says 6/);
    expect(() => parse({ rows: [{ tiltDeg: 120, views: 6 }] })).toThrow(/tilts from -90 to 90/);
    expect(() => parse({ twoCircles: true, views: 5 })).toThrow(/even number/);
    expect(() =>
      parse({
        glare: {
          curve: [
            { angleDeg: 20, perSr: 0.1 },
            { angleDeg: 5, perSr: 0.2 },
          ],
        },
      }),
    ).toThrow(/ascending angles/);
    expect(
      parse({
        glare: {
          curve: [
            { angleDeg: 5, perSr: 0.1 },
            { angleDeg: 90, perSr: 0 },
          ],
        },
      }).glare!.measuredOn,
    ).toBeNull();
    const sensitivity = { stops: -0.2, uncertaintyStops: 0.1, measuredOn: '2026-10-14' };
    expect(parse({ sensitivity }).sensitivity).toEqual(sensitivity);
    expect(() => parse({ sensitivity: { stops: 9, uncertaintyStops: 0.1 } })).toThrow(/sensitivity must be/);
    expect(() => parse({ sensitivity: { stops: 0, uncertaintyStops: 0 } })).toThrow(/sensitivity must be/);
    expect(() => parse({ curve: 'log' })).toThrow(/curve must be/);
    expect(() => parse({ fovAcross: 'corner' })).toThrow(/fovAcross/);
  });
});

describe('merged views on disk', () => {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-store-'));
  afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));
  const planes = (fill: number) => ({
    pixels: new Float32Array(12).fill(fill),
    clipped: new Uint8Array(4).fill(fill),
    uncertainty: new Uint8Array(4).fill(fill),
    moved: new Uint8Array(4).fill(fill),
  });
  const facts = {
    clipLevel: 3,
    starvedFraction: 0,
    clippedFraction: 0.5,
    movedFraction: 0,
    shakePx: 0,
    bits: 8 as const,
  };

  test('a view comes back as it was kept; another key, a torn file and no folder give nothing', async () => {
    const store = new MergedStore(path.join(folder, 'work'));
    expect(await store.take('none', planes(0))).toBeNull();
    await store.put('a', planes(7), facts);
    const into = planes(0);
    expect(await store.take('a', into)).toEqual(facts);
    expect([into.pixels[11], into.clipped[3], into.uncertainty[0]]).toEqual([7, 7, 7]);
    fs.truncateSync(path.join(folder, 'work', 'a.view'), 10);
    expect(await store.take('a', planes(0))).toBeNull();
    await store.clear();
    expect(fs.existsSync(path.join(folder, 'work'))).toBe(false);
  });
  test('the key changes with frames, exposures and choices', async () => {
    const store = new MergedStore(folder);
    const file = path.join(folder, 'x.jpg');
    fs.writeFileSync(file, 'one');
    const input = {
      frames: [{ path: file, name: 'x.jpg', exposure: 1 }],
      width: 2,
      height: 2,
      curve: 'srgb' as const,
      takeOut: true,
    };
    const key = await store.key(input);
    expect(await store.key(input)).toBe(key);
    expect(await store.key({ ...input, takeOut: false })).not.toBe(key);
    expect(await store.key({ ...input, frames: [{ ...input.frames[0], exposure: 2 }] })).not.toBe(key);
    fs.writeFileSync(file, 'another');
    expect(await store.key(input)).not.toBe(key);
  });
});

describe('what was learnt of a rig, in its file', () => {
  const FLAT = [0, 1, 2].map(() => new Array<number>(RESPONSE_KNOTS).fill(0));
  const file = { projection: 'equidistant', fovDeg: 185, views: 6 };
  test('polynomial and uncertainty are read, and reach the lens', () => {
    const learned = { poly: [0.01, -0.002], focalUncertainty: 0.004 };
    const parsed = parseRig({ ...file, learned }, 'rig.json');
    expect(parsed.learned).toEqual(learned);
    const [lens] = lensesOf(parsed, createImage(200, 100, RELATIVE_REC709), () => undefined);
    expect(lens.poly).toEqual([0.01, -0.002]);
    const falloff = { terms: [-0.2, 0.01, 0], uncertaintyStops: 0.1 };
    expect(parseRig({ ...file, learned: { ...learned, falloff } }, 'rig.json').learned!.falloff).toEqual(falloff);
    const more = { ...learned, pupilMmPerM: 12, response: { curve: 'srgb', departures: FLAT } };
    expect(parseRig({ ...file, learned: more }, 'rig.json').learned).toEqual(more);
  });
  test.each([
    { poly: [1] },
    { poly: [0, 0] },
    { poly: [0, 'x'], focalUncertainty: 0.1 },
    { poly: [0, 0], focalUncertainty: 2 },
    { poly: [0, 0], focalUncertainty: 0.1, falloff: { terms: [1, 2], uncertaintyStops: 0.1 } },
    { poly: [0, 0], focalUncertainty: 0.1, falloff: { terms: [1, 2, 3], uncertaintyStops: 0 } },
    { poly: [0, 0], focalUncertainty: 0.1, pupilMmPerM: 900 },
    { poly: [0, 0], focalUncertainty: 0.1, response: { curve: 'srgb', departures: [[1], [2], [3]] } },
    { poly: [0, 0], focalUncertainty: 0.1, response: { curve: 'cubic', departures: FLAT } },
    { poly: [0, 0], focalUncertainty: 0.1, response: { curve: 'srgb', departures: FLAT.map((d) => d.map(() => 9)) } },
  ])('%j is refused by name', (learned) =>
    expect(() => parseRig({ ...file, learned }, 'rig.json')).toThrow(/rig\.json: learned[.\w]* must be/),
  );
});
