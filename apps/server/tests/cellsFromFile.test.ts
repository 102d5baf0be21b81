import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { buildInput, type CameraBody, type LensRecord } from '@tawny/contract';
import { createImage, RELATIVE_REC709, USUAL_MOVED_STOPS } from '@tawny/core';
import { encodeDng, encodeJpeg, encodeTiff16, writeExr, type WrittenTags } from '@tawny/formats';
import { DECODE_TASKS } from '../src/decode/tasks';
import { cellsFromFile } from '../src/takes/cellsFromFile';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-cells-'));
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

const BODIES = [
  {
    id: 'body',
    name: 'Corrie 35',
    formats: [
      { name: '160 full', widthPx: 160, heightPx: 90 },
      { name: 'Upright', widthPx: 90, heightPx: 160 },
    ],
  },
] as CameraBody[];
const LENSES = [
  { id: 'prime', name: 'Skerry prime 32', transmission: 0.82 },
  { id: 'zoom', name: 'Skerry zoom 24-70', transmission: 0.74 },
  { id: 'unstated', name: 'Skerry prime 75', transmission: null },
] as LensRecord[];
const tags = (more: Partial<WrittenTags> = {}): WrittenTags => ({
  model: 'Corrie 35',
  lensModel: 'Skerry prime 32',
  shutterTag: { numerator: 1, denominator: 50 },
  fNumberTag: 4,
  iso: 800,
  focalLengthMm: 32,
  takenAt: new Date('2026-10-14T15:40:10.500Z'),
  utcOffsetMinutes: 60,
  orientation: 1,
  ...more,
});

let made = 0;
async function read(bytes: Uint8Array, name: string, clockOffsetS = 0) {
  const file = path.join(folder, `${made++}-${name}`);
  fs.writeFileSync(file, bytes);
  const facts = await DECODE_TASKS.fileFacts(file, name);
  return cellsFromFile(facts, name, BODIES, LENSES, { offsetS: clockOffsetS, zone: null });
}
const jpeg = async (more: Partial<WrittenTags> = {}, clockOffsetS = 0) =>
  read(await encodeJpeg(new Uint8Array(160 * 90 * 3).fill(99), 160, 90, tags(more)), 'still.jpg', clockOffsetS);

test('body, format, lens and exposure are told; the f-number becomes a T-stop by the lens of the kit', async () => {
  const { cells, unknownBody, unknownLens, notes } = await jpeg();
  expect(cells).toMatchObject({
    bodyId: 'body',
    formatName: '160 full',
    lensId: 'prime',
    focalLengthMm: 32,
    ei: 800,
    shotAt: '2026-10-14T15:40:10.500Z',
  });
  expect(cells.tStop as number).toBeCloseTo(4 / Math.sqrt(0.82), 2);
  const unstated = await jpeg({ lensModel: 'Skerry prime 75' });
  expect(unstated.cells).toMatchObject({ lensId: 'unstated' });
  expect(unstated.cells.tStop).toBeUndefined();
  expect(unstated.notes.join()).toContain('f/4 stated; the T-stop needs the transmission of Skerry prime 75');
  // A 50th at 24 frames a second.
  expect(cells.shutterAngleDeg).toBeCloseTo(172.8, 1);
  expect([unknownBody, unknownLens]).toEqual([null, null]);
  expect(notes.join()).toMatch(/transmission of 0\.82/);
});

test('names are matched without regard to case and spaces, the zoom is not the prime', async () => {
  expect((await jpeg({ model: 'CORRIE-35', lensModel: 'skerry ZOOM 24 - 70' })).cells).toMatchObject({
    bodyId: 'body',
    lensId: 'zoom',
  });
});

test('what the kit does not know is offered, not guessed: no T-stop then', async () => {
  const { cells, unknownBody, unknownLens, notes } = await jpeg({ model: 'Gorse One', lensModel: 'Gorse 21' });
  expect([unknownBody, unknownLens]).toEqual(['Gorse One', 'Gorse 21']);
  expect(cells).not.toHaveProperty('tStop');
  expect(cells).not.toHaveProperty('bodyId');
  expect(notes.join()).toMatch(/the T-stop needs a lens of the kit/);
});

test('a portrait frame is as wide as it stands upright', async () => {
  const turned = await jpeg({ orientation: 6 });
  expect(turned).toMatchObject({ widthPx: 90, heightPx: 160, cells: { formatName: 'Upright' } });
});

test('a size that is no recording format is said', async () => {
  const { cells, notes } = await read(
    await encodeJpeg(new Uint8Array(64 * 48 * 3).fill(9), 64, 48, tags()),
    'small.jpg',
  );
  expect(cells).not.toHaveProperty('formatName');
  expect(notes.join()).toMatch(/64 × 48 px is no recording format of Corrie 35/);
});

test("the camera's clock is put right both ways", async () => {
  expect((await jpeg({}, 30)).cells.shotAt).toBe('2026-10-14T15:39:40.500Z');
  const slow = await jpeg({}, -90);
  expect(slow.cells.shotAt).toBe('2026-10-14T15:41:40.500Z');
  expect(slow.notes.join()).toMatch(/90 s slow: corrected/);
});

test('an engraved shutter stands for its exact time; one longer than a frame is no angle', async () => {
  expect((await jpeg({ shutterTag: { numerator: 1, denominator: 60 } })).notes.join()).toMatch(
    /1\/60 s stands for 1\/64\.0 s/,
  );
  const long = await jpeg({ shutterTag: { numerator: 2, denominator: 1 } });
  expect(long.cells).not.toHaveProperty('shutterAngleDeg');
  expect(long.notes.join()).toMatch(/shutter 2 s/);
});

test('raw, TIFF and EXR tell the same', async () => {
  const dng = encodeDng(
    new Uint16Array(160 * 90).fill(4000),
    160,
    90,
    {
      black: [512, 512, 512, 512],
      white: 16383,
      colourMatrix: [0.9, -0.2, -0.1, -0.4, 1.2, 0.2, -0.1, 0.2, 0.6],
      asShotNeutral: [0.5, 1, 0.6],
    },
    tags(),
  );
  const tiff = encodeTiff16(new Uint16Array(160 * 90 * 3).fill(4000), 160, 90, tags());
  for (const [bytes, name] of [
    [dng, 'still.dng'],
    [tiff, 'still.tif'],
  ] as const)
    expect((await read(bytes, name)).cells).toMatchObject({
      bodyId: 'body',
      lensId: 'prime',
      ei: 800,
      focalLengthMm: 32,
    });
  const exr = await read(await writeExr(createImage(160, 90, RELATIVE_REC709), {}), 'plate.exr');
  expect(exr).toMatchObject({ widthPx: 160, heightPx: 90, unknownBody: null });
});

test('a file without metadata says that it says nothing; one that is no picture is named', async () => {
  const bare = await read(await encodeJpeg(new Uint8Array(160 * 90 * 3), 160, 90), 'bare.jpg');
  expect(bare.cells).toEqual({});
  expect(bare.notes).toContain('its metadata says nothing that a take needs');
  await expect(read(Buffer.from('call at seven'), 'call.jpg')).rejects.toThrow(/call\.jpg/);
  await expect(read(Buffer.alloc(0), 'nothing.dng')).rejects.toThrow(/nothing\.dng/);
});

test("what a build takes for moved is the merge's own measure", () => {
  expect(buildInput.parse({}).movedStops).toBe(USUAL_MOVED_STOPS);
});
