import {
  anglesFromDirection,
  createImage,
  directionFromAngles,
  pixelAtAngles,
  RELATIVE_REC709,
  rotate,
} from '@tawny/core';
import { readExr, writeExr } from '@tawny/formats';
import fs from 'node:fs';
import path from 'node:path';
import { commandLine } from './support/commandLine';

const { folder, tawny } = commandLine();
const PLACE = ['--lat', '52.957', '--lon', '0.951', '--alt', '4', '--utc', '2026-10-14T15:20:00Z'];

describe('plate camera, orientation from sources, sun track and views', () => {
  const file = (name: string, value: unknown) => {
    const at = path.join(folder, name);
    fs.writeFileSync(at, JSON.stringify(value));
    return at;
  };
  const panorama = path.join(folder, 'four-lamps.exr');
  /** A grey sphere with a bright lamp at azimuth 90, elevation 20. */
  beforeAll(async () => {
    const image = createImage(512, 256, RELATIVE_REC709);
    image.data.fill(0.2);
    for (const [x, y] of [
      [127, 99],
      [128, 99],
      [127, 100],
      [128, 100],
    ])
      image.data.fill(40, 3 * (y * 512 + x), 3 * (y * 512 + x) + 3);
    fs.writeFileSync(panorama, await writeExr(image, { latlong: true }));
  });

  test('strokes give the camera; an unknown key is named', () => {
    const strokes = {
      widthPx: 1920,
      heightPx: 1080,
      gateWidthMm: 24,
      gateHeightMm: 13.5,
      families: [
        // Upright edges of a camera that looks up by 10 degrees meet above the picture: 1500 px / tan 10 above its middle.
        {
          kind: 'vertical',
          strokes: [-600, 0, 500].map((x) => {
            const top = 1500 / Math.tan((10 * Math.PI) / 180);
            const along = (y: number) => [960 + x * (1 - (540 - y) / top), y];
            return [...along(900), ...along(300)];
          }),
        },
      ],
      focalLengthMm: 18.75,
    };
    const { json, code } = tawny('plate-camera', '--strokes', file('s.json', strokes), '--json');
    expect(code).toBe(0);
    expect(json()).toMatchObject({ headingDeg: null, upM: null, eastM: null, degenerate: null });
    expect(json().tiltDeg).toBeCloseTo(10, 2);
    expect(json().rollDeg).toBeCloseTo(0, 2);
    expect(json().focalLengthPx).toBeCloseTo(1500, 6);
    const bad = tawny('plate-camera', '--strokes', file('b.json', { ...strokes, focal: 3 }));
    expect(bad.code).not.toBe(0);
    expect(bad.err).toMatch(/b\.json: .*unknown key focal/);
  });

  test('marks turn a panorama to the world; what contradicts is named and nothing is written', () => {
    const mark = (name: string, own: number, azimuthDeg: number) => ({
      name,
      panoramaAzimuthDeg: own,
      panoramaElevationDeg: 5,
      azimuthDeg,
      elevationDeg: 5,
      uncertaintyDeg: 0.3,
    });
    const out = path.join(folder, 'turned.exr');
    const sources = { marks: [mark('mill', 10, 60), mark('mast', 130, 180), mark('gate', 250, 300)] };
    const good = tawny('align', panorama, '--sources', file('m.json', sources), '--out', out, '--json');
    expect(good.code).toBe(0);
    expect(good.json()).toMatchObject({ frame: 'trueNorth', verdict: 'agrees', file: out });
    expect(good.json().yawDeg).toBeCloseTo(50, 6);
    expect(good.json().sources).toHaveLength(3);
    const found = tawny('inspect', out, '--json').json();
    expect(found.illuminanceHorizontal).toBeCloseTo(
      tawny('inspect', panorama, '--json').json().illuminanceHorizontal,
      3,
    );
    const compass = { panoramaAzimuthDeg: 0, readingDeg: 0, declinationDeg: 0, uncertaintyDeg: 1 };
    const two = { level: { uncertaintyDeg: 0.5 }, compass: [compass, { ...compass, readingDeg: 40 }] };
    const never = path.join(folder, 'never.exr');
    const split = tawny('align', panorama, '--sources', file('c.json', two), '--out', never, '--json');
    expect(split.json()).toMatchObject({ verdict: 'disagrees', file: null });
    expect(split.err).toMatch(/nothing is written/);
    expect(fs.existsSync(never)).toBe(false);
    const bare = tawny(
      'align',
      panorama,
      '--sources',
      file('n.json', { level: { uncertaintyDeg: 1 } }),
      '--out',
      never,
    );
    expect(bare.code).not.toBe(0);
    expect(bare.err).toMatch(/nothing tells the turn about the vertical/);
  });

  test('the sun over an hour, and its shadow', () => {
    const span = ['--from', '2026-10-14T15:00:00Z', '--to', '2026-10-14T16:00:00Z', '--step-s', '600'];
    const { samples } = tawny('sun-track', ...PLACE.slice(0, 6), ...span, '--json').json();
    expect(samples).toHaveLength(7);
    const one = tawny('sun', ...PLACE.slice(0, 6), '--utc', '2026-10-14T15:20:00Z', '--json').json();
    expect(samples[2].azimuthDeg).toBeCloseTo(one.azimuthDeg, 9);
    expect(samples[2].shadowLengthM).toBeCloseTo(1 / Math.tan((one.elevationDeg * Math.PI) / 180), 9);
    const night = ['--from', '2026-10-14T23:00:00Z', '--to', '2026-10-14T23:00:00Z', '--step-s', '60'];
    expect(tawny('sun-track', ...PLACE.slice(0, 6), ...night, '--json').json().samples[0].shadowLengthM).toBeNull();
  });

  test('a panorama through a lens, and turned on its side', () => {
    const view = path.join(folder, 'view.exr');
    const look = ['--view', '90,20,0', '--focal-px', '200', '--width', '101', '--height', '81'];
    expect(tawny('reproject', panorama, ...look, '--out', view).code).toBe(0);
    const seen = readExr(fs.readFileSync(view), 'view.exr').image;
    const middle = seen.data[3 * (40 * 101 + 50)];
    expect(middle).toBeGreaterThan(20);
    expect(seen.data[0]).toBeCloseTo(0.2, 2);
    // A quarter turn about north brings what stood in the east to the zenith or the nadir.
    const side = path.join(folder, 'side.exr');
    const h = Math.SQRT1_2;
    expect(tawny('reproject', panorama, '--quaternion', `0,0,${h},${h}`, '--out', side).code).toBe(0);
    const { image } = readExr(fs.readFileSync(side), 'side.exr');
    const lamp = rotate([0, 0, h, h], directionFromAngles(90, 20));
    const at = anglesFromDirection(lamp);
    const p = pixelAtAngles(at.azimuthDeg, at.elevationDeg, 512, 256);
    expect(image.data[3 * (Math.round(p.y) * 512 + Math.round(p.x))]).toBeGreaterThan(5);
  });
});
