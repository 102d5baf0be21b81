import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createImage, RELATIVE_REC709, type RgbImage } from '@tawny/core';
import { ExrRowWriter, readExrWindow, writeExr } from '../src';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-rows-'));
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

function busy(width: number): RgbImage {
  const image = createImage(width, width / 2, RELATIVE_REC709);
  for (let i = 0; i < image.data.length; i++) image.data[i] = 2 + Math.sin(i * 0.37) * Math.cos(i * 0.011);
  return image;
}

async function byRows(image: RgbImage, file: string, type: 'half' | 'float', step = 32): Promise<void> {
  const writer = await ExrRowWriter.open(
    file,
    image.width,
    image.height,
    { latlong: true, clippedSr: 0.25 },
    type,
    'rec709',
  );
  for (let y = 0; y < image.height; y += step)
    await writer.add(y, image.data.subarray(3 * y * image.width, 3 * Math.min(image.height, y + step) * image.width));
  await writer.close();
}

describe('an OpenEXR that is written while its rows come', () => {
  test.each(['half', 'float'] as const)('is the same file, byte by byte, as one written whole (%s)', async (type) => {
    const image = busy(200);
    const file = path.join(folder, `${type}.exr`);
    await byRows(image, file, type);
    expect(fs.readFileSync(file).equals(await writeExr(image, { latlong: true, clippedSr: 0.25 }, type))).toBe(true);
  });

  test('can be read in windows', async () => {
    const image = busy(128);
    const file = path.join(folder, 'window.exr');
    await byRows(image, file, 'float', 16);
    const part = await readExrWindow(file, 'window.exr', { x: 40, y: 20, width: 8, height: 30 }, image);
    for (const [x, y] of [
      [0, 0],
      [7, 29],
      [3, 11],
    ])
      expect(part.data[3 * (y * 8 + x) + 1]).toBe(image.data[3 * ((y + 20) * 128 + x + 40) + 1]);
  });

  test('rows out of turn, broken blocks, missing rows and values that cannot be written are refused', async () => {
    const rows = (n: number, v = 1) => new Float32Array(3 * 64 * n).fill(v);
    const open = () => ExrRowWriter.open(path.join(folder, 'bad.exr'), 64, 48, {}, 'half', 'rec709');
    const one = await open();
    await expect(one.add(16, rows(16))).rejects.toThrow('out of turn: row 0 of 48 is next');
    await expect(one.add(0, rows(10))).rejects.toThrow('out of turn');
    await expect(one.add(0, rows(16, NaN))).rejects.toThrow('value NaN in row 0');
    await expect(one.add(0, rows(16, 70000))).rejects.toThrow('half cannot hold 70000');
    await one.add(0, rows(16));
    await expect(one.close()).rejects.toThrow('ends at row 16 of 48');
    const two = await open();
    await two.abandon();
    await expect(two.add(0, rows(16))).rejects.toThrow();
  });
});
