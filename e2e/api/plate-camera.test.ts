import fs from 'node:fs/promises';
import path from 'node:path';
import { expect, test, type APIRequestContext } from '@playwright/test';
import type { CameraBody, PlateCameraRecord, PlateStrokesInput, Setup, Take } from '@tawny/contract';
import { bench, getJson, HERN, newTake, patchJson, postJson } from '../support/api';
import { facadePlate, WALLS } from '../support/facade';
import { litSetup, sendPlate, TAKE } from '../support/lit';
import { pack } from '../support/packages';

/** The demo format: 1920 px on its gate. */
async function formatOf(request: APIRequestContext, take: Take) {
  const body = (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items.find((b) => b.id === take.bodyId)!;
  return body.formats.find((f) => f.name === take.formatName)!;
}

const TRUE = { tiltDeg: 6, rollDeg: -2, heightM: 1.7, focalMm: 32 };

/** A take with a plate of a house's corner that a camera of our own saw. */
async function facadeTake(
  request: APIRequestContext,
  logged: object,
  setupId?: string,
  seen: Partial<typeof TRUE> = {},
) {
  const camera = { ...TRUE, ...seen };
  const take = await newTake(request, setupId ?? (await bench(request)).setup.id, { ...TAKE, ...logged });
  const format = await formatOf(request, take);
  const made = await facadePlate({
    widthPx: format.widthPx,
    heightPx: format.heightPx,
    focalPx: (camera.focalMm * format.widthPx) / format.gateWidthMm,
    ...camera,
  });
  const strokes = (azimuthDeg: number | null): PlateStrokesInput => ({
    families: [
      { kind: 'vertical', strokes: made.edges.upright.map((s) => [...s]) },
      { kind: 'level', azimuthDeg, strokes: made.edges.level[0].map((s) => [...s]) },
      { kind: 'level', strokes: made.edges.level[1].map((s) => [...s]) },
    ],
    knownLength: made.step,
  });
  return { take, plate: await sendPlate(request, take, made.png), strokes };
}

const cameraOf = async (request: APIRequestContext, take: Take) =>
  (await getJson<{ camera: PlateCameraRecord | null }>(request, `/takes/${take.id}/camera`)).camera;
const measure = (request: APIRequestContext, plateId: string, strokes: PlateStrokesInput) =>
  postJson(request, `/plates/${plateId}/camera`, strokes);

test('a camera that nobody levelled is measured from a house’s edges; the take carries it until it is set aside', async ({
  request,
}) => {
  const s = await facadeTake(request, { tiltDeg: null, heightM: null, headingDeg: null });
  expect(await cameraOf(request, s.take)).toBeNull();
  // The house's right wall runs at 100 degrees: the view looks 60 less.
  const { status, body } = await measure(request, s.plate.id, s.strokes(100));
  expect(status, JSON.stringify(body)).toBe(201);
  const { found, verdict, degenerate } = body as PlateCameraRecord;
  expect(found.focalLengthMm).toBeCloseTo(TRUE.focalMm, 2);
  expect(found.tiltDeg).toBeCloseTo(TRUE.tiltDeg, 2);
  expect(found.rollDeg).toBeCloseTo(TRUE.rollDeg, 2);
  expect(found.headingDeg).toBeCloseTo(100 - WALLS[0], 2);
  expect(found.heightM).toBeCloseTo(TRUE.heightM, 2);
  expect([verdict, degenerate]).toEqual(['agrees', null]);
  const carried = await getJson<Take>(request, `/takes/${s.take.id}`);
  expect(carried.pictureCamera).toMatchObject({ plateCameraId: body.id, tiltDeg: found.tiltDeg });
  expect(carried.tiltDeg).toBeNull();

  // What is logged changes: the measurement rests on it and says so. A new take is logged without it.
  const changed = (await patchJson(request, `/takes/${s.take.id}`, { tiltDeg: 3, version: carried.version })).body as Take; // prettier-ignore
  expect(changed.pictureCamera).toMatchObject({ plateCameraId: body.id });
  expect((await cameraOf(request, s.take))!.basis.changed).toEqual(['logged camera']);
  expect((await newTake(request, s.take.setupId, { take: 2 })).pictureCamera).toBeNull();

  const back = await postJson(request, `/takes/${s.take.id}/camera/logged`, {});
  expect(back.body.pictureCamera).toBeNull();
  expect(await cameraOf(request, s.take)).toBeNull();
});

test('a picture that differs from the log stands alone and says the likely cause', async ({ request }) => {
  // The picture was enlarged by 1.3 before it came here.
  const s = await facadeTake(request, { tiltDeg: 6, heightM: 1.7 }, undefined, { focalMm: 41.6 });
  const { body } = await measure(request, s.plate.id, s.strokes(null));
  expect(body.verdict).toBe('disagrees');
  expect(body.cause).toMatch(/1\.30 times the logged one: a smaller part of the sensor was recorded .*enlarged/);
  expect(body.found.focalLengthMm).toBeCloseTo(41.6, 1);
});

test('strokes that tell nothing are refused by what would help, and nothing is kept', async ({ request }) => {
  const s = await facadeTake(request, {});
  const free = await measure(request, s.plate.id, { families: [{ kind: 'free', strokes: [[10, 10, 100, 100]] }] });
  expect(free.status).toBe(422);
  expect(free.body.detail).toMatch(/draw upright edges, or level ones/);
  const point = await measure(request, s.plate.id, { families: [{ kind: 'vertical', strokes: [[10, 10, 10, 11]] }] });
  expect(point.body.detail).toMatch(/its ends lie on one point/);
  const none = await measure(request, s.plate.id, { families: [] });
  expect(none.status).toBe(422);
  expect(none.body.errors[0]).toMatchObject({ field: 'families', message: 'Draw a stroke first' });
  expect(await cameraOf(request, s.take)).toBeNull();
});

test('the package uses the measured camera and says so', async ({ request }) => {
  const lit = await litSetup(request, 0);
  const s = await facadeTake(request, { take: 5, tiltDeg: 5, heightM: 1.7, headingDeg: 38 }, lit.setupId);
  expect((await measure(request, s.plate.id, s.strokes(100))).status).toBe(201);
  const north = await postJson(request, `/panoramas/${lit.panorama.id}/north`, {});
  expect(north.status, JSON.stringify(north.body)).toBe(201);
  const packed = await pack(request, { panorama: lit.panorama, setupId: lit.setupId, take: s.take });
  await fs.rm(packed.folder, { recursive: true });
  const { dayId } = await getJson<Setup>(request, `/setups/${lit.setupId}`);
  const csv = await request.get(`${HERN}/days/${dayId}/takes.csv`);
  const rows = (await csv.text()).split('\n').map((r) => r.split(','));
  const row = rows.find((r) => r[1] === '5' && r[rows[0].indexOf('camera_from')] === 'measured')!;
  expect(Number(row[rows[0].indexOf('carried_roll_deg')])).toBeCloseTo(TRUE.rollDeg, 2);
  expect(packed.handoff.missing.join()).not.toMatch(/where it stood/);
});

test('a flopped plate’s camera leans the other way in its stage, and its strokes tell the lean that it had', async ({
  request,
}) => {
  const lit = await litSetup(request, 0);
  const logged = { take: 6, tiltDeg: 6, heightM: 1.7, headingDeg: 40, flopped: true };
  // Mirrored left to right before it came here, as its take says: the file shows a lean of the other sign.
  const s = await facadeTake(request, logged, lit.setupId, { rollDeg: 2 });
  const mirror = (strokes: PlateStrokesInput['families'][number]['strokes']) =>
    strokes.map(([x1, y1, x2, y2]): [number, number, number, number] => [s.plate.widthPx - x1, y1, s.plate.widthPx - x2, y2]); // prettier-ignore
  const drawn = s.strokes(null);
  const measured = await measure(request, s.plate.id, {
    families: drawn.families.map((f) => ({ ...f, strokes: mirror(f.strokes) })),
  });
  expect((measured.body as PlateCameraRecord).found.rollDeg).toBeCloseTo(2, 2);
  expect((await postJson(request, `/panoramas/${lit.panorama.id}/north`, {})).status).toBe(201);
  const packed = await pack(request, { panorama: lit.panorama, setupId: lit.setupId, take: s.take });
  const page = await fs.readFile(path.join(packed.folder, 'readme.txt'), 'utf8');
  await fs.rm(packed.folder, { recursive: true });
  expect(page).toMatch(/tilt 6 deg, roll -2 deg/);
});
