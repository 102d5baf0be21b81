import { randomUUID } from 'node:crypto';
import { expect, test, type APIRequestContext } from '@playwright/test';
import { Client } from 'pg';
import { createImage, luminance, RELATIVE_REC709, toWorkingSpace, WORKING_SPACES } from '@tawny/core';
import { readExr } from '@tawny/formats';
import type { Basis, Calibration, Handoff, Job, LightRound, Panorama, SetupGaps } from '@tawny/contract';
import { ended, getJson, newRound, patchJson, postJson, sendFiles, sendFrames, newTake } from '../support/api';
import { latlongBracket, panoramaFile } from '../support/frames';
import { addPlate, boxOf, calibrationOf, litSetup, measureCard, onlyPlanned } from '../support/lit';

const kinds = (basis: Basis) => Object.fromEntries(basis.facts.map((f) => [f.name, f.kind]));
const staleGaps = async (request: APIRequestContext, setupId: string) =>
  (await getJson<{ items: SetupGaps[] }>(request, '/gaps')).items
    .find((g) => g.setupId === setupId)!
    .gaps.filter((g) => g.rule === 'stale');

test('a measurement says what it rests on, is stale when that changes, and no more when it changes back', async ({
  request,
}) => {
  const { panorama, take, setupId } = await litSetup(request);
  await onlyPlanned(request, panorama.roundId);
  await postJson(request, `/panoramas/${panorama.id}/north`, {});
  await measureCard(request, panorama.id, (await addPlate(request, take)).id);
  const measured = await calibrationOf(request, panorama.id);
  expect(kinds(measured.basis)).toEqual({
    'time of the round': 'predicted',
    place: 'logged',
    level: 'assumed',
    'sun in the picture': 'measured',
    'card in the panorama': 'measured',
    'card in the plate': 'measured',
    'decoding of the plate': 'fromFile',
    'exposure of the take': 'logged',
    'reflectance of the card': 'measured',
  });
  expect(measured.basis.facts.find((f) => f.name === 'time of the round')).toMatchObject({
    source: 'planned light time',
    uncertainty: 1200,
    unit: 's',
  });
  expect(measured.basis.changed).toEqual([]);

  // What does not matter to a gain does not spoil it.
  let version = take.version;
  const change = async (fields: object) => {
    const answer = await patchJson(request, `/takes/${take.id}`, { ...fields, version });
    expect(answer.status).toBe(200);
    version = answer.body.version;
  };
  await change({ notes: 'the heron was late' });
  expect((await calibrationOf(request, panorama.id)).basis.changed).toEqual([]);
  await change({ tStop: 11 });
  expect((await calibrationOf(request, panorama.id)).basis.changed).toEqual(['exposure of the take']);
  expect(await staleGaps(request, setupId)).toMatchObject([
    { what: 'Test round measured again', reason: 'exposure of the take changed since' },
  ]);
  await change({ tStop: take.tStop });
  expect((await calibrationOf(request, panorama.id)).basis.changed).toEqual([]);

  // Another time of the round: what rests on it says so until it is measured again, as a new version.
  const round = await getJson<LightRound>(request, `/rounds/${panorama.roundId}`);
  const later = new Date(Date.parse(round.shotAt) + 600000).toISOString();
  await patchJson(request, `/rounds/${round.id}`, { shotAt: later, version: round.version });
  expect((await calibrationOf(request, panorama.id)).basis.changed).toEqual(['time of the round']);
  const again = (await postJson(request, `/panoramas/${panorama.id}/north`, {})).body as Calibration;
  expect(again.number).toBe(measured.number + 1);
  expect(again.basis.changed).toEqual([]);
  expect(again.orientation!.adopted.value).not.toBeCloseTo(measured.orientation!.adopted.value, 1);
  // The other part came along with what it rests on.
  expect(again.scale).toEqual(measured.scale);
  expect(kinds(again.basis)).toEqual(kinds(measured.basis));
});

test('a sun that only the almanac tells is told so, and rests on time and place; in a clear sky it rests on its picture', async ({
  request,
}) => {
  const plain = await litSetup(request);
  expect(plain.panorama.sun).toMatchObject({ witnessed: false });
  expect(plain.panorama.basis.facts.map((f) => f.name)).not.toContain('time by which the sun was told');
  // Under an uneven grey sky nothing but its height says that it is no lamp.
  const open = await litSetup(request, 0, 'grey');
  expect(open.panorama.sun).toMatchObject({ witnessed: true });
  expect(kinds(open.panorama.basis)).toMatchObject({
    'time by which the sun was told': 'predicted',
    'place by which the sun was told': 'predicted',
  });
  const round = await getJson<LightRound>(request, `/rounds/${open.panorama.roundId}`);
  const shotAt = new Date(new Date(round.shotAt).getTime() + 3600000).toISOString();
  expect((await patchJson(request, `/rounds/${round.id}`, { shotAt, version: round.version })).status).toBe(200);
  const after = await getJson<Panorama>(request, `/panoramas/${open.panorama.id}`);
  expect(after.basis.changed).toEqual(['time by which the sun was told']);
});

test('a corrected stop is heard when the gain is measured again', async ({ request }) => {
  const { panorama, take } = await litSetup(request);
  const plate = await addPlate(request, take);
  const before = ((await measureCard(request, panorama.id, plate.id)).body as Calibration).scale!;
  await patchJson(request, `/takes/${take.id}`, { ndStops: take.ndStops + 1, version: take.version });
  const after = ((await measureCard(request, panorama.id, plate.id)).body as Calibration).scale!;
  expect(before.sources[1].value - after.sources[1].value).toBeCloseTo(1, 6);
  expect(after.sources[0].value).toBe(before.sources[0].value);
});

test('staleness goes from the rig through panorama and calibration to the package, whoever changes it', async ({
  request,
}) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  await sendFrames(request, round.id, await latlongBracket());
  const job = (await postJson(request, `/rounds/${round.id}/build`, { widthPx: 256 })).body as Job;
  const { resultId } = await ended(job);
  const panorama = await getJson<Panorama>(request, `/panoramas/${resultId}`);
  expect(kinds(panorama.basis)).toEqual({ frames: 'fromFile', rig: 'logged', 'decoding of the frames': 'fromFile' });
  const { setupId } = await getJson<{ setupId: string }>(request, `/stations/${round.stationId}`);
  const take = await newTake(request, setupId);
  const gain = await measureCard(request, panorama.id, (await addPlate(request, take)).id, {
    panoramaCorners: boxOf(36, -54, 72, -72),
  });
  expect(gain.status, JSON.stringify(gain.body)).toBe(201);
  const asked = { id: randomUUID(), setupId, panoramaId: panorama.id, takeId: take.id };
  const made = await ended((await postJson(request, '/handoffs', asked)).body as Job);
  expect(made.state, JSON.stringify(made.error)).toBe('done');
  const handoff = async () =>
    (await getJson<{ items: Handoff[] }>(request, `/handoffs?setupId=${setupId}`)).items.find(
      (h) => h.id === made.resultId,
    )!;
  expect((await handoff()).basis.changed).toEqual([]);
  // Files that say what their codes mean leave nothing to assume.
  expect((await handoff()).missing.join()).not.toMatch(/decoding/);
  const client = new Client({ connectionString: process.env.TAWNY_E2E_DATABASE });
  await client.connect();
  try {
    // Not through the API: the database itself keeps the marks.
    await client.query(`UPDATE rounds SET rig = jsonb_set(rig, '{ndStops}', '2') WHERE id = $1`, [round.id]);
    expect((await getJson<Panorama>(request, `/panoramas/${panorama.id}`)).basis.changed).toEqual([
      'decoding of the frames',
      'rig',
    ]);
    expect((await calibrationOf(request, panorama.id)).basis.changed).toContain('rig');
    expect((await handoff()).basis.changed).toContain('rig');
    expect((await staleGaps(request, setupId)).map((g) => g.what)).toEqual(['Test round built again']);
    await client.query(`UPDATE rounds SET rig = rig - 'ndStops' WHERE id = $1`, [round.id]);
    expect((await handoff()).basis.changed).toEqual([]);
  } finally {
    await client.end();
  }
});

test('a production in ACEScg has ACEScg panoramas: values, file and record say so', async ({ request }) => {
  const client = new Client({ connectionString: process.env.TAWNY_E2E_DATABASE });
  await client.connect();
  try {
    await client.query("UPDATE productions SET working_space = 'acescg' WHERE code = 'HERN'");
    const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
    const image = createImage(256, 128, RELATIVE_REC709);
    for (let i = 0; i < image.data.length; i += 3) image.data.set([0.9, 0.4, 0.1], i);
    const sent = await sendFiles(request, `/rounds/${round.id}/panoramas`, [await panoramaFile('red.exr', image)]);
    const { resultId } = await ended(sent.body as Job);
    const panorama = await getJson<Panorama>(request, `/panoramas/${resultId}`);
    expect(panorama.space).toBe('acescg');
    const file = await request.get(`/api/v1/productions/HERN/panoramas/${resultId}/panorama.exr`);
    const read = readExr(await file.body(), 'panorama.exr');
    expect(read.image.space).toBe('acescg');
    const m = toWorkingSpace(WORKING_SPACES.rec709.chromaticities, 'acescg');
    [0, 1, 2].forEach((k) => {
      const expected = m[3 * k] * 0.9 + m[3 * k + 1] * 0.4 + m[3 * k + 2] * 0.1;
      expect(Math.abs(read.image.data[k] / expected - 1)).toBeLessThan(2e-3);
    });
    // The same light: its luminance is the colour's, by the weights of whichever space.
    expect(panorama.meanLuminance / luminance(0.9, 0.4, 0.1, 'rec709')).toBeCloseTo(1, 1);
    const stops = Math.log2(
      panorama.meanLuminance /
        luminance(...(read.image.data.slice(0, 3) as unknown as [number, number, number]), 'acescg'),
    );
    expect(Math.abs(stops)).toBeLessThan(1e-3);
  } finally {
    await client.query("UPDATE productions SET working_space = 'rec709' WHERE code = 'HERN'");
    await client.end();
  }
});
