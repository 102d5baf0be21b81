import { randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import { expect, test } from '@playwright/test';
import { srgbToLinear, wrap180, yawQuaternion } from '@tawny/core';
import type { Calibration, Reference, ReferenceObject } from '@tawny/contract';
import { getJson, newTake, patchJson, postJson, removeJson, sendFiles } from '../support/api';
import {
  PLATE_EXPOSURE,
  addPlate,
  CARD_CODE,
  CARD_LIGHT,
  boxOf,
  evenPng,
  FINE_WIDTH,
  litSetup,
  measureCard,
  SUN_AT,
  TAKE,
} from '../support/lit';
import { pack } from '../support/packages';

test("north by the sun is where the almanac puts it; the second measurement keeps the first one's gain", async ({
  request,
}) => {
  const { panorama, take, sun } = await litSetup(request, 0, 'blue', FINE_WIDTH);
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
  yawQuaternion(adopted.value).forEach((v, k) => expect(rotation[k]).toBeCloseTo(v, 12));
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
  const { panorama } = await litSetup(request, 3, 'blue', FINE_WIDTH);
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
    [{ plateCorners: boxOf(0.5, 0.5, 0.504, 0.504) }, 422, /marked in the plate is only/],
    [{ plateCorners: boxOf(0.9, 0.1, 1.4, 0.4) }, 422, /plate lies partly outside/],
    [{ panoramaCorners: boxOf(0, 30, 170, -30) }, 422, /corners: they do not go round/],
    [{ plateId: randomUUID() }, 404, /plate/],
    [{ plateCorners: [['a', 0]] }, 422, /plateCorners/],
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
    [{ part: 'colour', from: 2, reason: 'the first was right' }, 422, 'from'],
    [{ part: 'level', from: 2, reason: 'the first was right' }, 422, 'part'],
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

test('a card that was photographed with the take’s camera is measured like one in its plate; without its take it is asked for', async ({
  request,
}) => {
  const { panorama, take, setupId } = await litSetup(request);
  const buffer = await evenPng(new Uint8Array(320 * 180 * 3).fill(CARD_CODE), 'srgb');
  const send = async (more: string) =>
    (await sendFiles(request, `/references?setupId=${setupId}&kind=greyCard${more}`, [{ name: 'card.png', mimeType: 'image/png', buffer }])).body.items[0] as Reference; // prettier-ignore
  const loose = await send('');
  const asked = await postJson(request, `/references/${loose.id}/plates`, {});
  expect([asked.status, asked.body.code, asked.body.errors[0].field]).toEqual([422, 'no-take', 'takeId']);
  const told = await patchJson(request, `/references/${loose.id}`, {
    takeId: take.id,
    decoding: { curve: 'srgb', range: 'full', primaries: 'rec709' },
    version: loose.version,
  });
  expect(told.status, JSON.stringify(told.body)).toBe(200);
  const made = await postJson(request, `/references/${loose.id}/plates`, {});
  expect(made.status, JSON.stringify(made.body)).toBe(201);
  // What its codes were said to mean goes with it.
  expect(made.body).toMatchObject({ takeId: take.id, name: 'card.png', referenceId: loose.id, decoding: { from: 'entered' } }); // prettier-ignore
  const scale = ((await measureCard(request, panorama.id, made.body.id)).body as Calibration).scale!;
  expect(Math.abs(scale.sources[0].value - scale.sources[1].value)).toBeGreaterThan(0.1);
  const plate = await addPlate(request, await newTake(request, setupId, { ...TAKE, take: 90, shotAt: take.shotAt }));
  expect(plate.referenceId).toBeNull();
  const own = ((await measureCard(request, panorama.id, plate.id)).body as Calibration).scale!;
  expect(scale.sources[0].value).toBeCloseTo(own.sources[0].value, 2);
  // The same again is the same plate.
  expect((await postJson(request, `/references/${loose.id}/plates`, {})).body.id).toBe(made.body.id);
  // It is no frame of the take: a clean plate is not held against it.
  const clean = (await sendFiles(request, `/references?setupId=${setupId}&kind=cleanPlate&takeId=${take.id}`, [{ name: 'clean.png', mimeType: 'image/png', buffer: await evenPng(new Uint8Array(320 * 180 * 3).fill(90), 'srgb') }])).body.items[0] as Reference; // prettier-ignore
  const compared = await postJson(request, `/references/${clean.id}/compare`, {});
  expect([compared.status, compared.body.code]).toEqual([422, 'no-plate']);
});

test('of two cards in the kit the one that was held up is named; unnamed, its reflectance is the nominal one and no fact', async ({
  request,
}) => {
  const { panorama, take } = await litSetup(request);
  const plate = await addPlate(request, take);
  const of = async (more: object) => (await measureCard(request, panorama.id, plate.id, more)).body as Calibration;
  const facts = ({ basis }: Calibration) => basis.facts.map((f) => f.name);
  const second = await postJson(request, '/objects', { id: randomUUID(), name: 'Dark card', kind: 'greyCard', reflectance: 0.09, measuredOn: '2026-10-01' }); // prettier-ignore
  expect(second.status, JSON.stringify(second.body)).toBe(201);
  const unnamed = await of({});
  expect(unnamed.scale!.card).toMatchObject({ reflectance: 0.18, reflectanceStops: 0.1 });
  expect(facts(unnamed)).not.toContain('reflectance of the card');
  const named = await of({ referenceObjectId: second.body.id });
  expect(named.scale!.card).toMatchObject({ reflectance: 0.09, reflectanceStops: 0.03 });
  expect(facts(named)).toContain('reflectance of the card');
  // The gain is a ratio: no reflectance touches it.
  expect(named.scale!.adopted.value).toBeCloseTo(unnamed.scale!.adopted.value, 9);
  const foreign = await measureCard(request, panorama.id, plate.id, { referenceObjectId: randomUUID() });
  expect(foreign.status).toBe(404);
  const balls = (await getJson<{ items: ReferenceObject[] }>(request, '/objects')).items.filter((o) => o.kind === 'greyBall'); // prettier-ignore
  const ball = await measureCard(request, panorama.id, plate.id, { referenceObjectId: balls[0].id });
  expect(ball.status).toBe(422);
  expect(ball.body).toMatchObject({ errors: [{ field: 'referenceObjectId', message: `${balls[0].name} is no grey card` }] }); // prettier-ignore
  expect((await removeJson(request, `/objects/${second.body.id}?version=${second.body.version}`)).status).toBeLessThan(
    300,
  );
});
