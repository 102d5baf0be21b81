import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import type { Job, Panorama, Station } from '@tawny/contract';
import { bench, CLIENT, ended, getJson, HERN, newRound, patchJson, postJson, sendFrames } from '../support/api';
import { latlongBracket, latlongFrame } from '../support/frames';

test('the same key gives the same answer and one record; another body under it is refused', async ({ request }) => {
  const { setup } = await bench(request);
  const key = randomUUID();
  const station = { id: randomUUID(), setupId: setup.id, name: 'Key station', eastM: 1, northM: 2, heightM: 1.6 };
  const first = await postJson(request, '/stations', station, key);
  const second = await postJson(request, '/stations', station, key);
  expect(first.status).toBe(201);
  expect(second).toMatchObject({ status: 201, body: first.body });
  expect(second.headers['idempotency-replayed']).toBe('true');
  expect(await postJson(request, '/stations', { ...station, name: 'Other' }, key)).toMatchObject({
    status: 422,
    body: { code: 'idempotency-key-reused' },
  });
  const bare = await request.post(`${HERN}/stations`, {
    data: { ...station, id: randomUUID() },
    headers: CLIENT,
  });
  expect((await bare.json()).code).toBe('no-idempotency-key');
});

test('the second of two editors is told and shown what the first wrote', async ({ request }) => {
  const { setup } = await bench(request);
  const { body } = await postJson(request, '/stations', {
    id: randomUUID(),
    setupId: setup.id,
    name: 'Shared',
    eastM: 0,
    northM: 0,
    heightM: 1.6,
  });
  const change = (data: unknown) => patchJson(request, `/stations/${body.id}`, data);
  expect((await change({ version: 1, heightM: 1.7 })).body.version).toBe(2);
  const late = await change({ version: 1, heightM: 1.8 });
  expect(late.status).toBe(409);
  expect(late.body).toMatchObject({ code: 'changed-meanwhile', current: { heightM: 1.7, version: 2 } });
  expect((await getJson<Station>(request, `/stations/${body.id}`)).heightM).toBe(1.7);
});

test("unknown productions, records and routes are not found; other people's ids do not help", async ({ request }) => {
  for (const path of [
    '/api/v1/productions/NONE/setups',
    `${HERN}/takes/${randomUUID()}`,
    `${HERN}/takes/not-an-id`,
    `${HERN}/nothing`,
    '/api/v1/nothing',
  ]) {
    const response = await request.get(path);
    expect(response.status(), path).toBe(404);
    expect(response.headers()['content-type']).toContain('application/problem+json');
  }
  expect(
    await postJson(request, '/stations', {
      id: randomUUID(),
      setupId: randomUUID(),
      name: 'Lost',
      eastM: 0,
      northM: 0,
      heightM: 1,
    }),
  ).toMatchObject({ status: 422, body: { code: 'unknown-reference' } });
});

test('a one-shot bracket becomes a panorama whose radiance is right; a single exposure is called what it is', async ({
  request,
}) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  await sendFrames(request, round.id, await latlongBracket());
  const job = await ended((await postJson(request, `/rounds/${round.id}/build`, { widthPx: 256 })).body as Job);
  expect(job).toMatchObject({ state: 'done', progress: 1 });
  expect(job.log.join('\n')).toMatch(/4 frames in 1 views/);
  const panorama = await getJson<Panorama>(request, `/panoramas/${job.resultId}`);
  expect(panorama).toMatchObject({ widthPx: 256, heightPx: 128, framesPerView: 4, sun: null });
  const bytes = await (await request.get(`${HERN}/panoramas/${job.resultId}/panorama.exr`)).body();
  expect(bytes.subarray(0, 4)).toEqual(Buffer.from([0x76, 0x2f, 0x31, 0x01]));
  const { readExr } = await import('@tawny/formats');
  const { image } = readExr(bytes, 'panorama.exr');
  // light / 2^k exact shutters: patch 400, ground 6 -> their ratio does not depend on the unit.
  const patch = image.data[3 * (Math.round(0.3 * 128) * 256 + Math.round(0.6 * 256))];
  const ground = image.data[3 * (110 * 256 + 20)];
  expect(patch / ground / (400 / 6)).toBeGreaterThan(0.94);
  expect(patch / ground / (400 / 6)).toBeLessThan(1.06);

  const alone = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  await sendFrames(request, alone.id, [await latlongFrame('alone.jpg', 60, 0)]);
  const single = await ended((await postJson(request, `/rounds/${alone.id}/build`, { widthPx: 256 })).body as Job);
  expect((await getJson<Panorama>(request, `/panoramas/${single.resultId}`)).warnings.join()).toMatch(
    /single exposure: good for reflections, its highlights are not measured/,
  );
  const north = await postJson(request, `/panoramas/${single.resultId}/north`, {});
  expect(north).toMatchObject({ status: 422, body: { code: 'no-sun' } });
});

test('a running job can be cancelled and leaves nothing', async ({ request }) => {
  const round = await newRound(request, { projection: 'equidistant', fovDeg: 185, views: 6 });
  const job = (
    await postJson(request, `/rounds/${round.id}/simulate`, { views: 8, frames: 7, stepEv: 2, widthPx: 2000 })
  ).body as Job;
  await expect
    .poll(async () => (await getJson<Job>(request, `/jobs/${job.id}`)).state, { timeout: 20000 })
    .toBe('running');
  expect((await postJson(request, `/jobs/${job.id}/cancel`, {})).status).toBe(202);
  const asked = Date.now();
  expect((await ended(job)).state).toBe('cancelled');
  expect(Date.now() - asked).toBeLessThan(15000);
  expect((await getJson<{ items: unknown[] }>(request, `/rounds/${round.id}/frames`)).items).toHaveLength(0);
});
