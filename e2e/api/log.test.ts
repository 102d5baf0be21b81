import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { expect, test } from '@playwright/test';
import { DateTime } from 'luxon';
import type {
  CameraClock,
  Clip,
  Comparison,
  DayMark,
  FileCells,
  ImportResult,
  Job,
  LensRecord,
  Location,
  Plate,
  Reading,
  Reference,
  Setup,
  SetupGaps,
  ShootDay,
  Take,
} from '@tawny/contract';
import { encodeJpeg } from '@tawny/formats';
import { srgbPng } from '../support/frames';
import {
  bench,
  ended,
  getJson,
  HERN,
  newTake,
  patchJson,
  postJson,
  removeJson,
  sendFiles,
  sendFrames,
} from '../support/api';
import { latlongFrame } from '../support/frames';

test('a removed take is gone, its number is free, and it can be taken back', async ({ request }) => {
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id);
  const again = await removeJson(request, `/takes/${take.id}?version=9`);
  expect(again.status).toBe(409);
  expect((await removeJson(request, `/takes/${take.id}?version=${take.version}`)).status).toBe(200);
  expect((await getJson<{ items: Take[] }>(request, `/takes?setupId=${setup.id}`)).items).toEqual([]);
  expect((await request.get(`${HERN}/takes/${take.id}`)).status()).toBe(404);
  expect((await postJson(request, `/takes/${take.id}/restore`, {})).status).toBe(200);
  expect((await getJson<{ items: Take[] }>(request, `/takes?setupId=${setup.id}`)).items[0].id).toBe(take.id);
});

test('a repeated change under its key is heard once', async ({ request }) => {
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id);
  const change = () =>
    patchJson(request, `/takes/${take.id}`, { tStop: 11, version: take.version }, `change-${take.id}`);
  const [first, second] = [await change(), await change()];
  expect([first.status, second.status]).toEqual([200, 200]);
  expect(second.body).toEqual(first.body);
  expect((await getJson<Take>(request, `/takes/${take.id}`)).version).toBe(2);
});

test('takes come in from a table only as far as somebody accepts, and go out again', async ({ request }) => {
  const { setup } = await bench(request);
  const table =
    'slate;take;body;lens;t_stop;tilt_deg\nZ9;1;Corrie 35;Skerry prime 32;5,6;-1,5\nZ9;2;Corrie 35;Nobody 85;5,6;0\nZ9;3;Corrie 35;Skerry prime 32;8;0\n';
  const send = (more: object) =>
    postJson(request, '/takes/import', {
      setupId: setup.id,
      fileName: 'takes.csv',
      contentBase64: Buffer.from(table).toString('base64'),
      dryRun: false,
      ...more,
    });
  const preview = (await send({ dryRun: true })).body as ImportResult;
  expect(preview).toMatchObject({ imported: 0, delimiter: ';', decimalComma: true });
  expect(preview.rows.map((r) => r.faults.length)).toEqual([0, 1, 0]);
  const refused = await send({});
  expect(refused.status).toBe(422);
  expect(refused.body.detail).toMatch(/1 of 3 rows cannot be read, so nothing was imported/);
  expect((await getJson<{ items: Take[] }>(request, `/takes?setupId=${setup.id}`)).items).toEqual([]);
  expect((await send({ acceptRest: true })).body.imported).toBe(2);
  const csv = await (await request.get(`${HERN}/days/${setup.dayId}/takes.csv`)).text();
  expect(csv).toMatch(/Z9,1,A,good,/);
  const pdf = await (await request.get(`${HERN}/days/${setup.dayId}/report.pdf`)).body();
  expect(pdf.subarray(0, 5).toString()).toBe('%PDF-');
});

test('formulas in notes are neutralised on export', async ({ request }) => {
  const { setup } = await bench(request);
  await newTake(request, setup.id, { notes: '=HYPERLINK("x")', take: 7 });
  const csv = await (await request.get(`${HERN}/days/${setup.dayId}/takes.csv`)).text();
  expect(csv).toContain(`"'=HYPERLINK(""x"")"`);
});

test('kit goes out whole and comes in elsewhere without doubles', async ({ request }) => {
  const kitFile = await (await request.get(`${HERN}/kit/export.json`)).body();
  const again = await postJson(request, '/kit/import', {
    fileName: 'kit.json',
    contentBase64: kitFile.toString('base64'),
    dryRun: true,
  });
  expect(
    again.body.rows.every((r: { faults: { message: string }[] }) => /in the kit already/.test(r.faults[0]?.message)),
  ).toBe(true);
  const csv =
    'name,kind,focalMinMm,focalMaxMm,tMin,tMax,closeFocusM\nShag 85,prime,85,85,1.8,22,0.9\nBroken,zoom,70,24,2.8,22,0.6\n';
  const refused = await postJson(request, '/kit/import', {
    fileName: 'lenses.csv',
    kind: 'lenses',
    contentBase64: Buffer.from(csv).toString('base64'),
    dryRun: false,
  });
  expect(refused.status).toBe(422);
  expect(refused.body.errors[0]).toMatchObject({ field: 'lenses row 3: focalMaxMm' });
  const taken = await postJson(request, '/kit/import', {
    fileName: 'lenses.csv',
    kind: 'lenses',
    contentBase64: Buffer.from(csv).toString('base64'),
    dryRun: false,
    acceptRest: true,
  });
  expect(taken.body.imported).toBe(1);
  expect((await postJson(request, '/kit/copy', { from: 'NONE' })).status).toBe(404);
});

test('readings are checked in their own units', async ({ request }) => {
  const { setup } = await bench(request);
  const reading = (more: object) =>
    postJson(request, '/readings', {
      id: randomUUID(),
      setupId: setup.id,
      kind: 'lux',
      shown: 1200,
      takenAt: '2026-10-14T15:00:00Z',
      ...more,
    });
  expect((await reading({})).status).toBe(201);
  const wrong = await reading({ kind: 'compass', shown: 400 });
  expect(wrong.status).toBe(422);
  expect(wrong.body.detail).toMatch(/Compass bearing is between 0 and 360 °, not 400/);
  const { id } = (await reading({})).body as Reading;
  expect((await patchJson(request, `/readings/${id}`, { shown: -5, version: 1 })).status).toBe(422);
});

test("a cell that is changed is no longer a file's and a time that is stated no longer assumed, whoever sends it", async ({
  request,
}) => {
  const { setup } = await bench(request);
  const filled = { fromFile: { ei: 'A004.dng', tStop: 'A004.dng' }, shotAtFrom: 'assumed' as const };
  const take = await newTake(request, setup.id, filled);
  const change = async (fields: object, version: number) =>
    (await patchJson(request, `/takes/${take.id}`, { ...fields, version })).body as Take;
  expect(await change({ ei: 400 }, 1)).toMatchObject({
    ei: 400,
    fromFile: { tStop: 'A004.dng' },
    shotAtFrom: 'assumed',
  });
  expect(await change({ shotAt: '2026-10-14T15:40:00Z' }, 2)).toMatchObject({ shotAtFrom: 'entered' });
  // One that says itself how it knows is believed.
  const told = { shotAt: '2026-10-14T15:41:00Z', shotAtFrom: 'logged', fromFile: { shotAt: 'A005.mov' } };
  expect(await change(told, 3)).toMatchObject({ shotAtFrom: 'logged', fromFile: told.fromFile });
  const assumed = { id: randomUUID(), setupId: setup.id, kind: 'lux', shown: 900, takenAt: '2026-10-14T15:00:00Z', takenAtFrom: 'assumed' }; // prettier-ignore
  await postJson(request, '/readings', assumed);
  const changed = async (fields: object, version: number) =>
    (await patchJson(request, `/readings/${assumed.id}`, { ...fields, version })).body as Reading;
  expect(await changed({ notes: 'by the door' }, 1)).toMatchObject({ takenAtFrom: 'assumed' });
  expect(await changed({ takenAt: '2026-10-14T15:02:00Z' }, 2)).toMatchObject({ takenAtFrom: 'entered' });
});

test('the simulated instruments read the simulated set with their faults', async ({ request }) => {
  const { setup, station } = await bench(request);
  const take = await newTake(request, setup.id);
  const instruments = (await getJson<{ items: { id: string; kind: string; bias: number }[] }>(request, '/instruments'))
    .items;
  const ask = (kind: string, instrument: string) =>
    postJson(request, '/instruments/simulate', {
      setupId: setup.id,
      kind,
      instrumentId: instruments.find((i) => i.kind === instrument)!.id,
      stationId: station.id,
      takeId: take.id,
      at: '2026-10-14T15:40:00Z',
      lightCondition: 'sun out',
    });
  const lux = await ask('lux', 'luxMeter');
  expect(lux.status).toBe(200);
  expect(lux.body.shown).toBeGreaterThan(3000);
  expect(lux.body.shown).toBeLessThan(40000);
  // Heading 8 true, declination about 1.5 east, bias 1.5: the needle shows about 8.
  const bearing = ((await ask('compass', 'compass')).body.shown + 180) % 360;
  expect(Math.abs(bearing - 188)).toBeLessThan(5);
  expect((await ask('distance', 'tape')).status).toBe(422);
});

const picture = async (shift: number, gain: number) => {
  const [w, h] = [640, 360];
  const codes = new Uint8Array(w * h * 3);
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++)
      codes.fill(
        Math.min(
          255,
          Math.round(gain * (120 + 50 * Math.sin((x - shift) * 0.13) + 40 * Math.cos(y * 0.09 + (x - shift) * 0.02))),
        ),
        3 * (y * w + x),
        3 * (y * w + x) + 3,
      );
  return { name: `plate_${shift}.png`, mimeType: 'image/png', buffer: await srgbPng(codes, w, h) };
};

test('a clean plate is held against its take at once: moved or not', async ({ request }) => {
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id);
  const plate = await sendFiles(request, `/takes/${take.id}/plates`, [await picture(0, 1)]);
  expect(plate.status).toBe(201);
  const add = async (shift: number) =>
    (
      await sendFiles(request, `/references?setupId=${setup.id}&kind=cleanPlate&takeId=${take.id}`, [
        await picture(shift, 1),
      ])
    ).body.items[0] as Reference;
  const still = (await postJson(request, `/references/${(await add(0)).id}/compare`, {})).body as Comparison;
  expect(still.moved).toBe(false);
  const moved = (await postJson(request, `/references/${(await add(4)).id}/compare`, {})).body as Comparison;
  expect(moved.moved).toBe(true);
  expect(moved.shiftXPx).toBeCloseTo(4, 0);
  const loose = (await sendFiles(request, `/references?setupId=${setup.id}&kind=greyCard`, [await picture(1, 1)])).body
    .items[0] as Reference;
  expect(loose.lacks.join()).toMatch(/which object/);
  const gaps = (await getJson<{ items: SetupGaps[] }>(request, '/gaps')).items.find((g) => g.setupId === setup.id)!;
  expect(gaps.gaps.map((g) => g.rule)).not.toContain('greyCard');
});

test('metadata of a portrait frame fills cells and says what it cannot know', async ({ request }) => {
  const buffer = await encodeJpeg(new Uint8Array(64 * 48 * 3).fill(99), 64, 48, {
    model: 'Corrie 35',
    lensModel: 'Skerry prime 32',
    shutterTag: { numerator: 1, denominator: 60 },
    fNumberTag: 5.6,
    iso: 400,
    focalLengthMm: 32,
    takenAt: new Date('2026-10-14T15:40:00Z'),
    utcOffsetMinutes: 60,
    orientation: 6,
  });
  const read = (await sendFiles(request, '/takes/read-file', [{ name: 'still.jpg', mimeType: 'image/jpeg', buffer }]))
    .body as FileCells;
  expect(read).toMatchObject({ widthPx: 48, heightPx: 64, unknownLens: null });
  expect(read.cells).toMatchObject({ ei: 400, focalLengthMm: 32, shotAt: '2026-10-14T15:40:00.000Z' });
  expect(read.cells.tStop as number).toBeCloseTo(Math.pow(2, 2.5) / Math.sqrt(0.82), 2);
  expect(read.notes.join()).toMatch(/stands for 1\/64/);
  const text = await sendFiles(request, '/takes/read-file', [
    { name: 'notes.jpg', mimeType: 'image/jpeg', buffer: Buffer.from('no picture') },
  ]);
  expect(text.status).toBe(422);
  expect(text.body.errors[0].file).toBe('notes.jpg');
});

test('a video shows its frames with timecode and a chosen frame becomes a plate; broken ones are named', async ({
  request,
}) => {
  test.setTimeout(120000);
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id);
  const file = path.join(os.tmpdir(), `clip-${randomUUID()}.mov`);
  execFileSync('ffmpeg', [
    '-v',
    'error',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=320x180:rate=24:duration=2',
    '-timecode',
    '10:00:00:00',
    // The container was dated when it was closed, two seconds later, in UTC.
    '-metadata',
    'creation_time=2026-10-14T09:00:02Z',
    '-c:v',
    'mpeg4',
    '-y',
    file,
  ]);
  const buffer = fs.readFileSync(file);
  fs.rmSync(file);
  const made = await sendFiles(request, `/takes/${take.id}/clips`, [
    { name: 'roll4-09.mov', mimeType: 'video/quicktime', buffer },
  ]);
  expect(made.status, JSON.stringify(made.body)).toBe(201);
  const clip = made.body as Clip;
  expect(clip).toMatchObject({
    kind: 'video',
    widthPx: 320,
    heightPx: 180,
    fps: 24,
    frames: 48,
    startTimecode: '10:00:00:00',
  });
  const { items: clocks } = await getJson<{ items: CameraClock[] }>(request, `/clocks?dayId=${setup.dayId}`);
  const fastS = clocks.find((c) => c.camera === take.camera)?.offsetS ?? 0;
  expect(Date.parse(clip.startsAt!)).toBe(Date.parse('2026-10-14T09:00:00Z') - 1000 * fastS);
  expect(clip.startsAtFrom).toMatch(
    /^the creation time less the length: by its timecode the file was dated when it ended/,
  );
  const jobs = await getJson<{ items: Job[] }>(request, `/jobs?subjectId=${clip.id}`);
  expect((await ended(jobs.items[0])).state).toBe('done');
  const strip = (await getJson<{ items: Clip[] }>(request, `/clips?takeId=${take.id}`)).items[0].stripFrames;
  expect(strip).toHaveLength(12);
  expect((await request.get(`${HERN}/clips/${clip.id}/frames/${strip[5]}.jpg`)).status()).toBe(200);
  const plate = (await postJson(request, `/clips/${clip.id}/plates`, { frame: 36 })).body as Plate;
  expect(plate).toMatchObject({ name: 'roll4-09_10000112.png', widthPx: 320 });
  expect((await postJson(request, `/clips/${clip.id}/plates`, { frame: 48 })).body.detail).toMatch(/has 48 frames/);
  const broken = await sendFiles(request, `/takes/${take.id}/clips`, [
    { name: 'broken.mov', mimeType: 'video/quicktime', buffer: buffer.subarray(0, 900) },
  ]);
  expect(broken.status).toBe(422);
  expect(broken.body.errors[0].file).toBe('broken.mov');
});

test('an image sequence with holes is named and only taken when the holes are accepted', async ({ request }) => {
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id);
  const files = await Promise.all(
    [1001, 1002, 1004].map(async (n) => ({ ...(await picture(n % 7, 1)), name: `quay.${n}.png` })),
  );
  const refused = await sendFiles(request, `/takes/${take.id}/clips`, files);
  expect(refused.status).toBe(422);
  expect(refused.body).toMatchObject({ code: 'sequence-with-holes', errors: [{ file: 'quay.1003.png' }] });
  const taken = await sendFiles(request, `/takes/${take.id}/clips?acceptHoles=true`, files);
  expect(taken.body).toMatchObject({ kind: 'sequence', frames: 3, fps: 24 });
});

test('the gap list of the demo day names what is lost first', async ({ request }) => {
  const setups = (await getJson<{ items: { id: string; name: string }[] }>(request, '/setups')).items;
  const gaps = (await getJson<{ items: SetupGaps[] }>(request, '/gaps')).items;
  const loft = gaps.find((g) => g.setupId === setups.find((s) => s.name === 'Net loft')!.id)!.gaps;
  expect(loft.map((g) => g.what)).toEqual(
    expect.arrayContaining(['a round in "lamps on"', 'the position of Soft box', 'a measured focal length of 22B/1A']),
  );
  expect(loft.map((g) => g.rule)).not.toContain('luxReading');
  const slipway = gaps.find((g) => g.setupId === setups.find((s) => s.name === 'Slipway, shade')!.id)!.gaps;
  expect(slipway.map((g) => g.rule)).toContain('take');
});

test('however many takes a setup has, the gap list names the newest of a light and the first that lack something', async ({
  request,
}) => {
  const { setup, station } = await bench(request);
  // An hour that no other test logs in.
  const minute = (n: number) => new Date(Date.UTC(2026, 9, 14, 10, n)).toISOString();
  const round = { id: randomUUID(), stationId: station.id, name: 'Old round', lightCondition: 'bench light' };
  const rig = { projection: 'latlong', fovDeg: 360, views: 1 };
  expect((await postJson(request, '/rounds', { ...round, shotAt: minute(0), shotAtFrom: 'entered', rig })).status).toBe(
    201,
  );
  expect((await sendFrames(request, round.id, [await latlongFrame('old.jpg', 60, 1)])).status).toBe(201);
  const zoom = (await getJson<{ items: LensRecord[] }>(request, '/lenses')).items.find((l) => l.kind === 'zoom')!;
  // Not in the order of their times; several lack height or tilt, two are on a zoom whose focal length was read off.
  const model = await newTake(request, setup.id, { take: 99, shotAt: minute(20) });
  for (const [take, at, more] of [
    [1, 55, {}],
    [2, 12, { heightM: null }],
    [3, 50, { tiltDeg: null }],
    [4, 14, { heightM: null, tiltDeg: null }],
    [5, 30, { heightM: null }],
    [6, 31, { lensId: zoom.id, focalLengthMm: zoom.focalMinMm }],
    [7, 32, { lensId: zoom.id, focalLengthMm: zoom.focalMinMm, focalMeasured: true }],
  ] as const)
    await newTake(request, setup.id, { take, shotAt: minute(at), ...more });
  const lacks = async () => {
    const lists = (await getJson<{ items: SetupGaps[] }>(request, '/gaps')).items;
    const mine = lists.find((g) => g.setupId === setup.id)!;
    expect(mine.roundId).toBe(round.id);
    return (rule: string) => mine.gaps.filter((g) => g.rule === rule);
  };
  const of = await lacks();
  expect(of('cameraHeight').map((g) => g.what)).toEqual([
    'height of Z9/2A',
    'height and tilt of Z9/4A',
    'height of Z9/5A',
  ]);
  expect(of('zoomFocal').map((g) => g.what)).toEqual(['a measured focal length of Z9/6A']);
  expect(of('staleRound')[0].reason).toMatch(/Z9\/1A/);
  expect(of('lensGrid').map((g) => g.action.path.split('lens=')[1])).toEqual(
    expect.arrayContaining([model.lensId, zoom.id]),
  );
  const newest = (await getJson<{ items: Take[] }>(request, `/takes?setupId=${setup.id}`)).items[0];
  expect(newest.take).toBe(1);
  expect((await removeJson(request, `/takes/${newest.id}?version=${newest.version}`)).status).toBe(200);
  const after = await lacks();
  expect(after('staleRound')[0].reason).toMatch(/Z9\/3A/);
  // The line of the day bears a mark for each minute, whatever happened in it.
  const marks = (await getJson<{ items: DayMark[] }>(request, `/days/${setup.dayId}/marks`)).items;
  const at = (kind: string) => marks.filter((m) => m.kind === kind).map((m) => m.at);
  expect(at('round')).toContain(minute(0));
  expect(at('take')).toEqual(expect.arrayContaining([minute(12), minute(50)]));
  expect(at('take')).not.toContain(minute(55));
  expect(new Set(at('take')).size).toBe(at('take').length);
});

test('a shoot that runs past midnight has until the wrap of the next morning, though its date is over', async ({
  request,
}) => {
  const { setup } = await bench(request);
  const { locationId } = await getJson<ShootDay>(request, `/days/${setup.dayId}`);
  const { zone } = await getJson<Location>(request, `/locations/${locationId}`);
  // Called 20 hours ago: its date is yesterday's for most hours of the clock, its wrap two hours from now.
  const now = DateTime.now().setZone(zone).startOf('minute');
  const [call, wrap] = [now.minus({ hours: 20 }), now.plus({ hours: 2 })];
  const day = {
    ...{ id: randomUUID(), locationId, number: 341 + Math.floor(59 * Math.random()), unit: 'Night' },
    ...{ date: call.toISODate(), callLocal: call.toFormat('HH:mm'), wrapLocal: wrap.toFormat('HH:mm') },
  };
  expect((await postJson(request, '/days', day)).status).toBe(201);
  const { version } = await getJson<Setup>(request, `/setups/${setup.id}`);
  expect((await patchJson(request, `/setups/${setup.id}`, { version, dayId: day.id })).status).toBe(200);
  const lists = (await getJson<{ items: SetupGaps[] }>(request, '/gaps')).items;
  const take = lists.find((g) => g.setupId === setup.id)!.gaps.find((g) => g.rule === 'take')!;
  expect(take).toMatchObject({ urgency: 'today', lostAt: wrap.toUTC().toISO() });
});
