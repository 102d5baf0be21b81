import { execFileSync } from 'node:child_process';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  createImage,
  RELATIVE_REC709,
  lensFromFov,
  mergeBracket,
  quaternionFromAttitude,
  type View,
} from '@tawny/core';
import { createRandom } from '@tawny/simset';
import { composeInThreads, mergeCodes, runInThread } from '@tawny/pipeline';

const FRAMES = 7;
const VIEWS = 6;
/** Side lengths of 24 Mpx. */
const WIDTH = 4000;
const HEIGHT = 6000;

export interface NativeRow {
  what: string;
  bound: string;
  measured: string;
}

const seconds = async (work: () => unknown): Promise<number> => {
  const start = performance.now();
  await work();
  return (performance.now() - start) / 1000;
};

/** The better of two runs: what else the machine does only ever adds. */
const better = async (work: () => unknown): Promise<number> => Math.min(await seconds(work), await seconds(work));

/** Our merges and stitch against OpenCV's native library on the same frames in the same run. */
export async function nativeRatios(): Promise<NativeRow[]> {
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-native-'));
  try {
    const random = createRandom(3, 'bench');
    const exposures = Array.from({ length: FRAMES }, (_, k) => 4 ** (3 - k));
    const n = WIDTH * HEIGHT * 3;
    const scene = Float32Array.from({ length: 1 << 16 }, () => 2 ** (-9 + 10 * random.next()));
    const narrow = exposures.map((x) => {
      const codes = new Uint8Array(new SharedArrayBuffer(n));
      const tile = Uint8Array.from(scene, (v) => Math.min(255, 255 * Math.min(1, v * x) ** 0.45));
      for (let i = 0; i < n; i += tile.length) codes.set(i + tile.length <= n ? tile : tile.subarray(0, n - i), i);
      return codes;
    });
    for (const [k, c] of narrow.entries()) await fs.writeFile(path.join(folder, `frame_${k}.u8`), c);
    const wide = exposures.map((x) => {
      const codes = new Uint16Array(new SharedArrayBuffer(2 * n));
      const tile = Uint16Array.from(scene, (v) => Math.min(65535, 65535 * v * x));
      for (let i = 0; i < n; i += tile.length) codes.set(i + tile.length <= n ? tile : tile.subarray(0, n - i), i);
      return codes;
    });
    for (const [k, c] of wide.entries())
      await fs.writeFile(path.join(folder, `frame_${k}.u16`), new Uint8Array(c.buffer));
    const lens = lensFromFov('equidistant', 185, { width: WIDTH, height: HEIGHT }, 'longSide');
    await fs.writeFile(
      path.join(folder, 'bench.json'),
      JSON.stringify({
        width: WIDTH,
        height: HEIGHT,
        frames: FRAMES,
        times: exposures,
        panoramaWidth: 8192,
        focalPx: lens.focalPx,
      }),
    );
    const single = await better(() =>
      mergeBracket(
        narrow.map((codes, k) => ({ codes, exposure: exposures[k] })),
        { width: WIDTH, height: HEIGHT, curve: 'srgb' },
      ),
    );
    // Both threads up before the clock runs.
    await Promise.all(
      [0, 1].map(() =>
        mergeCodes(
          narrow.map((c) => c.subarray(0, 3 * WIDTH * 64)),
          exposures,
          WIDTH,
          64,
          'srgb',
        ),
      ),
    );
    const merge8 = await better(() => mergeCodes(narrow, exposures, WIDTH, HEIGHT, 'srgb'));
    const merge16 = await better(() => mergeCodes(wide, exposures, WIDTH, HEIGHT, 'linear'));
    narrow.length = 0;
    wide.length = 0;
    const image = {
      ...createImage(1, 1, RELATIVE_REC709),
      width: WIDTH,
      height: HEIGHT,
      data: new Float32Array(new SharedArrayBuffer(4 * n)).fill(0.5),
    };
    const clipped = new Uint8Array(new SharedArrayBuffer(WIDTH * HEIGHT));
    const views: View[] = Array.from({ length: VIEWS }, (_, v) => ({
      image,
      clipped,
      lens,
      attitude: quaternionFromAttitude({ headingDeg: (360 * v) / VIEWS, tiltDeg: 0, rollDeg: 0 }),
      logGain: 0,
      vignetting: [0, 0, 0] as const,
    }));
    // As a build does it: the maps of the hand-over first.
    const stitch = await better(async () => {
      const { blends } = await runInThread('matchViews', { views, regions: [], seamStops: 0 });
      await composeInThreads(
        views.map((v, i) => ({ ...v, blend: blends[i] })),
        8192,
      );
    });
    const native = JSON.parse(
      execFileSync(
        '/usr/bin/python3',
        [fileURLToPath(new URL('./opencv.py', import.meta.url)), folder, String(VIEWS)],
        { encoding: 'utf8', maxBuffer: 1 << 20 },
      ),
    ) as { opencv: string; debevecS: number; weightedS: number; remapS: number };
    const row = (what: string, bound: number, ours: number, theirs: number, name: string): NativeRow => ({
      what,
      bound: `${bound} × ${name}`,
      measured: `${(ours / theirs).toFixed(2)} × (${ours.toFixed(2)} s against ${theirs.toFixed(2)} s)${ours / theirs <= bound ? '' : ', **missed**'}`,
    });
    return [
      row(
        'merge of 7 x 24 Mpx 8-bit frames, decoded, two threads',
        0.25,
        merge8,
        native.debevecS,
        `OpenCV ${native.opencv} createMergeDebevec`,
      ),
      {
        what: 'the same in one thread',
        bound: '-',
        measured: `${(single / native.debevecS).toFixed(2)} × (${single.toFixed(2)} s)`,
      },
      row(
        '16-bit weighted merge of 7 x 24 Mpx, two threads, against the same arithmetic',
        0.25,
        merge16,
        native.weightedS,
        'OpenCV',
      ),
      row(
        '8192 x 4096 panorama from 6 fisheye views of 24 Mpx, two threads',
        1.5,
        stitch,
        native.remapS,
        'OpenCV remap and blend',
      ),
    ];
  } finally {
    await fs.rm(folder, { recursive: true });
  }
}
