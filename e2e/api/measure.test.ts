import { execFileSync } from 'node:child_process';
import { createHash, randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { expect, test, type APIRequestContext } from '@playwright/test';
import {
  anglesAtPixel,
  arcDeg,
  createImage,
  RELATIVE_REC709,
  detectSun,
  directionFromAngles,
  illuminance,
  photometricExposure,
  srgbToLinear,
  sunPosition,
  wrap180,
  type RgbImage,
} from '@tawny/core';
import { encodePng, readExr } from '@tawny/formats';
import type { Calibration, Handoff, Job, Location, Panorama, Plate, Station, Take } from '@tawny/contract';
import { ended, getJson, HERN, newRound, newTake, postJson, sendFiles } from '../support/api';
import { panoramaFile } from '../support/frames';

/** Where things stand in the panorama's own frame, before anybody knows north. */
const SUN_AT = 250;
const CARD = { azimuthDeg: 100, elevationDeg: -5, acrossDeg: 12, upDeg: 8 };
const WIDTH = 1024;
const CARD_CODE = 124;
const TAKE = { tStop: 8, ei: 800, shutterAngleDeg: 180, fps: 24, ndStops: 4 };
/** Of the plate by its take's log: shutter 1/48 s. */
const PLATE_EXPOSURE = photometricExposure({
  shutterS: 1 / 48,
  iso: TAKE.ei,
  tStop: TAKE.tStop,
  ndStops: TAKE.ndStops,
});
/** What the card sends, in panorama units: a fifth of a stop less than the tags of both cameras promise. */
const CARD_LIGHT = (srgbToLinear(CARD_CODE / 255) / PLATE_EXPOSURE) * 2 ** 0.2;
const SUN_LIGHT = 6e7;

/** Sky, ground, a card and a round sun at a given elevation, sampled on the pixel grid. */
function litSet(sunElevationDeg: number): RgbImage {
  const image = createImage(WIDTH, WIDTH / 2, RELATIVE_REC709);
  const sun = directionFromAngles(SUN_AT, sunElevationDeg);
  const fine = 8;
  for (let y = 0; y < WIDTH / 2; y++) {
    for (let x = 0; x < WIDTH; x++) {
      const { azimuthDeg, elevationDeg } = anglesAtPixel(x, y, WIDTH, WIDTH / 2);
      const onCard =
        Math.abs(wrap180(azimuthDeg - CARD.azimuthDeg)) < CARD.acrossDeg / 2 &&
        Math.abs(elevationDeg - CARD.elevationDeg) < CARD.upDeg / 2;
      let light = onCard ? CARD_LIGHT : elevationDeg > 0 ? 2000 : 500;
      if (arcDeg(sun, directionFromAngles(azimuthDeg, elevationDeg)) < 1.5) {
        let inside = 0;
        for (let k = 0; k < fine * fine; k++) {
          const at = anglesAtPixel(
            x - 0.5 + ((k % fine) + 0.5) / fine,
            y - 0.5 + (Math.floor(k / fine) + 0.5) / fine,
            WIDTH,
            WIDTH / 2,
          );
          if (arcDeg(sun, directionFromAngles(at.azimuthDeg, at.elevationDeg)) < 0.2665) inside++;
        }
        light += (SUN_LIGHT * inside) / (fine * fine);
      }
      image.data.fill(light, 3 * (y * WIDTH + x), 3 * (y * WIDTH + x) + 3);
    }
  }
  return image;
}

interface Measured {
  panorama: Panorama;
  setupId: string;
  take: Take;
  /** Where the sun really stood. */
  sun: { azimuthDeg: number; elevationDeg: number };
}

/** A setup with a take and a panorama whose sun stands where it stood; `leanDeg` puts it wrong by so much. */
async function litSetup(request: APIRequestContext, leanDeg = 0): Promise<Measured> {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  const place = (await getJson<{ items: Location[] }>(request, '/locations')).items.find(
    (l) => l.name === 'Gannet Staithe',
  )!;
  const sun = sunPosition(place, new Date(round.shotAt));
  const { setupId } = await getJson<Station>(request, `/stations/${round.stationId}`);
  const job = (
    await sendFiles(request, `/rounds/${round.id}/panoramas`, [
      await panoramaFile('lit.exr', litSet(sun.elevationDeg + leanDeg)),
    ])
  ).body as Job;
  const done = await ended(request, job);
  expect(done.state, JSON.stringify(done.error)).toBe('done');
  return {
    panorama: await getJson<Panorama>(request, `/panoramas/${done.resultId}`),
    setupId,
    take: await newTake(request, setupId, TAKE),
    sun,
  };
}

/** An even plate: the card fills the frame. */
async function addPlate(request: APIRequestContext, take: Take, code = CARD_CODE): Promise<Plate> {
  const codes = new Uint8Array(320 * 180 * 3).fill(code);
  const sent = await sendFiles(request, `/takes/${take.id}/plates`, [
    { name: 'plate.png', mimeType: 'image/png', buffer: await encodePng(codes, 320, 180) },
  ]);
  expect(sent.status, JSON.stringify(sent.body)).toBe(201);
  return sent.body.items[0] as Plate;
}

const IN_PLATE = { left: 0.3, top: 0.3, right: 0.7, bottom: 0.7 };
/** Well inside the card, as shares of the panorama. */
const IN_PANORAMA = {
  left: (CARD.azimuthDeg - 4) / 360,
  right: (CARD.azimuthDeg + 4) / 360,
  top: (90 - CARD.elevationDeg - 2) / 180,
  bottom: (90 - CARD.elevationDeg + 2) / 180,
};

const measureCard = (request: APIRequestContext, panoramaId: string, plateId: string, more: object = {}) =>
  postJson(request, `/panoramas/${panoramaId}/card`, {
    plateId,
    plateRect: IN_PLATE,
    panoramaRect: IN_PANORAMA,
    ...more,
  });

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
  const gain = (card.body as Calibration).gain!;
  expect(gain.cardStops).toBeCloseTo(Math.log2(srgbToLinear(CARD_CODE / 255) / CARD_LIGHT), 2);
  for (const stops of gain.channelStops) expect(stops).toBeCloseTo(gain.cardStops, 3);
  expect(gain.disagreementStops).toBeCloseTo(-0.2, 2);
  expect(gain.agrees).toBe(true);

  const north = (await postJson(request, `/panoramas/${panorama.id}/north`, {})).body as Calibration;
  const yaw = wrap180(sun.azimuthDeg - SUN_AT);
  expect(Math.abs(wrap180(north.north!.yawDeg - yaw))).toBeLessThan(Math.min(0.1, north.north!.uncertaintyDeg));
  expect(north.north).toMatchObject({ agrees: true });
  expect(north).toMatchObject({ number: 2, gain: { cardStops: gain.cardStops } });
  expect(
    (await getJson<{ calibration: Calibration }>(request, `/panoramas/${panorama.id}/calibration`)).calibration,
  ).toMatchObject({ id: north.id, number: 2 });
});

test('a worse level and a worse clock widen the stated interval of north', async ({ request }) => {
  const { panorama } = await litSetup(request);
  const north = async (input: object) =>
    ((await postJson(request, `/panoramas/${panorama.id}/north`, input)).body as Calibration).north!;
  const usual = await north({});
  const leaning = await north({ levelDeg: 2 });
  const late = await north({ clockS: 600 });
  expect(leaning.yawDeg).toBeCloseTo(usual.yawDeg, 9);
  expect(leaning.uncertaintyDeg).toBeGreaterThan(2 * Math.tan((usual.computedElevationDeg * Math.PI) / 180));
  // The sun goes about a quarter of a degree a minute.
  expect(late.uncertaintyDeg).toBeGreaterThan(1.8);
  expect(late.uncertaintyDeg).toBeLessThan(3.5);
  const absurd = await postJson(request, `/panoramas/${panorama.id}/north`, { levelDeg: 0 });
  expect(absurd).toMatchObject({ status: 422 });
  expect(absurd.body.errors[0].field).toBe('levelDeg');
});

test('a sun too high for its hour is told: clock, zone, place or level are wrong', async ({ request }) => {
  const { panorama } = await litSetup(request, 3);
  const { north } = (await postJson(request, `/panoramas/${panorama.id}/north`, {})).body as Calibration;
  expect(north).toMatchObject({ agrees: false });
  expect(north!.elevationDifferenceDeg).toBeCloseTo(3, 1);
});

test('a filter that nobody logged shows as a disagreement of its stops', async ({ request }) => {
  const { panorama, take, setupId } = await litSetup(request);
  const forgetful = await newTake(request, setupId, { ...TAKE, ndStops: 0, take: take.take + 1 });
  const gain = ((await measureCard(request, panorama.id, (await addPlate(request, forgetful)).id)).body as Calibration)
    .gain!;
  expect(gain.disagreementStops).toBeCloseTo(-4.2, 2);
  expect(gain.agrees).toBe(false);
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
    const file = async (folder: string, kind: RegExp) =>
      path.join(
        folder,
        (await fs.readdir(folder)).find((n) => kind.test(n))!,
      );
    const exr = async (folder: string, kind: RegExp) =>
      readExr(await fs.readFile(await file(folder, kind)), 'packed').image;
    const [own, full, residual] = [
      await exr(plain.folder, /panorama_v001\.exr$/),
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
    const stage = await fs.readFile(await file(measured.folder, /stage_v002\.usda$/), 'utf8');
    const light = stage.slice(stage.indexOf('def DistantLight'));
    const towards = numbersAfter(light, 'xformOp:transform').slice(8, 11) as [number, number, number];
    expect(arcDeg(towards, directionFromAngles(sun.azimuthDeg, sun.elevationDeg))).toBeLessThan(0.1);
    const [intensity] = numbersAfter(light, 'inputs:intensity');
    const colour = numbersAfter(light, 'inputs:color');
    const whole = illuminance(full, towards);
    const rest = illuminance(residual, towards);
    colour.forEach((c, i) => expect((c * intensity) / (whole[i] - rest[i])).toBeCloseTo(1, 2));
    expect(rest[1] / whole[1]).toBeLessThan(0.6);

    // The page states the same numbers, and every file is in the hash list.
    const page = await fs.readFile(path.join(measured.folder, 'readme.txt'), 'utf8');
    expect(page).toMatch(/plate units: gain -\d+\.\d+ \+- 0\.0\d+ stop/);
    const mhl = await fs.readFile(await file(path.join(measured.folder, 'ascmhl'), /\.mhl$/), 'utf8');
    for (const { path: name, sizeBytes } of measured.handoff.files.filter((f) => !f.path.startsWith('ascmhl/'))) {
      const bytes = await fs.readFile(path.join(measured.folder, name));
      expect(bytes.length, name).toBe(sizeBytes);
      expect(mhl, name).toContain(createHash('sha1').update(bytes).digest('hex'));
    }
  } finally {
    await Promise.all([plain, measured].map((p) => fs.rm(p.folder, { recursive: true })));
  }
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
