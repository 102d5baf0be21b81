import { randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import { expect, test, type APIRequestContext } from '@playwright/test';
import type { Calibration, Exposures, Panorama } from '@tawny/contract';
import { directionFromAngles, dot, linearToSrgb, srgbToLinear, type Vec3 } from '@tawny/core';
import { getJson, newTake, postJson, removeJson } from '../support/api';
import {
  addPlate,
  boxOf,
  CARD_CODE,
  CARD_LIGHT,
  evenPng,
  IN_PLATE,
  FINE_WIDTH,
  litSetup,
  measureCard,
  sendPlate,
  SUN_LIGHT,
  TAKE,
} from '../support/lit';
import { fileIn, pack } from '../support/packages';

const PX = { width: 320, height: 180 };
const BALL = { x: 170, y: 95, radius: 50 };
const BOX = boxOf(
  (BALL.x - BALL.radius) / PX.width,
  (BALL.y - BALL.radius) / PX.height,
  (BALL.x + BALL.radius) / PX.width,
  (BALL.y + BALL.radius) / PX.height,
);

/** What the set of `litSet` throws on a plane: its sun, and a sky four times as bright as its ground. */
const SUN_FLUX = SUN_LIGHT * 2 * Math.PI * (1 - Math.cos((0.2665 * Math.PI) / 180));
const onPlane = (n: Vec3, sun: Vec3) => SUN_FLUX * Math.max(0, dot(n, sun)) + Math.PI * (1250 + 750 * n[1]);

/** A matt ball far away, as Lambert has it; `light` in the panorama's units by the normal, in the frame of a camera that looks along -Z. */
const ballPlate = (light: (normal: Vec3) => number, gain: number) => {
  const codes = new Uint8Array(3 * PX.width * PX.height).fill(60);
  for (let y = 0; y < PX.height; y++) {
    for (let x = 0; x < PX.width; x++) {
      const [u, v] = [(x + 0.5 - BALL.x) / BALL.radius, (BALL.y - y - 0.5) / BALL.radius];
      if (u * u + v * v >= 1) continue;
      const seen = gain * (0.18 / Math.PI) * light([u, v, Math.sqrt(1 - u * u - v * v)]);
      codes.fill(Math.round(255 * linearToSrgb(seen)), 3 * (y * PX.width + x), 3 * (y * PX.width + x) + 3);
    }
  }
  return evenPng(codes, 'srgb');
};

const surface = (request: APIRequestContext, panorama: Panorama, body: object) =>
  postJson(request, `/panoramas/${panorama.id}/surface`, { plateCorners: IN_PLATE, ...body });

test('a card that only the plate shows: what the panorama throws on level ground tells the gain, widely; a card in both counts before it', async ({
  request,
}) => {
  const { panorama, take, setupId } = await litSetup(request);
  const thrown = (0.18 * panorama.illuminanceHorizontal) / Math.PI;
  // As bright as the card that both pictures show makes it by its gain.
  const code = Math.round(255 * linearToSrgb((thrown * srgbToLinear(CARD_CODE / 255)) / CARD_LIGHT));
  const plate = await addPlate(request, take, code);
  const { status, body } = await surface(request, panorama, { plateId: plate.id, kind: 'level' });
  expect(status, JSON.stringify(body)).toBe(201);
  const { scale } = body as Calibration;
  const own = scale!.sources[0];
  expect(own).toMatchObject({ name: 'Level card', provenance: { kind: 'measured' } });
  expect(own.value + scale!.card.falloffStops).toBeCloseTo(Math.log2(srgbToLinear(code / 255) / thrown), 1);
  expect(own.uncertainty).toBeGreaterThan(0.5);
  expect(scale!.card).toMatchObject({ panoramaCorners: null, channelStops: [], surface: { kind: 'level', headingDeg: null } }); // prettier-ignore
  expect((body as Calibration).basis.facts.map((f) => f.name)).toEqual(
    expect.arrayContaining(['light of the panorama', 'surface in the plate', 'reflectance of the surface']),
  );
  // Which way an upright one faces nobody knows.
  const upright = (await surface(request, panorama, { plateId: plate.id, kind: 'upright' })).body as Calibration;
  expect(upright.scale!.sources[0].uncertainty).toBeGreaterThan(scale!.sources[0].uncertainty);

  const exposures = () => getJson<Exposures>(request, `/panoramas/${panorama.id}/exposures`);
  const alone = (await exposures()).takes.find((t) => t.takeId === take.id)!;
  // Another take's card is in both pictures: the first one is carried from it, narrower than the plate alone tells.
  const second = await newTake(request, setupId, { ...TAKE, take: 31, lightCondition: 'bench light', shotAt: take.shotAt }); // prettier-ignore
  const inBoth = await measureCard(request, panorama.id, (await addPlate(request, second)).id);
  expect(inBoth.status).toBe(201);
  const joined = await exposures();
  expect(joined.sources.map((s) => s.name)).toEqual(expect.arrayContaining([expect.stringMatching(/^surface in /), expect.stringMatching(/^card in /)])); // prettier-ignore
  expect(joined.takes.find((t) => t.takeId === take.id)!.uncertaintyStops!).toBeLessThan(alone.uncertaintyStops!);
});

test('a grey ball tells the gain and where the camera looked; one that is lit otherwise is said', async ({
  request,
}) => {
  const { panorama, take, setupId, sun } = await litSetup(request, 0, 'blue', FINE_WIDTH);
  const towards = directionFromAngles(panorama.sun!.azimuthDeg - 200, sun.elevationDeg);
  const plate = await sendPlate(request, take, await ballPlate((n) => onPlane(n, towards), 2 ** -13));
  const { status, body } = await surface(request, panorama, { plateId: plate.id, plateCorners: BOX, kind: 'greyBall' });
  expect(status, JSON.stringify(body)).toBe(201);
  const { card, sources } = (body as Calibration).scale!;
  expect(Math.abs(card.surface!.headingDeg! - 200)).toBeLessThan(15);
  expect(Math.abs(sources[0].value + card.falloffStops + 13)).toBeLessThan(0.15);
  expect(sources[0].uncertainty).toBeLessThan(0.8);
  expect(card.surface!.litOtherwise).toBe(false);
  // Of two balls in the kit nobody named the one: what was taken for its reflectance stands on the package's page.
  const second = await postJson(request, '/objects', { id: randomUUID(), name: 'Dark ball', kind: 'greyBall', diameterMm: 200, reflectance: 0.09, measuredOn: '2026-10-01' }); // prettier-ignore
  expect(second.status, JSON.stringify(second.body)).toBe(201);
  expect((await surface(request, panorama, { plateId: plate.id, plateCorners: BOX, kind: 'greyBall' })).status).toBe(
    201,
  );
  const packed = await pack(request, { panorama, take, setupId });
  const page = await fs.readFile(await fileIn(packed.folder, /readme\.txt$/), 'utf8');
  expect(page).toMatch(/reflectance of the surface assumed: 0.18, as such things usually have/);
  expect((await removeJson(request, `/objects/${second.body.id}?version=${second.body.version}`)).status).toBe(200);
  await fs.rm(packed.folder, { recursive: true });

  // Lit from below, by a lamp that the panorama does not have.
  const lamp = directionFromAngles(30, -50);
  const below = await sendPlate(
    request,
    take,
    await ballPlate((n) => 300 + 20000 * Math.max(0, dot(n, lamp)), 2 ** -13),
  );
  const other = await surface(request, panorama, { plateId: below.id, plateCorners: BOX, kind: 'greyBall' });
  expect((other.body as Calibration).scale!.card.surface!.litOtherwise).toBe(true);
});

test('what cannot be measured is refused by name, and nothing is stored', async ({ request }) => {
  const { panorama, take } = await litSetup(request);
  const plate = await addPlate(request, take);
  const small = boxOf(0.5, 0.5, 0.52, 0.53);
  const refused = await surface(request, panorama, { plateId: plate.id, plateCorners: small, kind: 'greyBall' });
  expect(refused.status).toBe(422);
  expect(refused.body.detail).toMatch(/only 6 pixels across/);
  const outside = boxOf(0.8, 0.2, 1.2, 0.9);
  expect((await surface(request, panorama, { plateId: plate.id, plateCorners: outside, kind: 'chromeBall' })).body.detail).toMatch(/partly outside/); // prettier-ignore
  expect((await getJson<{ calibration: Calibration | null }>(request, `/panoramas/${panorama.id}/calibration`)).calibration).toBeNull(); // prettier-ignore
});
