import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import type { GroupingResult, Job, Location, Take } from '@tawny/contract';
import { ended, getJson, newRound, postJson, quay, sendFrames, type TestFile } from '../support/api';
import { latlongBracket, latlongFrame, onePixel, textFile } from '../support/frames';

const LATLONG = { projection: 'latlong', fovDeg: 360, views: 1 } as const;
const FISHEYE = { projection: 'equidistant', fovDeg: 185, views: 3 } as const;

test.afterEach(async ({ request }) => {
  // Whatever was sent, the server lives.
  expect((await request.get('/health')).ok()).toBe(true);
});

test.describe('files that cannot be frames', () => {
  const cases: [string, string, RegExp, () => Promise<TestFile>][] = [
    [
      'a text file renamed to .jpg',
      'not-an-image',
      /notes\.jpg: is not a JPEG, PNG or TIFF/,
      async () => textFile('notes.jpg'),
    ],
    [
      'an empty file',
      'empty-file',
      /nothing\.jpg: the file is empty/,
      async () => ({ name: 'nothing.jpg', mimeType: 'image/jpeg', buffer: Buffer.alloc(0) }),
    ],
    ['a one-pixel image', 'too-small', /dot\.png: is 1 x 1 pixels/, onePixel],
  ];
  for (const [title, code, message, make] of cases) {
    test(`${title} is named and leaves nothing behind`, async ({ request }) => {
      const round = await newRound(request, LATLONG);
      const { status, body } = await sendFrames(request, round.id, [await make()]);
      expect(status).toBe(422);
      expect(body.code).toBe(code);
      expect(body.detail).toMatch(message);
      expect(body.errors[0].file).toBeTruthy();
      expect((await getJson<{ items: unknown[] }>(request, `/rounds/${round.id}/frames`)).items).toHaveLength(0);
    });
  }

  test('the good files of an upload are taken in, the bad one is named', async ({ request }) => {
    const round = await newRound(request, LATLONG);
    const good = await latlongBracket();
    const { status, body } = await sendFrames(request, round.id, [
      ...good,
      { name: 'notes.jpg', mimeType: 'image/jpeg', buffer: Buffer.from('x') },
    ]);
    expect(status).toBe(201);
    expect(body.accepted).toHaveLength(4);
    expect(body.problems).toEqual([expect.objectContaining({ file: 'notes.jpg', code: 'not-an-image' })]);
    const again = await sendFrames(request, round.id, good);
    expect(again.body.duplicates).toHaveLength(4);
    expect(again.body.accepted).toHaveLength(0);
  });

  test('a truncated JPEG is named when it comes; the rest is taken in and built', async ({ request }) => {
    const round = await newRound(request, LATLONG);
    const bracket = await latlongBracket();
    bracket[2] = { ...bracket[2], buffer: bracket[2].buffer.subarray(0, Math.floor(bracket[2].buffer.length * 0.6)) };
    const sent = await sendFrames(request, round.id, bracket);
    expect(sent.status).toBe(201);
    expect(sent.body.problems).toEqual([expect.objectContaining({ file: 'one_2.jpg', code: 'damaged-image' })]);
    expect(
      (await ended((await postJson(request, `/rounds/${round.id}/build`, { widthPx: 256 })).body as Job)).state,
    ).toBe('done');
  });
});

test('a bracket with one frame missing is said before and after the build', async ({ request }) => {
  const round = await newRound(request, FISHEYE);
  const frames: TestFile[] = [];
  for (let v = 0; v < 3; v++)
    for (const [k, d] of [15, 60, 250].entries())
      if (!(v === 1 && k === 2)) frames.push(await latlongFrame(`v${v}_${k}.jpg`, d, v * 20 + k));
  expect((await sendFrames(request, round.id, frames)).status).toBe(201);
  const grouping = await getJson<GroupingResult>(request, `/rounds/${round.id}/grouping`);
  expect(grouping.views).toHaveLength(3);
  expect(grouping.certain).toBe(false);
  expect(grouping.views[1].notes.join()).toMatch(/lacks the frame/);
});

test('frames that do not make the stated views end the build with a reason', async ({ request }) => {
  const round = await newRound(request, FISHEYE);
  await sendFrames(request, round.id, await latlongBracket());
  const job = await ended((await postJson(request, `/rounds/${round.id}/build`, { widthPx: 256 })).body as Job);
  expect(job.error?.message).toMatch(/form 1 bracket but the rig states 3 views/);
});

test('a round without frames cannot be built', async ({ request }) => {
  const round = await newRound(request, FISHEYE);
  expect(await postJson(request, `/rounds/${round.id}/build`, { widthPx: 256 })).toMatchObject({
    status: 422,
    body: { code: 'no-frames' },
  });
});

test('a latitude of 120 is named', async ({ request }) => {
  const { status, body } = await postJson(request, '/locations', {
    id: randomUUID(),
    name: 'Nowhere',
    latitudeDeg: 120,
    longitudeDeg: 0,
    altitudeM: 0,
  });
  expect(status).toBe(422);
  expect(body.errors).toEqual([{ field: 'latitudeDeg', message: 'Latitude must be at most 90 degrees' }]);
  expect((await getJson<{ items: Location[] }>(request, '/locations')).items.map((l) => l.name)).not.toContain(
    'Nowhere',
  );
});

test('a take is checked in the words of the trade', async ({ request }) => {
  const { setup } = await quay(request);
  const last = (await getJson<{ items: Take[] }>(request, `/takes?setupId=${setup.id}`)).items[0];
  const { version: _v, createdAt: _c, updatedAt: _u, ...fields } = last;
  const attempt = (change: Partial<Take>) =>
    postJson(request, '/takes', { ...fields, id: randomUUID(), take: 500, ...change });
  expect((await attempt({ shutterAngleDeg: -10 })).body.detail).toMatch(/Shutter angle must be more than 0/);
  expect((await attempt({ shutterAngleDeg: 400 })).body.detail).toMatch(/at most 360/);
  expect((await attempt({ tStop: 1.2 })).body.detail).toMatch(/opens to T1.8; T1.2 is wider/);
  expect((await attempt({ focalLengthMm: 50 })).body.detail).toMatch(/32 mm prime; 50 mm is outside/);
  expect((await attempt({ fps: 120 })).body.detail).toMatch(/runs to 60 fps/);
  expect((await attempt({ formatName: 'Nine K' })).body.detail).toMatch(/does not record Nine K/);
  expect((await attempt({ lensId: randomUUID() })).body.detail).toMatch(/no such lens/);
  expect(
    (await getJson<{ items: Take[] }>(request, `/takes?setupId=${setup.id}`)).items.some((t) => t.take === 500),
  ).toBe(false);
});
