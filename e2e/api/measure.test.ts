import { execFileSync } from 'node:child_process';
import { createHash, randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { expect, test, type APIRequestContext } from '@playwright/test';
import {
  arcDeg,
  detectSun,
  directionFromAngles,
  illuminance,
  linearToSrgb,
  srgbToLinear,
  wrap180,
  yawQuaternion,
  type RgbImage,
} from '@tawny/core';
import { readExr } from '@tawny/formats';
import type { Calibration, CameraBody, Handoff, Job, LightRound, PanoramaRig } from '@tawny/contract';
import { ended, getJson, HERN, newTake, patchJson, postJson } from '../support/api';
import {
  CARD,
  type Measured,
  PLATE_EXPOSURE,
  addPlate,
  CARD_CODE,
  CARD_LIGHT,
  IN_PANORAMA,
  litSetup,
  measureCard,
  SUN_AT,
  TAKE,
} from '../support/lit';

test("north by the sun is where the almanac puts it; the second measurement keeps the first one's gain", async ({
  request,
}) => {
  const { panorama, take, sun } = await litSetup(request);
  expect(panorama.sun).toMatchObject({ clipped: false });
  const plate = await addPlate(request, take);
  expect(plate.exposureSource).toBe('log');
  expect(plate.exposure / PLATE_EXPOSURE).toBeCloseTo(1, 9);
  const card = await measureCard(request, panorama.id, plate.id);
  expect(card.status, JSON.stringify(card.body)).toBe(201);
  const scale = (card.body as Calibration).scale!;
  const [own, metadata] = scale.sources;
  expect(own.value).toBeCloseTo(Math.log2(srgbToLinear(CARD_CODE / 255) / CARD_LIGHT), 2);
  for (const stops of scale.card.channelStops) expect(stops).toBeCloseTo(own.value, 3);
  expect(own.value - metadata.value).toBeCloseTo(-0.2, 2);
  // They agree, so both were joined, by what each is worth.
  expect(scale.verdict).toBe('agrees');
  expect(Math.abs(scale.adopted.value - own.value)).toBeLessThan(0.005);
  expect([own.provenance.kind, metadata.provenance.kind]).toEqual(['measured', 'predicted']);
  expect(own.weight + metadata.weight).toBeCloseTo(1, 9);

  const north = (await postJson(request, `/panoramas/${panorama.id}/north`, {})).body as Calibration;
  const yaw = wrap180(sun.azimuthDeg - SUN_AT);
  const { adopted, verdict, rotation } = north.orientation!;
  expect(Math.abs(wrap180(adopted.value - yaw))).toBeLessThan(Math.min(0.1, adopted.uncertainty!));
  expect(verdict).toBe('agrees');
  expect(rotation).toEqual([...yawQuaternion(adopted.value)]);
  expect(north).toMatchObject({ number: 2, scale });
  expect(
    (await getJson<{ calibration: Calibration }>(request, `/panoramas/${panorama.id}/calibration`)).calibration,
  ).toMatchObject({ id: north.id, number: 2 });
});

test('a worse level and a worse clock widen the stated interval of north', async ({ request }) => {
  const { panorama } = await litSetup(request);
  const north = async (input: object) =>
    ((await postJson(request, `/panoramas/${panorama.id}/north`, input)).body as Calibration).orientation!;
  const usual = await north({ levelDeg: 0.1, clockS: 10 });
  const leaning = await north({ levelDeg: 2, clockS: 10 });
  const late = await north({ levelDeg: 0.1, clockS: 600 });
  const lost = await north({ levelDeg: 10, clockS: 600 });
  expect(leaning.adopted.value).toBeCloseTo(usual.adopted.value, 2);
  expect(leaning.adopted.uncertainty).toBeGreaterThan(2 * Math.tan((usual.sun!.computedElevationDeg * Math.PI) / 180));
  // On a level rig the sun's height tells the clock to about a minute; the sun goes about a quarter of a degree in one.
  expect(late.adopted.uncertainty).toBeGreaterThan(1.5 * usual.adopted.uncertainty!);
  expect(late.adopted.uncertainty).toBeLessThan(0.6);
  expect(late.sun!.clockErrorS!.uncertainty).toBeLessThan(120);
  // Off level as it may be, the height tells nothing.
  expect(lost.adopted.uncertainty).toBeGreaterThan(2.5);
  expect(lost.sun!.clockErrorS!.uncertainty).toBeGreaterThan(500);
  const absurd = await postJson(request, `/panoramas/${panorama.id}/north`, { levelDeg: 0 });
  expect(absurd).toMatchObject({ status: 422 });
  expect(absurd.body.errors[0].field).toBe('levelDeg');
});

test('a sun too high for its hour is told: clock, zone, place or level are wrong', async ({ request }) => {
  const { panorama } = await litSetup(request, 3);
  const known = { levelDeg: 0.1, clockS: 10 };
  const { orientation } = (await postJson(request, `/panoramas/${panorama.id}/north`, known)).body as Calibration;
  // Level, clock and place would all explain it: none is named.
  expect(orientation).toMatchObject({ verdict: 'disagrees', sources: [{ cause: 'cannotTell' }] });
  expect(orientation!.sun!.elevationDifferenceDeg).toBeCloseTo(3, 1);
});

test('a filter that nobody logged shows as a disagreement of its stops', async ({ request }) => {
  const { panorama, take, setupId } = await litSetup(request);
  const forgetful = await newTake(request, setupId, { ...TAKE, ndStops: 0, take: take.take + 1 });
  const gain = ((await measureCard(request, panorama.id, (await addPlate(request, forgetful)).id)).body as Calibration)
    .scale!;
  expect(gain.sources[0].value - gain.sources[1].value).toBeCloseTo(-4.2, 2);
  expect(gain.verdict).toBe('disagrees');
  // A prediction never pulls at a measurement that contradicts it.
  expect(gain.adopted.value).toBe(gain.sources[0].value);
});

test('a card that is clipped, too small, outside or of another plate is refused by name, and nothing is stored', async ({
  request,
}) => {
  const { panorama, take } = await litSetup(request);
  const plate = await addPlate(request, take);
  const white = await addPlate(request, take, 255);
  const cases: [object, number, RegExp][] = [
    [{ plateId: white.id }, 422, /clipped in the plate/],
    [{ plateRect: { left: 0.5, top: 0.5, right: 0.504, bottom: 0.504 } }, 422, /marked in the plate is only/],
    [{ plateRect: { left: 0.9, top: 0.1, right: 1.4, bottom: 0.4 } }, 422, /plate lies partly outside/],
    [{ panoramaRect: { ...IN_PANORAMA, bottom: 1.5 } }, 422, /panorama lies partly outside/],
    [{ plateId: randomUUID() }, 404, /plate/],
    [{ plateRect: { left: 'a' } }, 422, /plateRect/],
  ];
  for (const [change, status, words] of cases) {
    const answer = await measureCard(request, panorama.id, plate.id, change);
    expect(answer.status, JSON.stringify(change)).toBe(status);
    expect(JSON.stringify(answer.body)).toMatch(words);
  }
  expect(
    (await getJson<{ calibration: Calibration | null }>(request, `/panoramas/${panorama.id}/calibration`)).calibration,
  ).toBeNull();
});

async function pack(
  request: APIRequestContext,
  { panorama, setupId, take }: Pick<Measured, 'panorama' | 'setupId' | 'take'>,
): Promise<{ handoff: Handoff; folder: string }> {
  const asked = await postJson(request, '/handoffs', {
    id: randomUUID(),
    setupId,
    panoramaId: panorama.id,
    takeId: take.id,
  });
  expect(asked.status, JSON.stringify(asked.body)).toBe(202);
  const job = await ended(request, asked.body as Job);
  expect(job.state, JSON.stringify(job.error)).toBe('done');
  const handoff = (await getJson<{ items: Handoff[] }>(request, `/handoffs?setupId=${setupId}`)).items.find(
    (h) => h.id === job.resultId,
  )!;
  const zip = await (await request.get(`${HERN}/handoffs/${handoff.id}/download`)).body();
  expect(zip.length).toBe(handoff.sizeBytes);
  expect(createHash('sha256').update(zip).digest('hex')).toBe(handoff.hash);
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-pack-'));
  await fs.writeFile(path.join(folder, 'package.zip'), zip);
  execFileSync('python3', ['-m', 'zipfile', '-e', path.join(folder, 'package.zip'), folder]);
  return { handoff, folder };
}

const numbersAfter = (text: string, word: string): number[] =>
  (new RegExp(`${word} = \\(?\\s*([^\\n]*)`).exec(text)![1].match(/-?\d+(\.\d+)?(e[+-]?\d+)?/g) ?? []).map(Number);

test('a package before and after measuring: numbered, true to the light, and it says what it lacks', async ({
  request,
}) => {
  const set = await litSetup(request);
  const { panorama, take, sun } = set;
  const plain = await pack(request, set);
  const plate = await addPlate(request, take);
  expect((await measureCard(request, panorama.id, plate.id)).status).toBe(201);
  expect((await postJson(request, `/panoramas/${panorama.id}/north`, {})).status).toBe(201);
  const measured = await pack(request, set);
  try {
    expect([plain.handoff.number, measured.handoff.number]).toEqual([1, 2]);
    expect(plain.handoff.missing.join()).toMatch(/north:.*gain to the plate/);
    expect(measured.handoff.missing.join()).not.toMatch(/north:|gain to the plate|a sun/);
    const exr = async (folder: string, kind: RegExp) =>
      readExr(await fs.readFile(await fileIn(folder, kind)), 'packed').image;
    const [own, full, residual] = [
      await exr(plain.folder, /panorama_set-frame_v001\.exr$/),
      await exr(measured.folder, /panorama_v002\.exr$/),
      await exr(measured.folder, /residual_v002\.exr$/),
    ];

    // The card shows what the plate shows, where it hangs once north is found.
    const at = (image: RgbImage, azimuthDeg: number) =>
      image.data[
        3 *
          (Math.floor(((90 - CARD.elevationDeg) / 180) * image.height) * image.width +
            Math.floor(((((azimuthDeg % 360) + 360) % 360) / 360) * image.width))
      ];
    expect(at(own, CARD.azimuthDeg) / CARD_LIGHT).toBeCloseTo(1, 2);
    expect(at(full, CARD.azimuthDeg + sun.azimuthDeg - SUN_AT) / srgbToLinear(CARD_CODE / 255)).toBeCloseTo(1, 2);
    const found = detectSun(full, { clipped: false })!;
    expect(arcDeg(found.direction, directionFromAngles(sun.azimuthDeg, sun.elevationDeg))).toBeLessThan(0.1);
    expect(detectSun(residual)).toBeNull();

    // Stage: the light shines from the sun, and what was taken out of the panorama is what the light gives.
    const stage = await fs.readFile(await fileIn(measured.folder, /stage_v002\.usda$/), 'utf8');
    const light = stage.slice(stage.indexOf('def DistantLight'));
    const towards = numbersAfter(light, 'xformOp:transform').slice(8, 11) as [number, number, number];
    expect(arcDeg(towards, directionFromAngles(sun.azimuthDeg, sun.elevationDeg))).toBeLessThan(0.1);
    const [intensity] = numbersAfter(light, 'inputs:intensity');
    const colour = numbersAfter(light, 'inputs:color');
    const whole = illuminance(full, towards);
    const rest = illuminance(residual, towards);
    colour.forEach((c, i) => expect((c * intensity) / (whole[i] - rest[i])).toBeCloseTo(1, 2));
    expect(rest[1] / whole[1]).toBeLessThan(0.6);

    // Until north is known, camera and dome share no frame, and every name says so.
    const unknown = await fs.readFile(await fileIn(plain.folder, /stage_set-frame_v001\.usda$/), 'utf8');
    expect(unknown).toMatch(/north unknown/);
    expect(unknown).not.toMatch(/def Camera/);
    expect(stage).toMatch(/def Camera/);

    // The page states the same numbers, and every file is in the hash list.
    const page = await fs.readFile(path.join(measured.folder, 'readme.txt'), 'utf8');
    expect(page).toMatch(/plate units: gain -\d+\.\d+ \+- 0\.0\d+ stop/);
    const mhl = await fs.readFile(await fileIn(path.join(measured.folder, 'ascmhl'), /\.mhl$/), 'utf8');
    for (const { path: name, sizeBytes } of measured.handoff.files.filter((f) => !f.path.startsWith('ascmhl/'))) {
      const bytes = await fs.readFile(path.join(measured.folder, name));
      expect(bytes.length, name).toBe(sizeBytes);
      expect(mhl, name).toContain(createHash('sha1').update(bytes).digest('hex'));
    }
  } finally {
    await Promise.all([plain, measured].map((p) => fs.rm(p.folder, { recursive: true })));
  }
});

test("another take's package carries the gain by what differs, widens it, and says whose it is", async ({
  request,
}) => {
  const set = await litSetup(request);
  const { panorama, take, setupId } = set;
  const plate = await addPlate(request, take);
  const measured = ((await measureCard(request, panorama.id, plate.id)).body as Calibration).scale!;
  const other = await newTake(request, setupId, {
    ...TAKE,
    take: take.take + 7,
    tStop: 5.6,
    ndStops: TAKE.ndStops + 1,
    lightCondition: 'cloud over',
  });
  const [own, carried] = [await pack(request, set), await pack(request, { ...set, take: other })];
  try {
    const [a, b] = [await gainIn(own.folder), await gainIn(carried.folder)];
    expect(a).toMatchObject({ how: 'by the grey card in this take' });
    expect(a.stops).toBeCloseTo(measured.adopted.value, 3);
    expect(b.stops - a.stops).toBeCloseTo(2 * Math.log2(8 / 5.6) - 1, 3);
    expect(b.within).toBeCloseTo(Math.hypot(measured.adopted.uncertainty!, 0.1, 0.1), 3);
    expect(b.how).toMatch(/^carried from the card in Z9\/\d+A \(Corrie 35\) by what differs: T-stop, ND/);
    expect(own.handoff.missing.join()).not.toMatch(/BORROWED|own: carried/);
    expect(carried.handoff.missing[0]).toMatch(/BORROWED, this panorama is of "bench light", the take of "cloud over"/);
    expect(carried.handoff.missing.join()).toMatch(/a gain of this take's own: carried from/);
    // The list of takes states every take's own gain, whichever take the package is for.
    const csv = await fs.readFile(await fileIn(own.folder, /_takes_.*\.csv$/), 'utf8');
    const [head, ...rows] = csv.trim().split(/\r?\n/).map((l) => l.split(',')); // prettier-ignore
    const gains = rows.map((r) => Number(r[head.indexOf('gain_stops')]));
    expect(gains.sort((x, y) => x - y)).toEqual([b.stops, a.stops].sort((x, y) => x - y));
  } finally {
    await Promise.all([own, carried].map((p) => fs.rm(p.folder, { recursive: true })));
  }
});

test('the package of a flopped take is mirrored as its plate is: picture, sun and stage, and every name says so', async ({
  request,
}) => {
  const set = await litSetup(request);
  const { panorama, setupId, sun } = set;
  expect((await postJson(request, `/panoramas/${panorama.id}/north`, {})).status).toBe(201);
  const headingDeg = 100;
  const flopped = await newTake(request, setupId, {
    ...TAKE,
    headingDeg,
    heightM: 1.5,
    tiltDeg: 0,
    flopped: true,
    take: 60,
  });
  const packed = await pack(request, { ...set, take: flopped });
  try {
    const mirrored = directionFromAngles(2 * headingDeg - sun.azimuthDeg, sun.elevationDeg);
    const file = await fs.readFile(await fileIn(packed.folder, /panorama_flopped_v001\.exr$/));
    const { image, attributes } = readExr(file, 'packed');
    expect(arcDeg(detectSun(image, { clipped: false })!.direction, mirrored)).toBeLessThan(0.15);
    expect(attributes.northAligned).toBe(false);
    const stage = await fs.readFile(await fileIn(packed.folder, /stage_flopped_v001\.usda$/), 'utf8');
    const light = stage.slice(stage.indexOf('def DistantLight'));
    const towards = numbersAfter(light, 'xformOp:transform').slice(8, 11) as [number, number, number];
    expect(arcDeg(towards, mirrored)).toBeLessThan(0.15);
    expect(stage).toMatch(/def Camera/);
    const page = await fs.readFile(path.join(packed.folder, 'readme.txt'), 'utf8');
    expect(page).toMatch(
      /azimuth grows to the right; mirrored left to right as the plate is, about the camera's heading 100\.00/,
    );
  } finally {
    await fs.rm(packed.folder, { recursive: true });
  }
});

const fileIn = async (folder: string, name: RegExp) =>
  path.join(
    folder,
    (await fs.readdir(folder)).find((n) => name.test(n))!,
  );

/** What the page of a package says of its gain. */
async function gainIn(folder: string): Promise<{ stops: number; within: number; how: string }> {
  const page = await fs.readFile(path.join(folder, 'readme.txt'), 'utf8');
  const [, stops, within, how] = /gain (-?[\d.]+) \+- ([\d.]+) stop \(95 %\) (.*)/.exec(page)!;
  return { stops: Number(stops), within: Number(within), how };
}

test('another body is carried by what both bodies showed on one panorama, another round by the rig that shot both', async ({
  request,
}) => {
  const bodies = (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items;
  const gorse = bodies.find((b) => b.name === 'Gorse 16')!;
  const second = (setupId: string) =>
    newTake(request, setupId, { ...TAKE, take: 40, camera: 'B', bodyId: gorse.id, formatName: gorse.formats[0].name });
  // Half a stop more from the second body at the same settings, both seen on one panorama.
  const both = await litSetup(request);
  const a = await addPlate(request, both.take);
  const brighter = Math.round(255 * linearToSrgb(Math.SQRT2 * srgbToLinear(CARD_CODE / 255)));
  const b = await addPlate(request, await second(both.setupId), brighter);
  for (const plate of [a, b]) expect((await measureCard(request, both.panorama.id, plate.id)).status).toBe(201);

  const alone = await litSetup(request);
  const own = await addPlate(request, alone.take);
  const measured = ((await measureCard(request, alone.panorama.id, own.id)).body as Calibration).scale!.adopted;
  const other = await pack(request, { ...alone, take: await second(alone.setupId) });
  // A round of the same head where nobody held a card up.
  const rig = (await getJson<{ items: PanoramaRig[] }>(request, '/rigs')).items.find((r) => r.kind === 'oneShot')!;
  const bare = await litSetup(request);
  for (const id of [alone.panorama.roundId, bare.panorama.roundId]) {
    const round = await getJson<LightRound>(request, `/rounds/${id}`);
    expect((await patchJson(request, `/rounds/${id}`, { rigId: rig.id, version: round.version })).status).toBe(200);
  }
  const borrowed = await pack(request, bare);
  try {
    const byRatio = await gainIn(other.folder);
    expect(Math.abs(byRatio.stops - (measured.value + 0.5))).toBeLessThan(0.03);
    expect(byRatio.within).toBeLessThan(0.1);
    expect(byRatio.how).toMatch(/body \(held against each other on one panorama\)/);
    const byRig = await gainIn(borrowed.folder);
    expect(byRig.stops).toBeCloseTo(measured.value, 2);
    expect(byRig.within).toBeCloseTo(Math.hypot(measured.uncertainty!, 0.15), 2);
    expect(byRig.how).toMatch(/in Test round of the same rig by the same exposure/);
    expect(borrowed.handoff.missing.join()).toMatch(/a gain of this take's own: carried from/);
    expect(borrowed.handoff.basis.facts.map((f) => f.name)).toContain('gain that was carried');
    // The pair of cards is a fact that the package rests on; a pair that was set aside is not used, an older one would be.
    expect(other.handoff.basis.facts.filter((f) => f.name.startsWith('ratio of the bodies'))).toHaveLength(2);
  } finally {
    await Promise.all([other, borrowed].map((p) => fs.rm(p.folder, { recursive: true })));
  }
});

test('measurements stand one after the other: gone back to with what they rest on, set aside with the reason', async ({
  request,
}) => {
  const set = await litSetup(request);
  const at = `/panoramas/${set.panorama.id}`;
  const first = await addPlate(request, set.take);
  const wrong = await addPlate(request, set.take, 90);
  await postJson(request, `${at}/north`, {});
  for (const plate of [first, wrong]) expect((await measureCard(request, set.panorama.id, plate.id)).status).toBe(201);
  const list = async () => (await getJson<{ items: Calibration[] }>(request, `${at}/calibrations`)).items;
  const before = await list();
  expect(before.map((c) => c.number)).toEqual([3, 2, 1]);
  expect(before.map((c) => c.scale?.card.plateId ?? null)).toEqual([wrong.id, first.id, null]);
  const choose = (body: object) => postJson(request, `${at}/calibrations`, body);
  for (const [body, status, field] of [
    [{ part: 'scale', from: 2, reason: ' ' }, 422, 'reason'],
    [{ part: 'scale', from: 1, reason: 'the first was right' }, 422, 'from'],
    [{ part: 'colour', from: 2, reason: 'the first was right' }, 422, 'part'],
  ] as const) {
    const refused = await choose(body);
    expect(refused.status).toBe(status);
    expect(refused.body.errors[0].field).toBe(field);
  }
  const back = await choose({ part: 'scale', from: 2, reason: 'another card was marked' });
  expect(back.status, JSON.stringify(back.body)).toBe(201);
  const [now] = await list();
  expect(now).toMatchObject({ number: 4, reason: 'another card was marked', scale: { card: { plateId: first.id } } });
  // North stays, and each part rests on what it was measured by.
  expect(now.orientation).toEqual(before[0].orientation);
  const plateFact = (c: Calibration) => c.basis.facts.find((f) => f.name === 'card in the plate')!;
  expect(plateFact(now)).toEqual(plateFact(before[1]));
  expect(now.basis.facts.map((f) => f.name)).toEqual(before[0].basis.facts.map((f) => f.name));
  // A gain that was set aside is nobody's any more, older measurements included.
  await choose({ part: 'scale', from: null, reason: 'the card lay in the shade' });
  const [aside] = await list();
  expect(aside).toMatchObject({ number: 5, scale: null, reason: 'the card lay in the shade' });
  expect(aside.basis.facts.map((f) => f.name)).not.toContain('card in the plate');
  const packed = await pack(request, set);
  expect(packed.handoff.missing.join()).toMatch(/gain to the plate/);
  await fs.rm(packed.folder, { recursive: true });
});

test('a package of things that do not belong together ends with a reason', async ({ request }) => {
  const [one, other] = [await litSetup(request), await litSetup(request)];
  const asked = await postJson(request, '/handoffs', {
    id: randomUUID(),
    setupId: one.setupId,
    panoramaId: one.panorama.id,
    takeId: other.take.id,
  });
  expect((await ended(request, asked.body as Job)).error!.message).toMatch(/take belongs to another setup/);
  const mixed = await postJson(request, '/handoffs', {
    id: randomUUID(),
    setupId: one.setupId,
    panoramaId: other.panorama.id,
    takeId: one.take.id,
  });
  expect((await ended(request, mixed.body as Job)).error!.message).toMatch(/panorama belongs to another setup/);
  expect((await getJson<{ items: Handoff[] }>(request, `/handoffs?setupId=${one.setupId}`)).items).toHaveLength(0);
});
