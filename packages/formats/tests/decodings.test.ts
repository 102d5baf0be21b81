import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { deflateSync } from 'node:zlib';
import sharp from 'sharp';
import { decodePicture, WORKING_SPACES } from '@tawny/core';
import {
  decodeFrame,
  encodeJpeg,
  encodePng,
  encodeTiff16,
  rec709Profile,
  readFrameHead,
  readIcc,
  writeExr,
} from '../src';
import { fromHalf, toHalf } from '../src';

const [W, H] = [40, 24];
const TAGS = {
  model: 'Corrie 35',
  lensModel: 'Skerry prime 32',
  shutterTag: { numerator: 1, denominator: 48 },
  fNumberTag: 8,
  iso: 800,
  focalLengthMm: 32,
  takenAt: new Date('2026-10-14T12:00:00Z'),
  utcOffsetMinutes: 0,
  orientation: 1,
};
const eight = new Uint8Array(3 * W * H).fill(118);
const sixteen = new Uint16Array(3 * W * H).fill(20000);
const raw = (codes: Uint8Array | Uint16Array) => sharp(codes, { raw: { width: W, height: H, channels: 3 } });

/** Puts chunks behind a PNG's header. */
function withChunks(png: Buffer, chunks: readonly [string, Buffer][]): Buffer {
  const crc = (b: Buffer) => {
    let c = ~0;
    for (const v of b) {
      c ^= v;
      for (let k = 0; k < 8; k++) c = (c >>> 1) ^ (c & 1 ? 0xedb88320 : 0);
    }
    return ~c >>> 0;
  };
  const made = chunks.map(([name, body]) => {
    const named = Buffer.concat([Buffer.from(name, 'latin1'), body]);
    const out = Buffer.alloc(named.length + 8);
    out.writeUInt32BE(body.length, 0);
    named.copy(out, 4);
    out.writeUInt32BE(crc(named), named.length + 4);
    return out;
  });
  return Buffer.concat([png.subarray(0, 33), ...made, png.subarray(33)]);
}
const words = (...v: number[]) => {
  const out = Buffer.alloc(4 * v.length);
  v.forEach((x, i) => out.writeUInt32BE(x, 4 * i));
  return out;
};

describe('what a file says of its code values', () => {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'meaning-'));
  afterAll(() => fs.rmSync(folder, { recursive: true }));
  const keep = (name: string, bytes: Uint8Array) => {
    const file = path.join(folder, name);
    fs.writeFileSync(file, bytes);
    return file;
  };
  const meaning = async (name: string, bytes: Uint8Array) => (await readFrameHead(keep(name, bytes), name)).meaning;

  test('JPEG: the colour space of its Exif', async () => {
    const file = await raw(eight)
      .withExif({ IFD2: { ColorSpace: '1' } })
      .jpeg()
      .toBuffer();
    expect(await meaning('a.jpg', file)).toEqual({
      decoding: { curve: 'srgb', range: 'full', primaries: 'rec709' },
      source: 'its Exif colour space (sRGB)',
    });
  });

  test('a file that says nothing is not taken for anything', async () => {
    for (const [name, bytes] of [
      ['b.jpg', await encodeJpeg(eight, W, H)],
      ['b.png', await encodePng(eight, W, H)],
      ['b.tif', encodeTiff16(sixteen, W, H, TAGS, null)],
    ] as const)
      expect(await meaning(name, bytes)).toEqual({
        decoding: null,
        source: expect.stringMatching(/holds no ICC profile/),
      });
  });

  test('ICC profiles: linear, a gamma, sRGB and wide primaries; the codes stay as they stand in the file', async () => {
    const linear = encodeTiff16(sixteen, W, H, TAGS);
    expect(await meaning('c.tif', linear)).toMatchObject({
      decoding: { curve: 'linear', range: 'full', primaries: 'rec709' },
      source: 'its ICC profile (Rec. 709 linear)',
    });
    expect((await decodeFrame(keep('c.tif', linear), 'c.tif')).codes[4]).toBe(20000);
    const gamma = encodeTiff16(sixteen, W, H, TAGS, rec709Profile(2.4, 'monitor'));
    expect((await meaning('d.tif', gamma)).decoding).toEqual({
      curve: 'gamma:2.4',
      range: 'full',
      primaries: 'rec709',
    });
    const srgb = await raw(eight).withIccProfile('srgb').jpeg().toBuffer();
    expect((await meaning('e.jpg', srgb)).decoding).toMatchObject({ curve: 'srgb', primaries: 'rec709' });
    // The library would turn these codes into those of a display by their profile.
    const p3 = await raw(eight).withIccProfile('p3').png().toBuffer();
    const told = await meaning('f.png', p3);
    expect(told.decoding!.curve).toBe('srgb');
    const [rx, ry, gx, gy] = told.decoding!.primaries as number[];
    // Display P3 has a red far outside of Rec. 709 and a green at 0.265, 0.690; here adapted to D50.
    expect([rx, ry, gx, gy].map((v) => Number(v.toFixed(2)))).toEqual(
      [0.68, 0.31, 0.27, 0.69].map((v) => expect.closeTo(v, 1)),
    );
  });

  test('a profile with a curve of its own is no curve with a name', async () => {
    const profile = rec709Profile(1, 'odd');
    expect(readIcc(profile)!.curve).toBe('linear');
    // Curves of a kind that is neither a table nor a parametric one.
    const table = Buffer.from(profile);
    for (let i = table.indexOf('para'); i >= 0; i = table.indexOf('para', i + 4)) table.write('sf32', i, 'latin1');
    expect(readIcc(table)).toMatchObject({ curve: null, primaries: 'rec709', description: 'odd' });
    expect(readIcc(new Uint8Array(200))).toBeNull();
  });

  test('PNG: code points before the profile, sRGB and gamma chunks after it', async () => {
    const png = await encodePng(eight, W, H);
    const cicp = Buffer.from([9, 14, 0, 0]);
    expect((await meaning('g.png', withChunks(png, [['cICP', cicp]]))).decoding).toEqual({
      curve: 'rec709',
      range: 'legal',
      primaries: [0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329],
    });
    const coded = async (transfer: number) =>
      meaning('h.png', withChunks(png, [['cICP', Buffer.from([9, transfer, 0, 1])]]));
    expect((await coded(16)).decoding!.curve).toBe('pq');
    expect((await coded(18)).decoding!.curve).toBe('hlg');
    expect(await coded(17)).toEqual({ decoding: null, source: expect.stringMatching(/transfer 17/) });
    expect((await meaning('i.png', withChunks(png, [['sRGB', Buffer.from([0])]]))).decoding!.curve).toBe('srgb');
    const chroma = words(31270, 32900, 64000, 33000, 30000, 60000, 15000, 6000);
    const gamma = withChunks(png, [
      ['gAMA', words(100000)],
      ['cHRM', chroma],
    ]);
    expect((await meaning('j.png', gamma)).decoding).toEqual({ curve: 'linear', range: 'full', primaries: 'rec709' });
    const icc = Buffer.concat([Buffer.from('own\0\0', 'latin1'), deflateSync(rec709Profile(2.2, 'two'))]);
    const both = withChunks(png, [['iCCP', icc]]);
    expect((await meaning('k.png', both)).decoding).toMatchObject({ curve: 'gamma:2.2' });
  });

  test('OpenEXR is linear, in the primaries of its header; values of other primaries come to Rec. 709', async () => {
    const image = {
      width: W,
      height: H,
      data: new Float32Array(3 * W * H).fill(0.5),
      space: 'acescg',
      unit: 'relative',
    } as const;
    const file = keep('l.exr', await writeExr(image, {}));
    const head = await readFrameHead(file, 'l.exr');
    expect(head.meaning.decoding).toEqual({ curve: 'linear', range: 'full', primaries: 'acescg' });
    const picture = decodePicture(await decodeFrame(file, 'l.exr'), head.meaning.decoding!);
    expect(picture.space).toBe('acescg');
    // A red of ACEScg is out of reach of Rec. 709: converted, not renamed.
    const red = { width: 1, height: 1, codes: Float32Array.of(1, 0, 0) };
    const custom = [...WORKING_SPACES.acescg.chromaticities.slice(0, 6), 0.3127, 0.329];
    const converted = decodePicture(red, { curve: 'linear', range: 'full', primaries: custom });
    expect(converted.space).toBe('rec709');
    expect(converted.data[0]).toBeGreaterThan(1.5);
    expect(converted.data[1]).toBeLessThan(0);
  });
});

describe('half floats round to nearest, ties to even', () => {
  const finite = Array.from({ length: 0x7c00 }, (_, i) => i);

  test('every pattern is its own', () => {
    for (const bits of finite) expect(toHalf(fromHalf(bits))).toBe(bits);
  });
  test('between two neighbours the nearer one wins, in the middle the even one', () => {
    for (let bits = 0; bits < 0x7bff; bits += 7) {
      const [low, high] = [fromHalf(bits), fromHalf(bits + 1)];
      const step = high - low;
      expect(toHalf(low + 0.49 * step)).toBe(bits);
      expect(toHalf(low + 0.51 * step)).toBe(bits + 1);
      expect(toHalf(low + 0.5 * step)).toBe(bits % 2 === 0 ? bits : bits + 1);
    }
  });
  test('subnormals and signs', () => {
    expect(toHalf(2 ** -24)).toBe(1);
    expect(toHalf(-(2 ** -24) * 3)).toBe(0x8003);
    expect(toHalf(2 ** -26)).toBe(0);
    expect(toHalf(2 ** -14 - 2 ** -26)).toBe(0x400);
    expect(toHalf(-0.5)).toBe(0xb800);
  });
});
