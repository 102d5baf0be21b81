import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { decodingTable, linearToSrgb } from '@tawny/core';
import { encodeJpeg, encodePng, encodeTiff16, type WrittenTags } from '@tawny/formats';
import { closeThreads, measureRigGlare, mergeFiles, readLinearPicture, responseOfFiles } from '../src';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-bracket-'));
afterAll(async () => {
  fs.rmSync(folder, { recursive: true, force: true });
  await closeThreads();
});

const [W, H] = [240, 160];
/** Light of a smooth look over nine stops. */
const light = (x: number, y: number) => 2 ** (-7 + (9 * x) / W) * (1 + 0.1 * Math.sin(y / 7));
const tags = (denominator: number, at: number): WrittenTags => ({
  model: 'Tarn P6',
  lensModel: 'Meniscus',
  shutterTag: { numerator: 1, denominator },
  fNumberTag: 8,
  iso: 100,
  focalLengthMm: 8,
  takenAt: new Date(Date.UTC(2026, 9, 14, 12, 0, at)),
  utcOffsetMinutes: 0,
  orientation: 1,
});

async function shoot(
  name: string,
  denominator: number,
  order: number,
  curve: (v: number) => number,
): Promise<{ path: string; name: string }> {
  const codes = new Uint8Array(W * H * 3);
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++)
      codes.fill(
        Math.round(255 * curve(Math.min(1, (light(x, y) * 60) / denominator))),
        3 * (y * W + x),
        3 * (y * W + x) + 3,
      );
  const file = path.join(folder, name);
  fs.writeFileSync(file, await encodeJpeg(codes, W, H, tags(denominator, order)));
  return { path: file, name };
}

const ladder = [15, 60, 250, 1000];
const bracket = (name: string, curve = linearToSrgb) =>
  Promise.all(ladder.map((d, i) => shoot(`${name}_${i}.jpg`, d, i, curve)));

describe('a bracket of files', () => {
  test('becomes light that is right over its whole range', async () => {
    const merged = await mergeFiles(await bracket('plain'), { ndStops: 0, camera: 'file', takeOut: false });
    expect(merged).toMatchObject({ widthPx: W, heightPx: H, frames: 4, movedFraction: 0 });
    const at = (x: number, y: number) => merged.image.data[3 * (y * W + x) + 1] / light(x, y);
    const scale = at(100, 80);
    for (const x of [30, 60, 140, 180])
      for (const y of [10, 80, 150]) expect(Math.abs(at(x, y) / scale - 1)).toBeLessThan(0.03);
  });

  test('behind an ND it is as much more light', async () => {
    const files = await bracket('nd');
    const [bare, dark] = [
      await mergeFiles(files, { ndStops: 0, camera: 'file', takeOut: false }),
      await mergeFiles(files, { ndStops: 3, camera: 'file', takeOut: false }),
    ];
    expect(dark.image.data[3 * (80 * W + 100)] / bare.image.data[3 * (80 * W + 100)]).toBeCloseTo(8, 4);
  });

  test('somebody in one frame is told, and left out when asked', async () => {
    const files = await bracket('walker');
    const codes = new Uint8Array(W * H * 3);
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++) {
        const there = x > 120 && x < 150 && y > 40 && y < 120;
        codes.fill(
          Math.round(255 * linearToSrgb(Math.min(1, ((there ? 0.02 : light(x, y)) * 60) / 60))),
          3 * (y * W + x),
          3 * (y * W + x) + 3,
        );
      }
    }
    fs.writeFileSync(files[1].path, await encodeJpeg(codes, W, H, tags(60, 1)));
    const clean = await mergeFiles(files, { ndStops: 0, camera: 'file', takeOut: true });
    const reference = await mergeFiles(await bracket('clean'), { ndStops: 0, camera: 'file', takeOut: false });
    const share = (30 * 80) / (W * H);
    expect(clean.movedFraction).toBeGreaterThan(0.8 * share);
    expect(clean.movedFraction).toBeLessThan(2.5 * share);
    const i = 3 * (80 * W + 135) + 1;
    expect(clean.image.data[i] / reference.image.data[i]).toBeCloseTo(1, 1);
  });

  test('frames of two brackets are not merged into one', async () => {
    const [a, b] = [
      await bracket('first'),
      await Promise.all(ladder.map((d, i) => shoot(`second_${i}.jpg`, d, 60 + i, linearToSrgb))),
    ];
    await expect(mergeFiles([...a, ...b], { ndStops: 0, camera: 'file', takeOut: false })).rejects.toThrow(
      /form 2 brackets: merge one at a time/,
    );
  });

  test('the curve of the camera comes back from its brackets', async () => {
    const gamma = (v: number) => v ** (1 / 1.8);
    const response = await responseOfFiles(await bracket('curve', gamma));
    const truth = Float32Array.from({ length: 256 }, (_, c) => (c / 255) ** 1.8);
    // After one scale factor, as stops.
    const stops = [40, 80, 120, 160, 200, 230].map((c) => Math.log2(response.tables[1][c] / truth[c]));
    const middle = stops[2];
    for (const s of stops) expect(Math.abs(s - middle)).toBeLessThan(0.15);
    expect(
      Math.abs(
        Math.log2(decodingTable('srgb', 255)[40] / truth[40]) - Math.log2(decodingTable('srgb', 255)[120] / truth[120]),
      ),
    ).toBeGreaterThan(0.25);
    expect(response.toneMapped).toBe(false);
  });

  test('16-bit files have no response to be recovered', async () => {
    const file = path.join(folder, 'deep.tif');
    fs.writeFileSync(file, await encodeTiff16(new Uint16Array(W * H * 3).fill(9000), W, H, tags(60, 0)));
    await expect(responseOfFiles([{ path: file, name: 'deep.tif' }])).rejects.toThrow(
      /deep\.tif has 16 bits: those are taken as linear/,
    );
    const picture = await readLinearPicture(file);
    expect(picture.data[10]).toBeCloseTo(9000 / 65535, 5);
  });

  test('any picture as light: the file that cannot be read is named', async () => {
    const png = path.join(folder, 'grey.png');
    fs.writeFileSync(png, await encodePng(new Uint8Array(32 * 32 * 3).fill(118), 32, 32));
    await expect(readLinearPicture(png)).rejects.toThrow(/grey\.png: does not say what its code values mean/);
    expect((await readLinearPicture(png, undefined, { curve: 'srgb' })).data[5]).toBeCloseTo(
      decodingTable('srgb', 255)[118],
      6,
    );
    const torn = path.join(folder, 'torn.png');
    fs.writeFileSync(torn, fs.readFileSync(png).subarray(0, 40));
    await expect(readLinearPicture(torn)).rejects.toThrow(/torn\.png/);
  });

  test('glare is not guessed from a sun that is cut off, and the bracket at fault is named', async () => {
    const files = await bracket('sun');
    const rig = { projection: 'equidistant', fovDeg: 180, views: 1, ndStops: 0 } as const;
    const white = await Promise.all(ladder.map((d, i) => shoot(`white_${i}.jpg`, d, i, () => 1)));
    await expect(measureRigGlare(white, files, rig, 5)).rejects.toThrow(
      'sun seen: even the shortest frame cuts it off',
    );
    await expect(
      measureRigGlare(
        [...files, ...(await Promise.all(ladder.map((d, i) => shoot(`more_${i}.jpg`, d, 90 + i, linearToSrgb))))],
        files,
        rig,
        5,
      ),
    ).rejects.toThrow(/^sun seen: the 8 frames form 2 brackets/);
  });
});
