import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createImage, WORKING_SPACES } from '@tawny/core';
import { encodeTiff16, writeExr } from '@tawny/formats';
import { readLinearPicture, readPanorama } from '@tawny/pipeline';
import { LOG_TO_LINEAR } from '../../../packages/formats/tests/support/clfFiles';
import { TAGS } from '../../../packages/formats/tests/support/written';
import { statedCurve, statedDecoding } from '../src/decodingOptions';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-flags-'));
afterAll(() => fs.rmSync(folder, { recursive: true }));
const keep = (name: string, bytes: Uint8Array | string) => {
  const file = path.join(folder, name);
  fs.writeFileSync(file, bytes);
  return file;
};

test('nothing stated is left to the file', async () => {
  expect(await statedDecoding({})).toEqual({});
});

test('named curves, ranges and primaries', async () => {
  expect(await statedDecoding({ decoding: 'gamma:2.4', range: 'legal', primaries: 'acescg' })).toEqual({
    curve: 'gamma:2.4',
    range: 'legal',
    primaries: 'acescg',
  });
});

test('a curve from a file, primaries from a list and from the header of an OpenEXR file', async () => {
  const { curve } = await statedDecoding({ decoding: keep('heron.clf', LOG_TO_LINEAR) });
  expect(curve).toMatchObject([{ kind: 'log', style: 'cameraLogToLin' }]);
  const own = [0.7, 0.3, 0.2, 0.75, 0.13, 0.04, 0.3127, 0.329];
  expect(await statedDecoding({ primaries: keep('own.json', JSON.stringify(own)) })).toEqual({ primaries: own });
  const exr = await writeExr(createImage(16, 16, { space: 'acescg', unit: 'relative' }), {});
  const { primaries } = await statedDecoding({ primaries: keep('aces.exr', exr) });
  (primaries as number[]).forEach((v, i) => expect(v).toBeCloseTo(WORKING_SPACES.acescg.chromaticities[i], 4));
});

test.each([
  [{ decoding: 'cubic' }, /--decoding cubic: no curve/],
  [{ decoding: 'none.clf' }, /--decoding: none\.clf is not there/],
  [{ range: 'video' }, /--range is full or legal, not video/],
  [{ primaries: 'none.json' }, /--primaries: none\.json is not there/],
])('%j is refused by name', async (flags, words) => {
  await expect(statedDecoding(flags)).rejects.toThrow(words);
});

test('primaries that are none are refused by name', async () => {
  const file = keep('seven.json', '[1, 2, 3, 4, 5, 6, 7]');
  await expect(statedDecoding({ primaries: file })).rejects.toThrow(/seven\.json is neither/);
});

test('frames of a bracket take a named curve in full range', async () => {
  expect(await statedCurve({ decoding: 'rec709' })).toMatchObject({ curve: 'rec709' });
  await expect(statedCurve({ range: 'legal' })).rejects.toThrow(/full range/);
  await expect(statedCurve({ decoding: keep('b.clf', LOG_TO_LINEAR) })).rejects.toThrow(
    /linear, srgb, rec709, hlg, pq or gamma/,
  );
});

describe('a picture that says nothing', () => {
  const codes = new Uint16Array(3 * 32 * 20).fill(32768);
  test('is refused with the reason; stated, it is read', async () => {
    const file = keep('silent.tif', encodeTiff16(codes, 32, 20, TAGS, null));
    await expect(readLinearPicture(file)).rejects.toThrow(/silent\.tif: does not say what its code values mean/);
    const half = await readLinearPicture(file, undefined, await statedDecoding({ decoding: 'gamma:2' }));
    expect(half.data[0]).toBeCloseTo(0.25, 4);
  });
  test('a panorama whose primaries are stated is read in them', async () => {
    const image = createImage(32, 16, { space: 'rec709', unit: 'relative' });
    image.data.fill(0.5);
    const file = keep('pano.exr', await writeExr(image, {}));
    expect((await readPanorama(file)).image.space).toBe('rec709');
    const stated = await readPanorama(file, undefined, { primaries: 'acescg' });
    expect(stated.image.space).toBe('acescg');
    expect(stated.image.data[0]).toBe(0.5);
  });
});
