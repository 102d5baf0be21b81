import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createImage, RELATIVE_REC709, linearToSrgb, LOOK_SIDE } from '@tawny/core';
import {
  decodeFrame,
  encodeDng,
  encodeJpeg,
  encodePng,
  encodeTiff16,
  encodeTiffFloat,
  lookAtFrame,
  readExrWindow,
  readFrameHead,
  writeExr,
  type DngSensor,
  type WrittenTags,
} from '../src';
import { TAGS } from './support/written';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-frames-'));
afterAll(() => fs.rmSync(folder, { recursive: true }));

const SENSOR: DngSensor = {
  black: [500, 510, 515, 520],
  white: 16383,
  colourMatrix: [0.9, -0.3, -0.1, -0.4, 1.2, 0.2, -0.1, 0.2, 0.6],
  asShotNeutral: [0.62, 1, 0.71],
};
const [W, H] = [64, 48];

function keep(name: string, bytes: Uint8Array): string {
  const file = path.join(folder, name);
  fs.writeFileSync(file, bytes);
  return file;
}

/** A raw frame whose photosites hold the same light everywhere. */
function raw(level: number, tags: Partial<WrittenTags> = {}): Buffer {
  const mosaic = new Uint16Array(W * H);
  for (let y = 0; y < H; y++) {
    for (let x = 0; x < W; x++) {
      const site = (y & 1) * 2 + (x & 1);
      mosaic[y * W + x] = Math.round(SENSOR.black[site] + level * (SENSOR.white - SENSOR.black[site]));
    }
  }
  return encodeDng(mosaic, W, H, SENSOR, { ...TAGS, ...tags });
}

describe('camera raw', () => {
  test('black and saturation levels per channel are applied, the white balance is recorded and not baked in', async () => {
    const file = keep('grey.dng', raw(0.25));
    const head = await readFrameHead(file, 'grey.dng');
    expect(head).toMatchObject({ width: W, height: H, bits: 16, format: 'raw' });
    expect(head.metadata.shutterS).toBeCloseTo(1 / 64, 12);
    expect(head.metadata).toMatchObject({ iso: 200, cameraModel: 'Tarn P6', hasUtcOffset: true });
    head.metadata.asShotNeutral!.forEach((v, c) => expect(v).toBeCloseTo(SENSOR.asShotNeutral[c], 3));
    const { codes, bits } = await decodeFrame(file, 'grey.dng');
    expect(bits).toBe(16);
    const middle = 3 * (24 * W + 32);
    for (let c = 0; c < 3; c++) expect(Math.abs(codes[middle + c] / 65535 - 0.25)).toBeLessThan(2e-3);
  });
  test('every frame of a bracket has the same scale, clipped or not', async () => {
    const level = async (v: number, name: string) =>
      (await decodeFrame(keep(name, raw(v)), name)).codes[3 * (24 * W + 32) + 1] / 65535;
    expect((await level(0.08, 'a.dng')) / (await level(0.04, 'b.dng'))).toBeCloseTo(2, 1);
    expect(await level(1, 'c.dng')).toBeGreaterThan(0.99);
  });
  test('it is known by its content, turned upright, and named when it breaks off', async () => {
    const file = keep('card_0001.tif', raw(0.2, { orientation: 6 }));
    expect(await readFrameHead(file, 'card_0001.tif')).toMatchObject({ width: H, height: W, format: 'raw' });
    const cut = keep('cut.dng', raw(0.2).subarray(0, 900));
    await expect(decodeFrame(cut, 'cut.dng')).rejects.toMatchObject({
      message: expect.stringMatching(/^cut\.dng: (is a raw file that breaks off|is no picture|breaks off)/),
    });
    const text = keep('notes.dng', Buffer.from('call at seven'));
    await expect(readFrameHead(text, 'notes.dng')).rejects.toMatchObject({ code: 'not-an-image' });
  });
  test('nobody looks into a raw file before it is merged', async () => {
    expect(await lookAtFrame(keep('look.dng', raw(0.3)), 'look.dng')).toBeNull();
  });
});

describe('float frames', () => {
  const data = Float32Array.from({ length: 3 * W * H }, (_, i) => 0.001 * i + (i === 30 ? 5000 : 0));

  test('a float TIFF keeps its values exactly, also above 1', async () => {
    const file = keep('dev.tif', encodeTiffFloat(data, W, H, TAGS));
    expect(await readFrameHead(file, 'dev.tif')).toMatchObject({ width: W, height: H, bits: 32, format: 'tiff' });
    const { codes } = await decodeFrame(file, 'dev.tif');
    expect(codes).toBeInstanceOf(Float32Array);
    for (const i of [0, 1, 30, 500, 9000])
      expect(Math.abs(codes[i] - data[i])).toBeLessThan(1e-5 * Math.max(1, data[i]));
  });
  test('OpenEXR frames tell time and aperture of their header', async () => {
    const file = keep(
      'plate.exr',
      await writeExr(
        { ...RELATIVE_REC709, width: W, height: H, data },
        { capDate: '2026:10:14 16:20:00', utcOffsetS: -3600, aperture: 8 },
      ),
    );
    const { metadata, bits } = await readFrameHead(file, 'plate.exr');
    expect(bits).toBe(32);
    expect(metadata.takenAtMs).toBe(Date.parse('2026-10-14T15:20:00Z'));
    expect(metadata.fNumber).toBeCloseTo(8, 9);
    expect(metadata.shutterS).toBeNull();
    expect((await decodeFrame(file, 'plate.exr')).codes[30] / data[30]).toBeCloseTo(1, 3);
  });
  test('Radiance HDR', async () => {
    const flat = Buffer.concat([
      Buffer.from('#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 4 +X 8\n', 'latin1'),
      Buffer.from(Array.from({ length: 32 }, () => [128, 64, 32, 130]).flat()),
    ]);
    const file = keep('sky.hdr', flat);
    expect(await readFrameHead(file, 'sky.hdr')).toMatchObject({ width: 8, height: 4, bits: 32, format: 'hdr' });
    const { codes } = await decodeFrame(file, 'sky.hdr');
    expect(codes[0] / codes[1]).toBeCloseTo(2, 1);
    expect(codes[0]).toBeCloseTo(2, 1);
    const lie = keep('lie.hdr', Buffer.from('#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 90000 +X 90000\n'));
    await expect(readFrameHead(lie, 'lie.hdr')).rejects.toMatchObject({
      code: 'too-large',
      message: expect.stringContaining('claims 90000 x 90000'),
    });
  });
  test('a window of a panorama is read without the rest, half and float', async () => {
    const image = createImage(256, 128, RELATIVE_REC709);
    for (let i = 0; i < image.data.length; i++) image.data[i] = (i % 977) / 977 + 0.01;
    for (const [name, type] of [
      ['half.exr', 'half'],
      ['float.exr', 'float'],
    ] as const) {
      const file = keep(name, await writeExr(image, { latlong: true }, type));
      const tile = await readExrWindow(file, name, { x: 96, y: 40, width: 64, height: 33 }, image);
      let worst = 0;
      for (let y = 0; y < 33; y++)
        for (let x = 0; x < 64; x++)
          for (let c = 0; c < 3; c++)
            worst = Math.max(
              worst,
              Math.abs(tile.data[3 * (y * 64 + x) + c] - image.data[3 * ((40 + y) * 256 + 96 + x) + c]),
            );
      expect(worst).toBeLessThan(type === 'half' ? 5e-4 : 1e-7);
    }
    await expect(
      readExrWindow(path.join(folder, 'half.exr'), 'half.exr', { x: 250, y: 0, width: 20, height: 4 }, RELATIVE_REC709),
    ).rejects.toThrow(/lies outside/);
    await expect(
      readExrWindow(
        keep('none.exr', Buffer.alloc(70000)),
        'none.exr',
        { x: 0, y: 0, width: 1, height: 1 },
        RELATIVE_REC709,
      ),
    ).rejects.toMatchObject({ code: 'unsupported' });
  });
});

describe('a glance at a frame', () => {
  const level = (x: number, y: number) => 0.05 + 0.5 * (x / W) * (y / H);
  test.each([
    [
      '8-bit JPEG',
      async () =>
        keep(
          'g.jpg',
          await encodeJpeg(
            Uint8Array.from({ length: 3 * W * H }, (_, i) =>
              Math.round(255 * linearToSrgb(level(Math.floor(i / 3) % W, Math.floor(i / 3 / W)))),
            ),
            W,
            H,
            TAGS,
          ),
        ),
      0.02,
    ],
    [
      '16-bit TIFF',
      async () =>
        keep(
          'g.tif',
          encodeTiff16(
            Uint16Array.from({ length: 3 * W * H }, (_, i) =>
              Math.round(65535 * level(Math.floor(i / 3) % W, Math.floor(i / 3 / W))),
            ),
            W,
            H,
            TAGS,
          ),
        ),
      0.002,
    ],
    [
      'OpenEXR',
      async () =>
        keep(
          'g.exr',
          await writeExr({
            ...RELATIVE_REC709,
            width: W,
            height: H,
            data: Float32Array.from({ length: 3 * W * H }, (_, i) =>
              level(Math.floor(i / 3) % W, Math.floor(i / 3 / W)),
            ),
          }),
        ),
      0.002,
    ],
  ] as const)('%s: mean linear levels of 16 x 16 cells', async (_name, make, tolerance) => {
    const file = await make();
    const look = (await lookAtFrame(file, path.basename(file)))!;
    for (const [cx, cy] of [
      [2, 2],
      [8, 8],
      [13, 4],
    ]) {
      const wanted = level(((cx + 0.5) * W) / LOOK_SIDE - 0.5, ((cy + 0.5) * H) / LOOK_SIDE - 0.5);
      expect(Math.abs(look[cy * LOOK_SIDE + cx] - wanted)).toBeLessThan(tolerance + 0.02 * wanted);
    }
  });
  test('missing and empty files are named', async () => {
    await expect(readFrameHead(path.join(folder, 'gone.jpg'), 'gone.jpg')).rejects.toMatchObject({
      message: expect.stringContaining('gone.jpg: there is no such file'),
    });
    await expect(decodeFrame(keep('none.jpg', Buffer.alloc(0)), 'none.jpg')).rejects.toMatchObject({
      code: 'empty-file',
    });
    await expect(
      readFrameHead(keep('dot.png', await encodePng(Uint8Array.from([1, 2, 3]), 1, 1)), 'dot.png'),
    ).rejects.toMatchObject({ code: 'too-small' });
  });
});
