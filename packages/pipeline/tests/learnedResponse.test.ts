import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { responseDifferenceStops, type KeptResponse } from '@tawny/core';
import { encodeJpeg } from '@tawny/formats';
import { buildPanorama, checkPanorama, closeThreads, knownOfBuild, type BuildResult } from '../src';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-learned-'));
afterAll(async () => {
  fs.rmSync(folder, { recursive: true, force: true });
  await closeThreads();
});

const [W, H] = [256, 128];
/** Light over eight stops, in tiles no two of which are alike: frames of it lie on one another in one place only. */
const light = (x: number, y: number) =>
  2 ** (-7 + (8 * y) / H) * (1 + 0.3 * Math.sin(9 * Math.floor(x / 8) + 4 * Math.floor(y / 8) ** 2));
/** Contrasts that no curve with a name has. */
const rendered = (v: number) => v ** (1 / 1.7);
const flat = (v: number) => v ** (1 / 2.6);

async function bracket(name: string, denominators: readonly number[], curve: (v: number) => number) {
  return Promise.all(
    denominators.map(async (denominator, order) => {
      const codes = Uint8Array.from({ length: 3 * W * H }, (_, i) => {
        const [x, y] = [Math.floor(i / 3) % W, Math.floor(i / 3 / W)];
        return Math.round(255 * curve(Math.min(1, (light(x, y) * 60) / denominator)));
      });
      const file = path.join(folder, `${name}_${order}.jpg`);
      const tags = {
        ...{ model: 'Tarn P6', lensModel: 'Meniscus', shutterTag: { numerator: 1, denominator }, fNumberTag: 8 },
        ...{ iso: 100, focalLengthMm: 8, takenAt: new Date(Date.UTC(2026, 9, 14, 12, 0, order)) },
        ...{ utcOffsetMinutes: 0, orientation: 1 },
      };
      fs.writeFileSync(file, await encodeJpeg(codes, W, H, tags));
      return { path: file, name: path.basename(file) };
    }),
  );
}

const RIG = { projection: 'latlong', fovDeg: 360, views: 1 } as const;
const built = (files: { path: string; name: string }[], response?: KeptResponse) =>
  buildPanorama({
    files,
    rig: response ? { ...RIG, learned: { poly: [0, 0], focalUncertainty: 0.01, response } } : RIG,
    width: W,
  });
const checksOf = (b: BuildResult) => checkPanorama(b.panorama, { clippedSr: b.clippedSr }, knownOfBuild(b)).checks;
/** Largest error of the panorama's light between what is neither black nor white in the frames, after one factor; stops. */
function errorStops({ panorama }: BuildResult): number {
  const off = [28, 44, 60, 76].map((y) => Math.log2(panorama.data[3 * (y * W + 44) + 1] / light(44, y)));
  return Math.max(...off) - Math.min(...off);
}

describe('the response that earlier rounds taught', () => {
  const whole = [15, 60, 250, 1000];
  let taught: KeptResponse;
  beforeAll(async () => {
    taught = (await built(await bracket('whole', whole, rendered))).responseTaught!;
  });

  test('is the light of a bracket that could not tell it', async () => {
    const two = await bracket('two', [15, 60], rendered);
    const [alone, known] = [await built(two), await built(two, taught)];
    expect(alone.responseFrom).toBe('curve');
    expect(errorStops(alone)).toBeGreaterThan(0.5);
    expect(known.responseFrom).toBe('rig');
    expect(checksOf(known).find((c) => c.name === 'camera curve')!.words).toMatch(
      /earlier rounds of the rig was taken/,
    );
    expect(known.responseTaught).toBeNull();
    expect(errorStops(known)).toBeLessThan(0.15);
    expect(known.responseDepartureStops).toBeGreaterThan(0.3);
  });

  test('is said to be another one where somebody chose another rendering, and measured anew', async () => {
    const changed = await built(await bracket('changed', whole, flat), taught);
    expect(changed.warnings.join()).toMatch(
      /response is up to \d\.\d stop from what earlier rounds taught of this rig/,
    );
    expect(errorStops(changed)).toBeLessThan(0.15);
    expect(responseDifferenceStops(changed.responseTaught!, taught)).toBeGreaterThan(0.3);
    const same = await built(await bracket('same', whole, rendered), taught);
    expect(same.warnings.join()).not.toMatch(/earlier rounds/);
    expect(responseDifferenceStops(same.responseTaught!, taught)).toBeLessThan(0.1);
  });
});
