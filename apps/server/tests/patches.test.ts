import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { anglesAtPixel, CLIPPED, createImage, encodeUncertainty, RELATIVE_REC709 } from '@tawny/core';
import { encodePng, writeExr } from '@tawny/formats';
import { measureOnPanorama, regionsOnPanorama } from '../src/decode/patches';

const WIDTH = 2048;
/** Mask and uncertainty are kept smaller than a large panorama. */
const MASK_WIDTH = 512;
const NORTH_WEST = { from: 90, to: 110 };
const box = (azimuthDeg: number) =>
  [
    [-5, 5],
    [5, 5],
    [5, -5],
    [-5, -5],
  ].map(([a, e]) => ({ azimuthDeg: azimuthDeg + a, elevationDeg: e }));
let folder: string;
let files: Parameters<typeof measureOnPanorama>[1];

beforeAll(async () => {
  folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-patches-'));
  const image = createImage(WIDTH, WIDTH / 2, RELATIVE_REC709);
  image.data.fill(2);
  const measure = new Uint8Array((3 * MASK_WIDTH * MASK_WIDTH) / 2);
  for (let i = 0; i < (MASK_WIDTH * MASK_WIDTH) / 2; i++) {
    const { azimuthDeg } = anglesAtPixel(i % MASK_WIDTH, Math.floor(i / MASK_WIDTH), MASK_WIDTH, MASK_WIDTH / 2);
    measure[3 * i] = azimuthDeg > NORTH_WEST.from && azimuthDeg < NORTH_WEST.to ? CLIPPED : 0;
    measure[3 * i + 1] = encodeUncertainty(0.03);
  }
  const [exrPath, measurePath] = ['panorama.exr', 'measure.png'].map((name) => path.join(folder, name));
  await fs.writeFile(exrPath, await writeExr(image, {}));
  await fs.writeFile(measurePath, await encodePng(measure, MASK_WIDTH, MASK_WIDTH / 2));
  files = { exrPath, measurePath, pixels: RELATIVE_REC709 };
});
afterAll(() => fs.rm(folder, { recursive: true }));

test('the mask of a large panorama is smaller than it: what it says is clipped is clipped at full size', async () => {
  const { patches: clipped } = await measureOnPanorama('card', files, box(100));
  const { patches: whole } = await measureOnPanorama('card', files, box(200));
  expect(clipped.clippedShare).toBeGreaterThan(0.99);
  expect(whole).toMatchObject({ clippedShare: 0, luminance: expect.closeTo(2, 3) });
});

test('what its pixels are uncertain of together widens a card; without a mask nobody knows', async () => {
  const { patches } = await measureOnPanorama('card', files, box(200));
  expect(patches.relativeSigma).toBeCloseTo(0.03, 2);
  const { patches: bare } = await measureOnPanorama('card', { ...files, measurePath: null }, box(200));
  expect(bare.relativeSigma).toBeLessThan(1e-6);
});

test('a card that is large enough says where it faces, and how bright the panorama makes a white there; a small one does not', async () => {
  const wide = [
    [-15, 15],
    [15, 15],
    [15, -15],
    [-15, -15],
  ].map(([a, e]) => ({ azimuthDeg: 200 + a, elevationDeg: e }));
  const { facing } = await measureOnPanorama('card', files, wide);
  // Towards the panorama: from 200 degrees to 20. Even light of 2 all round makes a white of 2.
  expect(Math.abs(facing!.azimuthDeg - 20)).toBeLessThan(1);
  expect(facing!.white).toBeCloseTo(2, 1);
  expect((await measureOnPanorama('card', files, box(200))).facing).toBeNull();
});

test('regions are measured by their names, and one that cannot be is named', async () => {
  const [a, b] = await regionsOnPanorama(files, [
    { name: 'wall', corners: box(200) },
    { name: 'door', corners: box(100) },
  ]);
  expect(a).toMatchObject({ name: 'wall', clippedShare: 0, commonSigma: expect.closeTo(0.03, 2) });
  expect(b).toMatchObject({ name: 'door', clippedShare: 1 });
  await expect(
    regionsOnPanorama(files, [{ name: 'sill', corners: [...box(200)].map(() => box(200)[0]) }]),
  ).rejects.toThrow(/sill|corners/);
});
