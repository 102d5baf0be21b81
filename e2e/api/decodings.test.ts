import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { expect, test, type APIRequestContext } from '@playwright/test';
import type {
  Calibration,
  CameraBody,
  Clip,
  Frame,
  KitCurve,
  PictureDecoding,
  Plate,
  Reference,
} from '@tawny/contract';
import { LOG_CURVE, LOG_TO_LINEAR } from '../../packages/formats/tests/support/clfFiles';
import { CLIENT, getJson, newRound, patchJson, postJson, removeJson, sendFiles, sendFrames } from '../support/api';
import { latlongFrame } from '../support/frames';
import { calibrationOf, CARD_CODE, evenPng, litSetup, measureCard, sendPlate, type Measured } from '../support/lit';

const PIXELS = 3 * 320 * 180;
const linear = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
/** Light of the card in the plate, 1 at the end of its scale. */
const CARD = linear(CARD_CODE / 255);
const silent8 = () => evenPng(new Uint8Array(PIXELS).fill(CARD_CODE), null);

const state = (request: APIRequestContext, plate: Plate, decoding: PictureDecoding | null) =>
  patchJson(request, `/plates/${plate.id}`, { decoding, version: plate.version });
const named = (curve: PictureDecoding['curve'], range: 'full' | 'legal' = 'full'): PictureDecoding => ({
  curve,
  range,
  primaries: 'rec709',
});
/** The gain by the card alone (adopted is one that metadata pull at, the more the wider the card's interval), once the plate is known to hold `CARD`. */
const gainOf = async (request: APIRequestContext, set: Measured, plate: Plate) => {
  const { status, body } = await measureCard(request, set.panorama.id, plate.id);
  expect(status, JSON.stringify(body)).toBe(201);
  return (body as Calibration).scale!.sources.find((s) => s.provenance.kind === 'measured')!.value;
};
const decodingFact = async (request: APIRequestContext, set: Measured) =>
  (await calibrationOf(request, set.panorama.id)).basis.facts.find((f) => f.name === 'decoding of the plate')!;

test('a plate whose codes nobody explains cannot be measured; stated, it can; stated otherwise, what rests on it is stale', async ({
  request,
}) => {
  const set = await litSetup(request);
  const plate = await sendPlate(request, set.take, await silent8());
  expect(plate.decoding).toEqual({ decoding: null, from: null, source: expect.stringContaining('no ICC profile') });
  const refused = await measureCard(request, set.panorama.id, plate.id);
  expect(refused.status).toBe(422);
  expect(refused.body).toMatchObject({ code: 'no-decoding', errors: [{ field: 'decoding' }] });
  expect(refused.body.detail).toContain('plate.png');
  expect(await calibrationOf(request, set.panorama.id)).toBeNull();

  const stated = await state(request, plate, named('srgb'));
  expect(stated.status, JSON.stringify(stated.body)).toBe(200);
  expect(stated.body).toMatchObject({ decoding: { from: 'entered', decoding: { curve: 'srgb' } }, version: 2 });
  const right = await gainOf(request, set, plate);
  expect(await decodingFact(request, set)).toMatchObject({ kind: 'logged', source: 'entered' });

  const current = stated.body as Plate;
  // Somebody else saw an older version.
  expect((await state(request, plate, null)).status).toBe(409);
  const changed = (await state(request, current, named('gamma:2.4', 'legal'))).body as Plate;
  expect((await calibrationOf(request, set.panorama.id)).basis.changed).toEqual(['decoding of the plate']);
  const other = await gainOf(request, set, changed);
  const legal = ((CARD_CODE - 16) / 219) ** 2.4;
  expect(other - right).toBeCloseTo(Math.log2(legal / CARD), 3);
  expect((await calibrationOf(request, set.panorama.id)).basis.changed).toEqual([]);
  // Left to file and kit again, nobody knows.
  const left = (await state(request, changed, null)).body as Plate;
  expect(left.decoding.from).toBeNull();
  for (const bad of [{ curve: 'cubic' }, { curve: 'srgb', range: 'half' }, { curve: 'srgb', primaries: [1, 2] }])
    expect((await state(request, left, bad as never)).status).toBe(422);
});

test("what the file says wins over the kit's recording format; the kit answers where files are silent", async ({
  request,
}) => {
  const set = await litSetup(request);
  const told = await sendPlate(request, set.take, await evenPng(new Uint8Array(PIXELS).fill(CARD_CODE), 'srgb'));
  expect(told.decoding).toMatchObject({ from: 'file', source: 'its ICC profile (sRGB)', decoding: { curve: 'srgb' } });
  const silent = await sendPlate(request, set.take, await silent8());
  // A body of its own, so that the demo's stays as it is.
  const bodies = (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items;
  const { id: _id, version: _v, createdAt: _c, updatedAt: _u, ...like } = bodies.find((b) => b.name === 'Corrie 35')!;
  const formats = like.formats.map((f) => ({ ...f, decoding: named('rec709') }));
  const body = (await postJson(request, '/bodies', { ...like, id: randomUUID(), name: `Corrie ${randomUUID().slice(0, 4)}`, formats })).body as CameraBody; // prettier-ignore
  await patchJson(request, `/takes/${set.take.id}`, { bodyId: body.id, version: set.take.version });
  const plates = (await getJson<{ items: Plate[] }>(request, `/plates?takeId=${set.take.id}`)).items;
  const at = (p: Plate) => plates.find((x) => x.id === p.id)!;
  expect(at(told).decoding.from).toBe('file');
  expect(at(silent).decoding).toEqual({
    decoding: named('rec709'),
    from: 'kit',
    source: `${body.name}, ${set.take.formatName}, in the kit`,
  });
  const byFile = await gainOf(request, set, told);
  const byKit = await gainOf(request, set, silent);
  const rec709 = ((CARD_CODE / 255 + 0.099) / 1.099) ** (1 / 0.45);
  expect(byKit - byFile).toBeCloseTo(Math.log2(rec709 / CARD), 2);
  expect(await decodingFact(request, set)).toMatchObject({ kind: 'logged' });
  // Another format of the body's plates: what rests on the kit is stale, and measured anew it is another number.
  const changed = formats.map((f) => ({ ...f, decoding: named('linear') }));
  await patchJson(request, `/bodies/${body.id}`, { formats: changed, version: body.version });
  expect((await calibrationOf(request, set.panorama.id)).basis.changed).toEqual(['recording format']);
  expect((await gainOf(request, set, silent)) - byFile).toBeCloseTo(Math.log2(CARD_CODE / 255 / CARD), 2);
});

const bring = async (request: APIRequestContext, name: string, text: string) => {
  const form = new FormData();
  form.append('frames', new Blob([text], { type: 'application/xml' }), name);
  const response = await request.post('/api/v1/productions/HERN/curves', { multipart: form, headers: CLIENT });
  return { status: response.status(), body: await response.json() };
};

test('a logarithmic recording is measured by the curve that its user brings', async ({ request }) => {
  const bad = await bring(request, 'broken.clf', '<ProcessList/>');
  expect(bad.status).toBe(422);
  expect(JSON.stringify(bad.body)).toContain('broken.clf');
  const brought = await bring(request, 'heron.clf', LOG_TO_LINEAR);
  expect(brought.status, JSON.stringify(brought.body)).toBe(201);
  const [curve] = brought.body.items as KitCurve[];
  expect(curve).toMatchObject({
    name: 'heron-log',
    fileName: 'heron.clf',
    input: 'code values',
    output: 'scene-linear',
  });
  // The same file twice is one curve.
  expect(((await bring(request, 'again.clf', LOG_TO_LINEAR)).body.items as KitCurve[])[0].id).toBe(curve.id);

  const set = await litSetup(request);
  const { base, linSideSlope, linSideOffset, logSideSlope, logSideOffset } = LOG_CURVE;
  const log = (x: number) =>
    (logSideSlope * Math.log(linSideSlope * x + linSideOffset)) / Math.log(base) + logSideOffset;
  // 10 bits of legal range in a file of 16.
  const code = 64 * Math.round(64 + 876 * log(CARD));
  const plate = await sendPlate(request, set.take, await evenPng(new Uint16Array(PIXELS).fill(code), null));
  expect(plate.bits).toBe(16);
  const stated = (await state(request, plate, named(`clf:${curve.hash}`, 'legal'))).body as Plate;
  const gain = await gainOf(request, set, stated);
  const truth = await sendPlate(request, set.take, await evenPng(new Uint8Array(PIXELS).fill(CARD_CODE), 'srgb'));
  expect(gain).toBeCloseTo(await gainOf(request, set, truth), 1);
  expect(Math.abs(gain - (await gainOf(request, set, truth)))).toBeLessThan(0.02);
  // Taken for what a depth is usual for, it would be wrong by more than a stop.
  expect(Math.log2(code / 65535 / CARD)).toBeGreaterThan(1);

  const gone = await removeJson(request, `/curves/${curve.id}?version=${curve.version}`);
  expect(gone.status).toBe(200);
  const refused = await measureCard(request, set.panorama.id, plate.id);
  expect(refused).toMatchObject({ status: 422, body: { code: 'no-curve' } });
  expect((await postJson(request, `/curves/${curve.id}/restore`, {})).status).toBe(200);
  expect((await measureCard(request, set.panorama.id, plate.id)).status).toBe(201);
});

test('a frame of a clip means what its stream says', async ({ request }) => {
  const set = await litSetup(request);
  const file = path.join(os.tmpdir(), `decoding-${randomUUID()}.mkv`);
  // Rec. 709 of the card's light, 10 bits of legal range.
  const signal = 1.099 * CARD ** 0.45 - 0.099;
  const luma = Math.round(64 + 876 * signal);
  const frame = Buffer.from(Uint16Array.from({ length: PIXELS }, (_, i) => (i < PIXELS / 3 ? luma : 512)).buffer);
  execFileSync(
    'ffmpeg',
    [
      ...[
        '-v',
        'error',
        '-f',
        'rawvideo',
        '-pix_fmt',
        'yuv444p10le',
        '-s',
        '320x180',
        '-r',
        '24',
        '-i',
        '-',
        '-c:v',
        'ffv1',
      ],
      ...['-color_range', 'tv', '-color_primaries', 'bt709', '-color_trc', 'bt709', '-colorspace', 'bt709', '-y', file],
    ],
    { input: Buffer.concat([frame, frame, frame]) },
  );
  const buffer = fs.readFileSync(file);
  fs.rmSync(file);
  const sent = await sendFiles(request, `/takes/${set.take.id}/clips`, [
    { name: 'roll4-11.mkv', mimeType: 'video/x-matroska', buffer },
  ]);
  const clip = sent.body as Clip;
  expect(clip.decoding).toMatchObject({
    from: 'file',
    decoding: { curve: 'rec709', range: 'legal', primaries: 'rec709' },
  });
  const plate = (await postJson(request, `/clips/${clip.id}/plates`, { frame: 1 })).body as Plate;
  expect(plate).toMatchObject({ bits: 16, decoding: { from: 'file', decoding: { curve: 'rec709', range: 'legal' } } });
  const gain = await gainOf(request, set, plate);
  const truth = await sendPlate(request, set.take, await evenPng(new Uint8Array(PIXELS).fill(CARD_CODE), 'srgb'));
  expect(Math.abs(gain - (await gainOf(request, set, truth)))).toBeLessThan(0.02);
});

test('a clean plate is compared only when the codes of both are known', async ({ request }) => {
  const set = await litSetup(request);
  await sendPlate(request, set.take, await silent8());
  const form = new FormData();
  form.append('frames', new Blob([new Uint8Array(await silent8())], { type: 'image/png' }), 'clean.png');
  const query = `setupId=${set.setupId}&kind=cleanPlate&takeId=${set.take.id}`;
  const sent = await request.post(`/api/v1/productions/HERN/references?${query}`, { multipart: form, headers: CLIENT });
  const [reference] = (await sent.json()).items as Reference[];
  expect(reference.decoding.from).toBeNull();
  const compared = await postJson(request, `/references/${reference.id}/compare`, {});
  expect(compared).toMatchObject({ status: 422, body: { code: 'no-decoding' } });
  const stated = await patchJson(request, `/references/${reference.id}`, {
    decoding: named('srgb'),
    version: reference.version,
  });
  expect((stated.body as Reference).decoding).toMatchObject({ from: 'entered' });
});

test('frames of a round say what their codes mean', async ({ request }) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  await sendFrames(request, round.id, [await latlongFrame('a.jpg', 60, 0)]);
  const [frame] = (await getJson<{ items: Frame[] }>(request, `/rounds/${round.id}/frames`)).items;
  expect(frame.fileDecoding).toEqual(named('srgb'));
  expect(frame.fileDecodingSource).toContain('sRGB');
  // A messenger that strips tags leaves an assumption, and the panorama says so.
  const silent = await evenPng(new Uint8Array(PIXELS).fill(90), null);
  const other = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  await sendFrames(request, other.id, [{ name: 'b.png', mimeType: 'image/png', buffer: silent }]);
  const [unexplained] = (await getJson<{ items: Frame[] }>(request, `/rounds/${other.id}/frames`)).items;
  expect(unexplained).toMatchObject({ fileDecoding: null, fileDecodingSource: expect.stringContaining('no ICC') });
});
