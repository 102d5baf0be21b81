import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createImage } from '@tawny/core';
import { readExr, readFrameHead, writeExr } from '../src';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'window-'));
afterAll(() => fs.rmSync(folder, { recursive: true }));
const [W, H] = [64, 32];

/** Every pixel says where it stands. */
async function whole(): Promise<string> {
  const image = createImage(W, H, { space: 'rec709', unit: 'relative' });
  for (let y = 0; y < H; y++) for (let x = 0; x < W; x++) image.data.set([x + 1, y + 1, 0.5], 3 * (y * W + x));
  const file = path.join(folder, 'whole.exr');
  fs.writeFileSync(file, await writeExr(image, {}));
  return file;
}

/** OpenImageIO makes the other windows: a reader and writer that is not ours. */
const make = (file: string, ...how: string[]) => {
  const out = path.join(folder, `${how.join('_').replace(/\W+/g, '_')}.exr`);
  execFileSync('oiiotool', [file, ...how, '-d', 'float', '-o', out]);
  return out;
};
const at = (image: { width: number; data: Float32Array }, x: number, y: number) => [
  ...image.data.subarray(3 * (y * image.width + x), 3 * (y * image.width + x) + 2),
];

test('a file that holds only a window of its picture is placed in it', async () => {
  const cut = make(await whole(), '--crop', '20x10+30+8');
  const { image } = readExr(fs.readFileSync(cut), 'cut.exr');
  expect([image.width, image.height]).toEqual([W, H]);
  expect(await readFrameHead(cut, 'cut.exr')).toMatchObject({ width: W, height: H });
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      const inside = x >= 30 && x < 50 && y >= 8 && y < 18;
      expect(at(image, x, y)).toEqual(inside ? [x + 1, y + 1] : [0, 0]);
    }
});

test('what sticks out of the picture is cut off', async () => {
  const out = make(await whole(), '--fullsize', '40x20+10+6');
  const { image } = readExr(fs.readFileSync(out), 'out.exr');
  expect([image.width, image.height]).toEqual([40, 20]);
  expect(at(image, 0, 0)).toEqual([11, 7]);
  expect(at(image, 39, 19)).toEqual([50, 26]);
});

test('a picture whose window does not begin at zero is the same picture', async () => {
  const moved = make(await whole(), '--origin', '+100+50', '--fullsize', `${W}x${H}+100+50`);
  const { image } = readExr(fs.readFileSync(moved), 'moved.exr');
  expect([image.width, image.height]).toEqual([W, H]);
  expect(at(image, 5, 7)).toEqual([6, 8]);
});
