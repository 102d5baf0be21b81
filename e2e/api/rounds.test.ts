import { randomUUID } from 'node:crypto';
import { expect, test, type APIRequestContext } from '@playwright/test';
import sharp from 'sharp';
import { RELATIVE_REC709, decodeUncertainty } from '@tawny/core';
import { encodeDng } from '@tawny/formats';
import type { GroupingResult, Job, LightRound, Panorama } from '@tawny/contract';
import { decodeFloatPicture } from '@tawny/pipeline';
import { CLIENT, ended, getJson, HERN, newRound, postJson, sendFiles, sendFrames, type TestFile } from '../support/api';
import {
  evenFrame,
  latlongBracket,
  latlongFrame,
  panoramaFile,
  plainPanorama,
  withoutMetadata,
} from '../support/frames';

const LATLONG = { projection: 'latlong', fovDeg: 360, views: 1 } as const;

async function build(request: APIRequestContext, roundId: string): Promise<Job> {
  return ended((await postJson(request, `/rounds/${roundId}/build`, { widthPx: 256 })).body as Job);
}

/** The round once its views were looked at. */
async function looked(request: APIRequestContext, id: string): Promise<LightRound> {
  await expect
    .poll(async () => (await getJson<LightRound>(request, `/rounds/${id}`)).viewChecks !== null, { timeout: 30000 })
    .toBe(true);
  return getJson<LightRound>(request, `/rounds/${id}`);
}

test('a panorama comes with its mask and the uncertainty of every pixel', async ({ request }) => {
  const round = await newRound(request, LATLONG);
  await sendFrames(request, round.id, await latlongBracket());
  const job = await build(request, round.id);
  const response = await request.get(`${HERN}/panoramas/${job.resultId}/measure.png`);
  expect(response.ok()).toBe(true);
  const { data, info } = await sharp(await response.body())
    .raw()
    .toBuffer({ resolveWithObject: true });
  expect([info.width, info.height]).toEqual([256, 128]);
  const uncertainty = Array.from({ length: 256 * 128 }, (_, i) => decodeUncertainty(data[info.channels * i + 1]))
    .filter((u) => !Number.isNaN(u))
    .sort((a, b) => a - b);
  expect(uncertainty.length).toBeGreaterThan(0.9 * 256 * 128);
  expect(uncertainty[uncertainty.length >> 1]).toBeGreaterThan(0.001);
  expect(uncertainty[uncertainty.length >> 1]).toBeLessThan(0.1);
});

test('tiles of the panorama are its own pixels', async ({ request }) => {
  const round = await newRound(request, LATLONG);
  const image = plainPanorama(2048);
  const sent = await sendFiles(request, `/rounds/${round.id}/panoramas`, [await panoramaFile('set.exr', image)]);
  const id = (await ended(sent.body as Job)).resultId;
  const tile = decodeFloatPicture(
    await (await request.get(`${HERN}/panoramas/${id}/tiles/1/1`)).body(),
    RELATIVE_REC709,
  );
  expect([tile.width, tile.height]).toEqual([1024, 512]);
  expect(tile.data[0] / image.data[3 * (512 * 2048 + 1024)]).toBeCloseTo(1, 2);
  expect((await request.get(`${HERN}/panoramas/${id}/tiles/2/0`)).status()).toBe(404);
});

test('an imported panorama: mirrored and upside down are made ours; what is none is refused', async ({ request }) => {
  const round = await newRound(request, LATLONG);
  const image = plainPanorama(256);
  const turned = { ...image, data: Float32Array.from(image.data) };
  for (let y = 0; y < 128; y++)
    for (let x = 0; x < 256; x++)
      for (let c = 0; c < 3; c++) turned.data[3 * (y * 256 + x) + c] = image.data[3 * ((127 - y) * 256 + x) + c];
  const sent = await sendFiles(request, `/rounds/${round.id}/panoramas?upsideDown=true`, [
    await panoramaFile('turned.exr', turned),
  ]);
  const usual = await sendFiles(request, `/rounds/${round.id}/panoramas`, [await panoramaFile('usual.exr', image)]);
  const [a, b] = [await ended(sent.body as Job), await ended(usual.body as Job)];
  const { medianStops, p95Stops } = await getJson<{ medianStops: number; p95Stops: number }>(
    request,
    `/panoramas/${a.resultId}/difference?against=${b.resultId}`,
  );
  expect(medianStops).toBeLessThan(1e-3);
  expect(p95Stops).toBeLessThan(1e-3);
  const square = await sendFiles(request, `/rounds/${round.id}/panoramas`, [
    await panoramaFile('square.exr', { ...image, width: 128, height: 128, data: image.data.slice(0, 3 * 128 * 128) }),
  ]);
  expect((await ended(square.body as Job)).error!.message).toMatch(/square\.exr/);
  expect((await request.get(`${HERN}/panoramas/${a.resultId}/measure.png`)).status()).toBe(404);
});

test('a view to be shot again is named while one can', async ({ request }) => {
  const round = await newRound(request, { projection: 'equidistant', fovDeg: 185, views: 3 });
  const files: TestFile[] = [];
  for (let v = 0; v < 3; v++)
    for (const [k, d] of [15, 60, 250].entries())
      if (!(v === 1 && k === 2))
        files.push(
          await latlongFrame(`v${v}_${k}.jpg`, d, v * 20 + k, 256, v === 2 && k === 0 ? { fNumberTag: 8.5 } : {}),
        );
  await sendFrames(request, round.id, files);
  const { viewChecks } = await looked(request, round.id);
  expect(viewChecks!.map((c) => c.verdict)).toEqual([expect.not.stringMatching('again'), 'again', 'again']);
  expect(viewChecks![1].findings.join()).toMatch(/lacks the frame/);
  expect(viewChecks![2].findings.join()).toMatch(/another aperture \(f\/[\d.]+\) than the round \(f\/[\d.]+\)/);
  // All three show one even picture: whether the rig was turned cannot be seen, and nothing is said of it.
  for (const { findings } of viewChecks!) expect(findings.join()).not.toMatch(/shows what view/);
});

test.describe('what real cards hold', () => {
  test('frames without any metadata are sorted by their pictures, and that is said', async ({ request }) => {
    const round = await newRound(request, LATLONG);
    const { buffer } = (await latlongBracket())[0];
    const bare = await Promise.all(
      (await latlongBracket()).map(async (f, i) => ({
        ...f,
        name: `bare_${i}.jpg`,
        buffer: await sharp(f.buffer).jpeg({ quality: 95 }).toBuffer(),
      })),
    );
    expect(bare[0].buffer.equals(buffer)).toBe(false);
    await sendFrames(request, round.id, bare);
    const grouping = await getJson<GroupingResult>(request, `/rounds/${round.id}/grouping`);
    expect(grouping.views).toHaveLength(1);
    expect(grouping.certain).toBe(false);
    expect(grouping.notes.join()).toMatch(/taken from the pictures/);
    expect(Math.abs(grouping.ladderEv[3] - grouping.ladderEv[0] - Math.log2(1000 / 15))).toBeLessThan(0.2);
    const panorama = await getJson<Panorama>(request, `/panoramas/${(await build(request, round.id)).resultId}`);
    expect(panorama.warnings.join()).toMatch(/no scale of its own/);
  });

  test('an exposure tag of zero counts as none', async ({ request }) => {
    const round = await newRound(request, LATLONG);
    const files = await Promise.all(
      [15, 60, 250].map((d, i) =>
        latlongFrame(`zero_${i}.jpg`, d, i, 256, { shutterTag: { numerator: 0, denominator: 1 } }),
      ),
    );
    expect((await sendFrames(request, round.id, files)).body.accepted).toHaveLength(3);
    expect((await getJson<GroupingResult>(request, `/rounds/${round.id}/grouping`)).notes.join()).toMatch(
      /does not tell its exposure time/,
    );
  });

  const failing: [string, RegExp, () => Promise<TestFile[]>][] = [
    [
      'black all over',
      /every frame is black/,
      () => Promise.all([15, 60].map((d, i) => evenFrame(`black_${i}.jpg`, 0, d, i))),
    ],
    [
      'white all over',
      /every frame is white/,
      () => Promise.all([15, 60].map((d, i) => evenFrame(`white_${i}.jpg`, 255, d, i))),
    ],
    [
      'of two sizes',
      /odd\.jpg is 512 x 256 pixels|frames of one round have one size/,
      async () => [...(await latlongBracket()), await latlongFrame('odd.jpg', 4000, 9, 512)],
    ],
    [
      'of two cameras',
      /odd\.jpg: comes from a Corrie 35, other frames from a Fathom 360/,
      async () => [...(await latlongBracket()), await latlongFrame('odd.jpg', 4000, 9, 256, { model: 'Corrie 35' })],
    ],
  ];
  for (const [what, reason, make] of failing) {
    test(`frames that are ${what} end the build with that reason`, async ({ request }) => {
      const round = await newRound(request, LATLONG);
      expect((await sendFrames(request, round.id, await make())).status).toBe(201);
      const job = await build(request, round.id);
      expect(job.state).toBe('failed');
      expect(job.error!.message).toMatch(reason);
      expect((await getJson<{ items: unknown[] }>(request, `/panoramas?roundId=${round.id}`)).items).toHaveLength(0);
    });
  }

  test('the wrong projection ends cleanly: latitude-longitude frames that are not twice as wide as high', async ({
    request,
  }) => {
    const round = await newRound(request, LATLONG);
    const square = await sharp((await latlongFrame('x.jpg', 60, 0)).buffer)
      .resize(200, 200)
      .jpeg()
      .keepExif()
      .toBuffer();
    await sendFrames(request, round.id, [{ name: 'square.jpg', mimeType: 'image/jpeg', buffer: square }]);
    expect((await build(request, round.id)).error!.message).toMatch(
      /a latitude-longitude frame is twice as wide as high/,
    );
  });

  test('the same frame twice is one; the same picture under two names is told', async ({ request }) => {
    const round = await newRound(request, LATLONG);
    const bracket = await latlongBracket();
    const again = await sendFrames(request, round.id, [...bracket, { ...bracket[0], name: 'copy.jpg' }]);
    // Files of one upload are taken in side by side: either of the two may be first.
    expect(again.body.duplicates).toEqual([expect.stringMatching(/^(copy|one_0)\.jpg$/)]);
    expect(again.body.accepted).toHaveLength(4);
    const repeat = await latlongFrame('repeat.jpg', 15, 30);
    await sendFrames(request, round.id, [repeat]);
    expect((await getJson<GroupingResult>(request, `/rounds/${round.id}/grouping`)).certain).toBe(false);
  });

  test('an empty file in the middle and a raw file that breaks off are named, the rest goes on', async ({
    request,
  }) => {
    const round = await newRound(request, LATLONG);
    const [a, b, c, d] = await latlongBracket();
    const sensor = {
      black: [512, 512, 512, 512] as [number, number, number, number],
      white: 16383,
      colourMatrix: [1, 0, 0, 0, 1, 0, 0, 0, 1],
      asShotNeutral: [0.6, 1, 0.7] as [number, number, number],
    };
    const raw = encodeDng(new Uint16Array(256 * 128).fill(4000), 256, 128, sensor, {
      model: 'Fathom 360',
      lensModel: 'Twin',
      shutterTag: { numerator: 1, denominator: 60 },
      fNumberTag: 8,
      iso: 100,
      focalLengthMm: 4,
      takenAt: new Date('2026-10-14T12:00:00Z'),
      utcOffsetMinutes: 0,
      orientation: 1,
    });
    const { status, body } = await sendFrames(request, round.id, [
      a,
      { name: 'hole.jpg', mimeType: 'image/jpeg', buffer: Buffer.alloc(0) },
      b,
      { name: 'short.dng', mimeType: 'image/x-adobe-dng', buffer: raw.subarray(0, 300) },
      c,
      d,
    ]);
    expect(status).toBe(201);
    expect(body.accepted).toHaveLength(4);
    expect(body.problems.map((p: { file: string }) => p.file).sort()).toEqual(['hole.jpg', 'short.dng']);
    expect((await build(request, round.id)).state).toBe('done');
  });

  test('a header that lies about its size is refused before anything is allocated', async ({ request }) => {
    const round = await newRound(request, LATLONG);
    const { buffer } = await panoramaFile('lie.exr', plainPanorama(64));
    const lie = Buffer.from(buffer);
    const at = lie.indexOf('dataWindow') + 'dataWindow\0box2i\0'.length + 4;
    lie.writeInt32LE(30000, at + 8);
    lie.writeInt32LE(24000, at + 12);
    const { status, body } = await sendFrames(request, round.id, [
      { name: 'lie.exr', mimeType: 'image/x-exr', buffer: lie },
    ]);
    expect(status).toBe(422);
    expect(body.detail).toMatch(/lie\.exr: claims 30001 x 24001 pixels/);
  });

  test('a picture without metadata stands with a note', async ({ request }) => {
    const round = await newRound(request, LATLONG);
    expect((await sendFrames(request, round.id, [await withoutMetadata()])).status).toBe(201);
    expect((await getJson<GroupingResult>(request, `/rounds/${round.id}/grouping`)).certain).toBe(false);
  });
});

test('a tripod is cut out, a place comes from the view that was chosen, and one that is not there is named', async ({
  request,
}) => {
  const round = await newRound(request, LATLONG);
  await sendFrames(request, round.id, await latlongBracket());
  const built = async (choices: object) =>
    ended((await postJson(request, `/rounds/${round.id}/build`, { widthPx: 256, ...choices })).body as Job);
  const cut = await getJson<Panorama>(request, `/panoramas/${(await built({ tripodDeg: 30 })).resultId}`);
  // The cone of 30 degrees, to the nearest row of 1.4 degrees.
  expect(Math.abs(cut.uncoveredSr / (2 * Math.PI * (1 - Math.cos(Math.PI / 6))) - 1)).toBeLessThan(0.06);
  expect(cut.warnings.join()).toMatch(/% of the sphere is seen by no view and stays black/);
  const filled = await getJson<Panorama>(
    request,
    `/panoramas/${(await built({ tripodDeg: 30, nadir: 'fill' })).resultId}`,
  );
  expect(filled.uncoveredSr).toBeCloseTo(cut.uncoveredSr, 6);
  expect(filled.illuminanceHorizontal).toBeCloseTo(cut.illuminanceHorizontal, 3);
  const none = await built({ areas: [{ azimuthDeg: 10, elevationDeg: 0, radiusDeg: 5, view: 2 }] });
  expect(none.state).toBe('failed');
  expect(none.error!.message).toContain('area 1 is to come from view 3, but there are 1');
  expect((await postJson(request, `/rounds/${round.id}/build`, { movedStops: 0 })).status).toBe(422);
});

/** A little more than the worker holds whole. */
const TOO_WIDE = Number(process.env.TAWNY_WHOLE_PX) + 2;

test('a panorama too wide for memory is written by strips and is the same', async ({ request }) => {
  const round = await newRound(request, LATLONG);
  await sendFrames(request, round.id, await latlongBracket());
  const at = async (widthPx: number) =>
    getJson<Panorama>(
      request,
      `/panoramas/${(await ended((await postJson(request, `/rounds/${round.id}/build`, { widthPx, camera: 'file' })).body as Job)).resultId}`,
    );
  const [small, large] = [await at(1024), await at(TOO_WIDE)];
  expect([large.widthPx, large.heightPx]).toEqual([TOO_WIDE, TOO_WIDE / 2]);
  expect(large.illuminanceHorizontal / small.illuminanceHorizontal).toBeCloseTo(1, 3);
  expect(large.checks.find((c) => c.name === 'resolution')!.value).toBeCloseTo(TOO_WIDE / 360, 3);
  const tile = decodeFloatPicture(
    await (await request.get(`${HERN}/panoramas/${large.id}/tiles/1/1`)).body(),
    RELATIVE_REC709,
  );
  const whole = decodeFloatPicture(
    await (await request.get(`${HERN}/panoramas/${small.id}/float`)).body(),
    RELATIVE_REC709,
  );
  // The tile's middle, 1536 px across and 768 px down, in the smaller one.
  const [x, y] = [1536.5, 768.5].map((at) => Math.floor((at / TOO_WIDE) * 1024));
  expect(tile.data[3 * (256 * 1024 + 512)] / whole.data[3 * (y * 1024 + x)]).toBeCloseTo(1, 2);
});

test('glare wants both brackets, of different frames, for a rig of this production', async ({ request }) => {
  const id = randomUUID();
  await postJson(request, '/rigs', {
    id,
    name: 'Glare refusals',
    serial: '',
    kind: 'oneShot',
    statement: { projection: 'equidistant', fovDeg: 180, views: 1 },
  });
  const send = async (rig: string, parts: [string, string][]) => {
    const form = new FormData();
    for (const [field, bytes] of parts) form.append(field, new Blob([bytes]), `${field}.jpg`);
    const response = await request.post(`${HERN}/rigs/${rig}/glare`, { multipart: form, headers: CLIENT });
    return { status: response.status(), body: (await response.json()) as { code: string; detail: string } };
  };
  expect(await send(id, [['seen', 'a']])).toMatchObject({
    status: 422,
    body: { code: 'no-files', detail: 'Frames with the sun covered are missing' },
  });
  expect(
    await send(id, [
      ['seen', 'a'],
      ['covered', 'a'],
    ]),
  ).toMatchObject({ status: 422, body: { code: 'same-file' } });
  expect(
    (
      await send(randomUUID(), [
        ['seen', 'a'],
        ['covered', 'b'],
      ])
    ).status,
  ).toBe(404);
});
