import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { curveFunction, decodePicture, type Curve } from '@tawny/core';
import { decodeFrame } from '@tawny/formats';
import { probeVideo, videoPlate } from '../src/decode/video';
import { videoMeaning, videoSignal } from '../src/decode/videoMeaning';

const [W, H, FPS] = [64, 48, 24];
const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-video-'));
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

/** Scene-linear patches in four columns: grey, dark, bright, and one beyond white. */
const PATCHES = [
  [0.18, 0.18, 0.18],
  [0.02, 0.03, 0.025],
  [0.7, 0.5, 0.3],
  [1.05, 1.05, 1.05],
];
const at = (x: number) => PATCHES[Math.min(3, Math.floor((4 * x) / W))];

/** The signal that a curve gives to light, by halving until it fits: not the code that is tested. */
function encoded(curve: Curve, light: number): number {
  const decode = curveFunction(curve);
  let [low, high] = [0, 1.2];
  for (let i = 0; i < 60; i++) {
    const middle = (low + high) / 2;
    if (decode(middle) < light) low = middle;
    else high = middle;
  }
  return low;
}

interface Made {
  curve: Curve;
  bits: 8 | 10;
  range: 'tv' | 'pc';
  /** Luma weights of red and blue. */
  weights: [number, number];
  tags: string[];
}

/** A lossless clip whose components this test computes itself, one value a pixel. */
function clip(name: string, { curve, bits, range, weights: [kr, kb], tags }: Made): string {
  const top = (1 << bits) - 1;
  const step = 1 << (bits - 8);
  const luma = (v: number) => (range === 'tv' ? step * (16 + 219 * v) : top * v);
  const chroma = (v: number) => (range === 'tv' ? step * (128 + 224 * v) : (top + 1) / 2 + top * v);
  const samples = new Uint16Array(3 * W * H);
  for (let y = 0; y < H; y++) {
    for (let x = 0; x < W; x++) {
      const [r, g, b] = at(x).map((v) => encoded(curve, v));
      const l = kr * r + (1 - kr - kb) * g + kb * b;
      const p = y * W + x;
      const keep = (v: number) => Math.max(0, Math.min(top, Math.round(v)));
      samples[p] = keep(luma(l));
      samples[W * H + p] = keep(chroma((b - l) / (2 * (1 - kb))));
      samples[2 * W * H + p] = keep(chroma((r - l) / (2 * (1 - kr))));
    }
  }
  const raw = bits === 8 ? Buffer.from(Uint8Array.from(samples)) : Buffer.from(samples.buffer);
  const file = path.join(folder, name);
  const format = bits === 8 ? 'yuv444p' : 'yuv444p10le';
  execFileSync(
    'ffmpeg',
    [
      ...['-v', 'error', '-y', '-f', 'rawvideo', '-pix_fmt', format, '-s', `${W}x${H}`, '-r', String(FPS), '-i', '-'],
      ...['-c:v', 'ffv1', '-color_range', range, ...tags, file],
    ],
    { input: Buffer.concat([raw, raw, raw]) },
  );
  return file;
}

async function measured(file: string): Promise<{ meaning: ReturnType<typeof videoMeaning>; means: number[][] }> {
  const { meaning } = await probeVideo(file, 'a.mkv');
  const png = path.join(folder, `${path.basename(file)}.png`);
  fs.writeFileSync(png, await videoPlate(file, 'a.mkv', 1));
  const picture = await decodeFrame(png, 'a.png');
  expect(picture).toMatchObject({ width: W, height: H, bits: 16 });
  const { data } = decodePicture(picture, meaning.decoding!);
  return { meaning, means: [0, 1, 2, 3].map((k) => [0, 1, 2].map((c) => data[3 * (20 * W + 16 * k + 8) + c])) };
}

const REC709 = ['-color_primaries', 'bt709', '-color_trc', 'bt709', '-colorspace', 'bt709'];
const CASES: [string, Made, number][] = [
  ['8 bits, legal, Rec. 709', { curve: 'rec709', bits: 8, range: 'tv', weights: [0.2126, 0.0722], tags: REC709 }, 0.05],
  [
    '10 bits, legal, Rec. 709',
    { curve: 'rec709', bits: 10, range: 'tv', weights: [0.2126, 0.0722], tags: REC709 },
    0.02,
  ],
  [
    '10 bits, full, Rec. 709',
    { curve: 'rec709', bits: 10, range: 'pc', weights: [0.2126, 0.0722], tags: REC709 },
    0.02,
  ],
  [
    '10 bits, legal, HLG',
    {
      ...{ curve: 'hlg', bits: 10, range: 'tv', weights: [0.2126, 0.0722] },
      tags: ['-color_primaries', 'bt709', '-color_trc', 'arib-std-b67', '-colorspace', 'bt709'],
    },
    0.03,
  ],
  [
    '10 bits, legal, PQ',
    {
      ...{ curve: 'pq', bits: 10, range: 'tv', weights: [0.2126, 0.0722] },
      tags: ['-color_primaries', 'bt709', '-color_trc', 'smpte2084', '-colorspace', 'bt709'],
    },
    0.05,
  ],
  [
    '8 bits, full, sRGB over the older matrix',
    {
      curve: 'srgb',
      bits: 8,
      range: 'pc',
      weights: [0.299, 0.114],
      tags: ['-color_primaries', 'bt709', '-color_trc', 'iec61966-2-1', '-colorspace', 'smpte170m'],
    },
    0.05,
  ],
];

describe('a frame of a clip as light', () => {
  test.each(CASES)('%s', async (name, made, tolerance) => {
    const { meaning, means } = await measured(clip(`${name.replace(/\W+/g, '_')}.mkv`, made));
    expect(meaning.decoding).toMatchObject({
      curve: made.curve,
      range: made.range === 'tv' ? 'legal' : 'full',
      primaries: 'rec709',
    });
    PATCHES.forEach((patch, k) => {
      // What is above white survives where the range leaves it room.
      if (k === 3 && made.range === 'pc') return;
      patch.forEach((light, c) => expect(Math.abs(Math.log2(means[k][c] / light))).toBeLessThan(tolerance));
    });
  });

  test('a stream that states no transfer is not taken for anything', async () => {
    const file = clip('silent.mkv', { curve: 'rec709', bits: 10, range: 'tv', weights: [0.2126, 0.0722], tags: [] });
    const { meaning } = await probeVideo(file, 'silent.mkv');
    expect(meaning).toEqual({ decoding: null, source: 'its stream states no transfer; legal range' });
  });
});

describe('what streams say', () => {
  test.each([
    [{ color_transfer: 'smpte428', color_primaries: 'bt2020' }, null, /transfer smpte428, which no curve here is/],
    [{ color_transfer: 'smpte2084', color_primaries: 'bt2020' }, 'pq', /transfer smpte2084, primaries bt2020/],
    [{ color_transfer: 'arib-std-b67', color_primaries: 'bt2020' }, 'hlg', /transfer arib-std-b67/],
    [{ color_transfer: 'bt709' }, null, /transfer bt709 and no primaries/],
    [{ color_transfer: 'bt709', color_primaries: 'film' }, null, /primaries film, which are not known/],
    [{ color_transfer: 'bt470bg', color_primaries: 'bt470bg', color_range: 'pc' }, 'gamma:2.8', /full range/],
    [{ color_transfer: 'bt709', color_primaries: 'bt709' }, 'rec709', /legal range \(the stream does not say/],
  ])('%j', (stream, curve, words) => {
    const { decoding, source } = videoMeaning(stream);
    expect(decoding?.curve ?? null).toBe(curve);
    expect(source).toMatch(words);
  });
  test.each([
    ['yuv420p', 8],
    ['yuv422p10le', 10],
    ['yuv444p12le', 12],
    ['p010le', 10],
    ['gbrp16le', 16],
    ['rgb48le', 16],
    ['yuvj420p', 8],
  ])('%s has %i bits', (format, bits) => expect(videoSignal({ pix_fmt: format }).bits).toBe(bits));
  test('the matrix is that of the stream, else that of its size', () => {
    expect(videoSignal({ pix_fmt: 'yuv420p', height: 1080 }).matrix).toEqual({ red: 0.2126, blue: 0.0722 });
    expect(videoSignal({ pix_fmt: 'yuv420p', height: 576 }).matrix).toEqual({ red: 0.299, blue: 0.114 });
    expect(videoSignal({ pix_fmt: 'yuv420p10le', color_space: 'bt2020nc' }).matrix!.red).toBe(0.2627);
    expect(videoSignal({ pix_fmt: 'gbrp10le' })).toMatchObject({ matrix: null, range: 'full', bits: 10 });
  });
});
