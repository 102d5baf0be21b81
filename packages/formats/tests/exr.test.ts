import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createImage, RELATIVE_REC709 } from '@tawny/core';
import { readAttributes, readExr, writeExr } from '../src';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-exr-'));
afterAll(() => fs.rmSync(folder, { recursive: true }));

function sample(peak = 1234.5) {
  const image = createImage(64, 32, RELATIVE_REC709);
  for (let i = 0; i < image.data.length; i++) image.data[i] = Math.fround(Math.sin(i * 0.37) ** 2 * (1 + (i % 7)));
  image.data[3 * (5 * 64 + 9)] = peak;
  return image;
}

const ATTRIBUTES = {
  chromaticities: [0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329],
  whiteLuminance: 2.5,
  latlong: true,
  latitudeDeg: 52.957,
  longitudeDeg: 0.951,
  altitudeM: 4,
  capDate: '2026:10:14 16:20:00',
  utcOffsetS: -3600,
  owner: 'The Tin Heron',
  comments: 'quay',
  clippedSr: 0.5,
  northAligned: true,
};

/** Pixels as an independent reader (OpenImageIO) sees them. */
function independent(file: string): Float32Array {
  const text = execFileSync('oiiotool', ['--dumpdata', file], { encoding: 'utf8', maxBuffer: 64e6 });
  const values = [...text.matchAll(/Pixel \(\d+, \d+\): ([^\n]+)/g)].flatMap((m) =>
    m[1].trim().split(/\s+/).slice(0, 3).map(Number),
  );
  return Float32Array.from(values);
}

describe('OpenEXR', () => {
  test('float pixels and every attribute come back bit for bit', async () => {
    const image = sample(6e8);
    const bytes = await writeExr(image, ATTRIBUTES);
    const back = readExr(bytes, 'x.exr');
    expect(back.image.data).toEqual(image.data);
    const a = back.attributes;
    expect(a).toMatchObject({
      latlong: true,
      capDate: ATTRIBUTES.capDate,
      utcOffsetS: -3600,
      owner: 'The Tin Heron',
      comments: 'quay',
      northAligned: true,
      compression: 'zip',
    });
    expect(a.latitudeDeg).toBe(Math.fround(52.957));
    expect(a.chromaticities![6]).toBe(Math.fround(0.3127));
  });

  test('an independent reader sees the same pixels and attributes', async () => {
    const image = sample(6e8);
    const file = path.join(folder, 'a.exr');
    fs.writeFileSync(file, await writeExr(image, ATTRIBUTES));
    const theirs = independent(file);
    expect(theirs.length).toBe(image.data.length);
    for (let i = 0; i < theirs.length; i++)
      expect(Math.abs(theirs[i] - image.data[i])).toBeLessThanOrEqual(1e-6 * Math.abs(image.data[i]) + 1e-6);
    const header = execFileSync('exrheader', [file], { encoding: 'utf8' });
    for (const part of ['latitude-longitude', '2026:10:14 16:20:00', 'whiteLuminance', '-3600', 'zip'])
      expect(header).toContain(part);
  });

  test.each(['none', 'rle', 'zip', 'zips', 'piz', 'pxr24', 'dwaa', 'b44'])(
    "reads another writer's %s compression",
    async (compression) => {
      const image = sample();
      const from = path.join(folder, 'from.exr');
      const to = path.join(folder, `${compression}.exr`);
      fs.writeFileSync(from, await writeExr(image, { latlong: true }));
      execFileSync('oiiotool', [from, '-d', 'half', '--compression', compression, '-o', to]);
      const back = readExr(fs.readFileSync(to), `${compression}.exr`);
      expect(back.attributes.compression).toBe(compression);
      const lossy = compression === 'dwaa' || compression === 'b44';
      for (let i = 0; i < 300; i++)
        expect(Math.abs(back.image.data[i] - image.data[i])).toBeLessThan(
          (lossy ? 0.4 : 0.002) * (1 + Math.abs(image.data[i])),
        );
    },
  );

  test('half only below 32768, never clamped', async () => {
    const bits = (b: Buffer) => b.includes(Buffer.from('R\0\x01\0\0\0', 'latin1'));
    expect(bits(await writeExr(sample(30000)))).toBe(true);
    expect(bits(await writeExr(sample(40000)))).toBe(false);
    await expect(writeExr(sample(90000), {}, 'half')).rejects.toThrow(/half cannot hold/);
    await expect(writeExr(sample(Infinity))).rejects.toThrow(/cannot be written/);
    await expect(writeExr(sample(NaN))).rejects.toThrow(/cannot be written/);
  });

  test.each([
    ['nothing', Buffer.alloc(0), /file is empty/],
    ['text', Buffer.from('this is no picture at all'), /not an OpenEXR file/],
  ])('%s is refused by name', (_n, bytes, message) => {
    expect(() => readExr(bytes, 'bad.exr')).toThrow(message);
  });

  test('a file that breaks off is refused by name', async () => {
    const bytes = await writeExr(sample());
    expect(() => readExr(bytes.subarray(0, 200), 'cut.exr')).toThrow(/cut\.exr/);
    expect(() => readAttributes(bytes.subarray(0, 60))).toThrow();
  });
});
