import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import {
  createImage,
  RELATIVE_REC709,
  fillHoles,
  lensFromFov,
  quaternionFromAttitude,
  UNSEEN,
  type View,
} from '@tawny/core';
import { readExr } from '@tawny/formats';
import { composeByStrips, composeInThreads } from '../src/build/parallel';
import { cutTripod, fullPanorama } from '../src/build/fullPanorama';
import { closeThreads } from '../src/threads/pool';
import { sharedBytes, sharedFloats } from '../src/threads/shared';
import { Cancelled } from '../src/progress';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-full-'));
afterAll(async () => {
  fs.rmSync(folder, { recursive: true, force: true });
  await closeThreads();
});

/** Three fisheye views of a sphere that brightens upwards; between them a hole is left at the nadir. */
const views: View[] = [0, 120, 240].map((headingDeg) => {
  const [width, height] = [96, 120];
  const lens = lensFromFov('equidistant', 150, { width, height }, 'longSide');
  const image = { ...createImage(1, 1, RELATIVE_REC709), width, height, data: sharedFloats(3 * width * height) };
  image.data.forEach((_, i) => (image.data[i] = 2 + Math.sin(i * 0.01)));
  return {
    image,
    clipped: sharedBytes(width * height),
    lens,
    attitude: quaternionFromAttitude({ headingDeg, tiltDeg: 20, rollDeg: 0 }),
    logGain: 0,
    vignetting: [0, 0, 0],
  };
});
const WIDTH = 1024;

describe('a panorama that is composed while it is written', () => {
  test('comes in strips that together are the whole one', async () => {
    const whole = await composeInThreads(views, WIDTH);
    const rows: number[] = [];
    await composeByStrips(views, WIDTH, [], async ({ y0, y1, rgb, mask, uncertainty }) => {
      rows.push(y0, y1);
      expect(
        Buffer.from(rgb.slice().buffer).equals(
          Buffer.from(whole.panorama.data.slice(3 * y0 * WIDTH, 3 * y1 * WIDTH).buffer),
        ),
      ).toBe(true);
      expect([...mask]).toEqual([...whole.mask.subarray(y0 * WIDTH, y1 * WIDTH)]);
      expect([...uncertainty]).toEqual([...whole.uncertainty.subarray(y0 * WIDTH, y1 * WIDTH)]);
    });
    expect(rows).toEqual([0, 256, 256, 512]);
  });

  test('a consumer that fails ends it with its own error', async () => {
    let taken = 0;
    await expect(
      composeByStrips(views, WIDTH, [], async () => {
        if (++taken === 2) throw new Error('the disk is full');
      }),
    ).rejects.toThrow('the disk is full');
    expect(taken).toBe(2);
  });

  test('the file holds what the panorama in memory holds, its tripod cut out and its holes filled from a smaller one', async () => {
    const small = await composeInThreads(views, WIDTH / 2);
    cutTripod(
      { y0: 0, y1: WIDTH / 4, rgb: small.panorama.data, mask: small.mask, uncertainty: small.uncertainty },
      WIDTH / 2,
      30,
    );
    expect(small.mask.includes(UNSEEN)).toBe(true);
    fillHoles(small.panorama, small.mask);
    const file = path.join(folder, 'full.exr');
    await fullPanorama({ views, regions: [], width: WIDTH, tripodDeg: 30, filling: small.panorama }).write(
      file,
      { latlong: true },
      'rec709',
    );
    const { image } = readExr(fs.readFileSync(file), 'full.exr');
    const whole = await composeInThreads(views, WIDTH);
    const at = (x: number, y: number) => 3 * (y * WIDTH + x) + 1;
    for (const [x, y] of [
      [10, 40],
      [300, 100],
      [511, 150],
    ])
      expect(image.data[at(x, y)] / whole.panorama.data[at(x, y)]).toBeCloseTo(1, 3);
    // Twenty degrees above straight down: tripod, so filled with what surrounds it.
    const row = Math.floor((WIDTH / 2) * (1 - 20 / 180));
    for (const x of [5, 200, 400])
      expect(
        image.data[at(x, row)] / small.panorama.data[3 * (Math.floor(row / 2) * (WIDTH / 2) + Math.floor(x / 2)) + 1],
      ).toBeCloseTo(1, 2);
  });

  test('cancelled, it stops and says so', async () => {
    const stop = new AbortController();
    stop.abort();
    await expect(
      fullPanorama({ views, regions: [], width: WIDTH, tripodDeg: 0, filling: null }).write(
        path.join(folder, 'never.exr'),
        {},
        'rec709',
        { signal: stop.signal },
      ),
    ).rejects.toThrow(Cancelled);
  });
});
