import { createHash } from 'node:crypto';
import {
  c4Id,
  decodeImage,
  encodeJpeg,
  encodePng,
  encodeTiff16,
  readHdr,
  readImageHead,
  readMetadata,
  writeCsv,
  writeLightStage,
  writeMhl,
  type WrittenTags,
} from '../src';
import { TAGS as WRITTEN } from './support/written';
import { anamorphicStage } from './support/stage';

const TAGS: WrittenTags = {
  ...WRITTEN,
  shutterTag: { numerator: 1, denominator: 250 },
  fNumberTag: 11,
  iso: 100,
  takenAt: new Date('2026-10-14T15:20:30.250Z'),
  orientation: 6,
};

describe('pictures with metadata', () => {
  const eight = Uint8Array.from({ length: 40 * 20 * 3 }, (_, i) => (i * 31) % 256);
  const sixteen = Uint16Array.from({ length: 40 * 20 * 3 }, (_, i) => (i * 977) % 65536);

  test.each([
    ['JPEG', () => encodeJpeg(eight, 40, 20, TAGS), 8],
    ['16-bit TIFF', async () => encodeTiff16(sixteen, 40, 20, TAGS), 16],
  ] as const)('%s: tags decoded to exact values, orientation applied', async (_name, make, bits) => {
    const bytes = await make();
    const head = await readImageHead(bytes, 'x');
    expect(head).toMatchObject({ width: 20, height: 40, bits });
    const m = await readMetadata(bytes);
    expect(m).toMatchObject({
      iso: 100,
      cameraModel: 'Tarn P6',
      lensModel: 'Meniscus',
      hasUtcOffset: true,
      fNumberTag: 11,
    });
    expect(m.shutterS).toBeCloseTo(1 / 256, 12);
    expect(m.fNumber).toBeCloseTo(2 ** 3.5, 9);
    expect(m.takenAtMs).toBe(TAGS.takenAt.getTime());
    const decoded = await decodeImage(bytes, 'x');
    expect([decoded.width, decoded.height, decoded.bits]).toEqual([20, 40, bits]);
  });

  test('16-bit codes survive the TIFF exactly, turned upright', async () => {
    const { codes } = await decodeImage(encodeTiff16(sixteen, 40, 20, TAGS), 'x');
    // Orientation 6: the stored bottom-left pixel is the upright top-left one.
    for (let c = 0; c < 3; c++) expect(codes[c]).toBe(sixteen[3 * (19 * 40) + c]);
    expect([...codes].reduce((a, b) => a + b, 0)).toBe([...sixteen].reduce((a, b) => a + b, 0));
  });

  test('no metadata gives nulls, not guesses', async () => {
    const m = await readMetadata(await encodePng(eight, 40, 20));
    expect(m).toMatchObject({ takenAtMs: null, shutterS: null, fNumber: null, iso: null });
    expect((await readMetadata(Buffer.from('not a picture'))).shutterS).toBeNull();
  });

  test('files that are no pictures are named with what to do', async () => {
    const jpeg = await encodeJpeg(eight, 40, 20);
    await expect(decodeImage(Buffer.from('hello'), 'a.jpg')).rejects.toMatchObject({
      code: 'not-an-image',
      message: expect.stringContaining('a.jpg: is not a JPEG'),
    });
    await expect(decodeImage(jpeg.subarray(0, jpeg.length / 2), 'b.jpg')).rejects.toMatchObject({
      code: 'damaged-image',
      message: expect.stringContaining('b.jpg'),
    });
    await expect(decodeImage(Buffer.alloc(0), 'c.jpg')).rejects.toMatchObject({ code: 'empty-file' });
    await expect(decodeImage(await encodePng(Uint8Array.from([1, 2, 3]), 1, 1), 'd.png')).rejects.toMatchObject({
      code: 'too-small',
    });
    expect(() => readHdr(Buffer.from('nope'), 'e.hdr')).toThrow(/e\.hdr: is not a Radiance/);
  });

  test('Radiance pictures are read', () => {
    const bytes = Buffer.concat([
      Buffer.from('#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 1 +X 2\n'),
      Buffer.from([128, 64, 32, 129, 255, 128, 0, 136]),
    ]);
    const image = readHdr(bytes, 'x.hdr');
    expect([image.width, image.height]).toEqual([2, 1]);
    expect(image.data[0] / image.data[1]).toBeCloseTo(2, 1);
    expect(image.data[3]).toBeCloseTo(255, -1);
  });
});

describe('package files', () => {
  test('the stage: sun light shines along its -Z away from the sun, colour has luminance 1', () => {
    const text = writeLightStage(anamorphicStage([1, 0, 0], 'x'));
    const row = text.match(/def DistantLight[\s\S]*?xformOp:transform = \( \(([^)]*)\), \(([^)]*)\), \(([^)]*)\)/)!;
    // Third row: the image of local +Z, which must point at the sun.
    row[3]
      .split(', ')
      .slice(0, 3)
      .forEach((v, i) => expect(Number(v)).toBeCloseTo([1, 0, 0][i], 6));
    const colour = text
      .match(/def DistantLight[\s\S]*?inputs:color = \(([^)]*)\)/)![1]
      .split(', ')
      .map(Number);
    expect(0.2722 * colour[0] + 0.6741 * colour[1] + 0.0537 * colour[2]).toBeCloseTo(1, 6);
    expect(text.match(/colorSpace = "lin_ap1_scene"/g)).toHaveLength(2);
    expect(text).toContain('float focalLength = 0.35');
    // Anamorphic: the aperture is the unsqueezed one; T4 at 64 % transmission is f/3.2; focus leaves from the pupil.
    expect(text).toContain('float horizontalAperture = 0.48');
    expect(text).toContain('float verticalAperture = 0.2');
    expect(text).toContain('float fStop = 3.2');
    expect(text).toContain('float focusDistance = 5.9');
    expect(text).toMatch(/\(1, 2, -3, 1\)/);
  });

  test('CSV: quotes, and formulas are neutralised while negative numbers stay', () => {
    expect(
      writeCsv(
        ['a', 'b'],
        [
          ['=1+1', -2.5],
          ['say "x", y', null],
          ["-1+1+cmd|' /C calc'!A0", '-2,5'],
          ['+44', '-'],
        ],
      ),
    ).toBe(`a,b\r\n"'=1+1",-2.5\r\n"say ""x"", y",\r\n"'-1+1+cmd|' /C calc'!A0","-2,5"\r\n+44,"'-"\r\n`);
  });

  test('CSV in parts is the same as in one; a header alone is one line', () => {
    const columns = ['a', 'b'];
    const rows = Array.from({ length: 7 }, (_, k) => [k, k % 2 === 0 ? null : `x\ny${k}`]);
    const parts = [writeCsv(columns, []), ...[0, 3, 6].map((k) => writeCsv(columns, rows.slice(k, k + 3), false))];
    expect(parts.join('')).toBe(writeCsv(columns, rows));
    expect(parts[0]).toBe('a,b\r\n');
    expect(writeCsv(columns, [], false)).toBe('');
  });

  test('C4 identifiers and the hash list', () => {
    // Published identifier of the empty input.
    expect(c4Id(Buffer.alloc(0))).toBe(
      'c459dsjfscH38cYeXXYogktxf4Cd9ibshE3BHUo6a58hBXmRQdZrAkZzsWcbWtDg5oQstpDuni4Hirj75GEmTc1sFT',
    );
    const { manifest, chain, manifestName } = writeMhl(
      'hern',
      [
        { path: 'b.txt', bytes: Buffer.from('b') },
        { path: 'a.txt', bytes: Buffer.from('a') },
      ],
      new Date('2026-10-14T12:00:00Z'),
      { name: 't', version: '1' },
    );
    expect(manifest).toContain(createHash('sha1').update('a').digest('hex'));
    expect(manifest.indexOf('a.txt')).toBeLessThan(manifest.indexOf('b.txt'));
    expect(chain).toContain(c4Id(Buffer.from(manifest)));
    expect(manifestName).toBe('0001_hern_2026-10-14_120000Z.mhl');
  });
});
