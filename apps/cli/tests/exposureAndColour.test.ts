import { createImage, RELATIVE_REC709, type RgbImage } from '@tawny/core';
import { writeExr } from '@tawny/formats';
import { chartPlate, createRandom } from '@tawny/simset';
import fs from 'node:fs';
import path from 'node:path';
import { commandLine } from './support/commandLine';

const { folder, tawny } = commandLine();
const at = (name: string) => path.join(folder, name);
const file = (name: string, value: unknown) => {
  fs.writeFileSync(at(name), JSON.stringify(value));
  return at(name);
};
const picture = async (name: string, image: RgbImage, latlong = false) => {
  fs.writeFileSync(at(name), await writeExr(image, { latlong }));
  return at(name);
};

describe('patches and colour', () => {
  const plate = chartPlate({ seed: 3, widthPx: 960, heightPx: 540, chart: true });
  let plateFile: string;
  beforeAll(async () => {
    plateFile = await picture('plate.exr', plate.image);
  });

  test('a chart is found, its patches are those under its corners, and a matrix joins two of them', () => {
    const found = tawny('patches', plateFile, '--find-chart', '--json').json();
    expect(found.found.mirrored).toBe(plate.mirrored);
    found.found.corners.forEach((v: number, k: number) =>
      expect(Math.abs(v - plate.corners![k >> 1][k & 1])).toBeLessThan(4),
    );
    const marked = tawny(
      'patches',
      plateFile,
      '--corners',
      plate.corners!.flat().join(','),
      '--chart',
      '6x4',
      '--json',
    );
    const { patches } = marked.json();
    expect(patches.map((p: { name: string }) => p.name)).toEqual(Array.from({ length: 24 }, (_, k) => String(k + 1)));
    const [r, g, b] = plate.colours[20];
    const neutral = patches[20];
    // The plate may lie in shade: ratios are what stays.
    expect(neutral.r / neutral.g / (r / g)).toBeCloseTo(1, 1);
    expect(neutral.b / neutral.g / (b / g)).toBeCloseTo(1, 1);
    expect(neutral.sigma[1]).toBeLessThan(0.02 * neutral.g);

    // The same chart seen by a camera that is a matrix of the first: half as bright.
    const m = [0.9, 0.1, 0, 0.05, 0.95, 0, 0, 0.1, 0.9];
    const seen = (p: { r: number; g: number; b: number }) => [0, 1, 2].map((k) => 0.5 * (m[3 * k] * p.r + m[3 * k + 1] * p.g + m[3 * k + 2] * p.b)); // prettier-ignore
    const other = patches.map((p: { name: string; r: number; g: number; b: number }) => {
      const v = seen(p);
      return { ...p, r: v[0], g: v[1], b: v[2] };
    });
    const match = tawny('colour-match', '--plate', file('a.json', { patches: other }), '--panorama', file('b.json', patches), '--json').json(); // prettier-ignore
    expect(match.gainStops).toBeCloseTo(-1, 1);
    expect(match.deltaE2000.mean).toBeLessThan(0.2);
    expect(match.deltaE2000.before).toBeGreaterThan(1);
    m.forEach((v, k) => expect(match.matrix[k] * 2 ** match.gainStops).toBeCloseTo(0.5 * v, 2));
  }, 60_000);

  test('corners that cross, and two ways of marking at once, are refused by name', () => {
    const [a, b, c, d] = plate.corners!;
    const crossed = tawny('patches', plateFile, '--corners', [a, c, b, d].flat().join(','), '--chart', '6x4', '--json');
    expect(crossed.code).toBe(1);
    expect(crossed.err).toMatch(/corners do not go round/);
    const both = tawny('patches', plateFile, '--find-chart', '--rects', 'x.json');
    expect(both.code).toBe(1);
    expect(both.err).toMatch(/state one of/);
  });

  test('regions, weighted by solid angle in a panorama', async () => {
    const image = createImage(128, 64, RELATIVE_REC709);
    for (let y = 0; y < 64; y++) image.data.fill(y < 2 ? 1 : 2, 3 * y * 128, 3 * (y + 1) * 128);
    const panorama = await picture('rows.exr', image, true);
    const rects = file('rects.json', [{ name: 'top', x: 0, y: 0, width: 20, height: 4 }]);
    const { patches } = tawny('patches', panorama, '--rects', rects, '--json').json();
    // Half of the pixels, a quarter of the cap's area.
    const cap = (rows: number) => 1 - Math.cos((rows / 64) * Math.PI);
    expect(patches[0].g).toBeCloseTo(2 - cap(2) / cap(4), 4);
  });
});

describe('exposure', () => {
  const time = '2026-10-14T15:20:00Z';
  const take = { id: 'A1', body: 'A', tStop: 4, fStop: null, shutterS: 1 / 48, ei: 800, ndStops: 6, time };
  const card = (of: string | null, value: number) => ({ take: of, value, uncertaintyStops: 0.04, reflectance: 0.18, normal: [180, 0], time }); // prettier-ignore

  test('sources joined: gains, scale, bodies, and the keys that are promised', () => {
    const sources = {
      panorama: { rigResponsivity: null },
      takes: [take, { ...take, id: 'A2', tStop: 5.6 }],
      cards: [card('A1', 0.2), card(null, 0.05)],
      meters: [{ kind: 'lux', value: 20000, uncertaintyStops: 0.043, normal: [180, 0], region: null, time }],
      driftStopsPerHour: null,
    };
    const found = tawny('calibrate', '--sources', file('sources.json', sources), '--json').json();
    // The meter and the settings speak of it beside its card.
    expect(found.takes[0]).toMatchObject({ id: 'A1', verdict: 'agrees' });
    expect(found.takes[0].gainStops).toBeCloseTo(2, 2);
    expect(found.takes[1].gainStops).toBeCloseTo(1, 1);
    expect(found.absolute.whiteLuminance / ((0.18 * 20000) / Math.PI / 0.05)).toBeCloseTo(1, 2);
    expect(found.bodies[0]).toMatchObject({ body: 'A' });
    expect(found.sources.map((s: { name: string }) => s.name)).toEqual([
      'card 1 in A1',
      'card 2 in the panorama',
      'lux 1',
      'settings of A1',
      'settings of A2',
    ]);
    const wrong = tawny('calibrate', '--sources', file('wrong.json', { ...sources, lux: 3 }));
    expect(wrong.code).toBe(1);
    expect(wrong.err).toMatch(/wrong\.json.*unknown key lux/);
  });

  test('an even sphere lights every plane with pi, and gives a reading its scale', async () => {
    const image = createImage(256, 128, RELATIVE_REC709);
    image.data.fill(0.5);
    const panorama = await picture('even.exr', image, true);
    for (const normal of ['30,10', '0,-90']) {
      const { illuminance, rgb } = tawny('illuminance', panorama, '--normal', normal, '--json').json();
      expect(illuminance / (Math.PI / 2)).toBeCloseTo(1, 3);
      expect(rgb[2] / (Math.PI / 2)).toBeCloseTo(1, 3);
    }
    const sources = { meters: [{ kind: 'lux', value: 10000, uncertaintyStops: 0.043, normal: [0, 90], time }] };
    const found = tawny('calibrate', '--sources', file('lux.json', sources), '--panorama', panorama, '--json').json();
    expect(found.absolute.whiteLuminance / (10000 / (Math.PI / 2))).toBeCloseTo(1, 2);
  });
});

test('character of a plate: grain, blur and black', async () => {
  const random = createRandom(1, 'character');
  const image = createImage(320, 240, RELATIVE_REC709);
  for (let y = 0; y < 240; y++)
    for (let x = 0; x < 320; x++) {
      // Two panels that meet in a soft edge of sigma 1.
      const edge = 1 / (1 + Math.exp((-1.702 * (x - 160 - 0.1 * y)) / 1));
      for (let c = 0; c < 3; c++)
        image.data[3 * (y * 320 + x) + c] = 0.05 + 0.3 * edge + 0.004 * random.normal();
    } // prettier-ignore
  const plate = await picture('grain.exr', image);
  const { grain, edgeBlurPx, black } = tawny('character', plate, '--json').json();
  for (const [, sigma] of grain.sigmaAt) expect(Math.abs(sigma / 0.004 - 1)).toBeLessThan(0.05);
  expect(grain.sizePx).toBeCloseTo(1, 1);
  expect(Math.abs(edgeBlurPx - 1)).toBeLessThan(0.2);
  expect(black[0]).toBeCloseTo(0.05, 2);
});
