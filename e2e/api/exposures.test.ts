import fs from 'node:fs/promises';
import { expect, test, type APIRequestContext } from '@playwright/test';
import type {
  Calibration,
  CameraBody,
  Exposures,
  Handoff,
  LightRound,
  Reading,
  Setup,
  Station,
  Take,
} from '@tawny/contract';
import { linearToSrgb, srgbToLinear } from '@tawny/core';
import { getJson, newTake, patchJson, postJson } from '../support/api';
import { addPlate, CARD, CARD_CODE, CARD_LIGHT, litSetup, measureCard, TAKE, onlyPlanned, WIDTH } from '../support/lit';
import { pack } from '../support/packages';

const exposures = (request: APIRequestContext, panoramaId: string) =>
  getJson<Exposures>(request, `/panoramas/${panoramaId}/exposures`);
/** A card's code in a plate that is so many stops brighter than the usual one. */
const brighter = (stops: number) => Math.round(255 * linearToSrgb(2 ** stops * srgbToLinear(CARD_CODE / 255)));
const named = ({ slate, take, camera }: Take) => `${slate}/${take}${camera}`;

test('cards in three takes agree; a take without one and another body are carried, wider', async ({ request }) => {
  const { panorama, take, setupId } = await litSetup(request);
  const under = { lightCondition: 'bench light', shotAt: take.shotAt };
  const second = await newTake(request, setupId, { ...TAKE, take: 31, tStop: 11, ...under });
  const third = await newTake(request, setupId, { ...TAKE, take: 32, ...under });
  const bare = await newTake(request, setupId, { ...TAKE, take: 33, ndStops: 3, ...under });
  const bodies = (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items;
  const gorse = bodies.find((b) => b.name === 'Gorse 16')!;
  const other = await newTake(request, setupId, { ...TAKE, take: 34, camera: 'B', bodyId: gorse.id, formatName: gorse.formats[0].name, ...under }); // prettier-ignore
  for (const [of, stops] of [
    [take, 0],
    [second, 2 * Math.log2(8 / 2 ** 3.5)],
    [third, 0],
  ] as const) {
    const plate = await addPlate(request, of, brighter(stops));
    expect((await measureCard(request, panorama.id, plate.id)).status).toBe(201);
  }
  const found = await exposures(request, panorama.id);
  expect(found.faults).toEqual([]);
  const of = (t: Take) => found.takes.find((x) => x.takeId === t.id)!;
  for (const t of [take, second, third])
    expect(of(t)).toMatchObject({ verdict: 'agrees', cards: [{ what: 'grey card', part: 'scale' }] });
  expect(of(bare)).toMatchObject({ name: named(bare), cards: [] });
  expect(of(bare).gainStops - of(take).gainStops).toBeCloseTo(1, 1);
  expect(of(bare).uncertaintyStops!).toBeGreaterThan(of(take).uncertaintyStops!);
  expect(of(other).body).toBe('Gorse 16');
  expect(of(other).uncertaintyStops!).toBeGreaterThan(0.25);
  expect(found.sources.map((s) => s.name)).toContain(`settings of ${named(bare)}`);
  expect(found.absolute).toBeNull();
});

test('one card of three is set aside: the others count on, a package that used it is stale, going back counts it again', async ({
  request,
}) => {
  const set = await litSetup(request);
  const { panorama, take, setupId } = set;
  const at = `/panoramas/${panorama.id}`;
  const second = await newTake(request, setupId, {
    ...TAKE,
    take: 36,
    lightCondition: 'bench light',
    shotAt: take.shotAt,
  });
  for (const [of, stops] of [[take, 0], [take, 0.2], [second, 0.6]] as const) {
    const plate = await addPlate(request, of, brighter(stops));
    expect((await measureCard(request, panorama.id, plate.id)).status).toBe(201);
  } // prettier-ignore
  // Colours of the same panorama are measured after: they keep the gain of before, and what is said of it.
  expect((await postJson(request, `${at}/north`, {})).status).toBe(201);
  const packed = await pack(request, set);
  const cardsOf = async (t: Take) =>
    (await exposures(request, panorama.id)).takes.find((x) => x.takeId === t.id)!.cards;
  const list = async () => (await getJson<{ items: Calibration[] }>(request, `${at}/calibrations`)).items;
  const [own] = await cardsOf(take);
  expect(own).toMatchObject({ what: 'grey card', part: 'scale', number: 2 });
  const aside = (body: object) => postJson(request, `${at}/calibrations/aside`, { part: 'scale', reason: 'it lay in the shade', ...body }); // prettier-ignore
  for (const [body, field] of [
    [{ number: own.number, reason: '' }, 'reason'],
    [{ number: own.number, part: 'orientation' }, 'part'],
    [{ number: 1 }, 'number'],
    [{ number: own.number, part: 'colour' }, 'number'],
  ] as const) {
    const refused = await aside(body);
    expect(refused.status, JSON.stringify(body)).toBe(422);
    expect(refused.body.errors[0].field).toBe(field);
  }
  // The first take's older card comes not back for the newer one.
  expect((await aside({ number: own.number })).status).toBe(201);
  expect(await cardsOf(take)).toEqual([]);
  expect(await cardsOf(second)).toHaveLength(1);
  const before = await list();
  expect(before.map((c) => c.aside.scale ?? null)).toEqual([null, null, 'it lay in the shade', 'it lay in the shade']);
  const [stale] = (await getJson<{ items: Handoff[] }>(request, `/handoffs?setupId=${setupId}`)).items;
  expect(packed.handoff.basis.changed).toEqual([]);
  expect(stale.basis.changed.join()).toMatch(/grey card|card/);
  expect((await aside({ number: own.number })).body.errors[0].field).toBe('number');
  // The panorama's own goes: there is no other one.
  const [last] = await cardsOf(second);
  expect(((await aside({ number: last.number })).body as Calibration).scale).toBeNull();
  expect((await postJson(request, `${at}/calibrations`, { part: 'scale', from: 1, reason: 'it did not' })).status).toBe(
    201,
  );
  expect(await cardsOf(take)).toHaveLength(1);
  await fs.rm(packed.folder, { recursive: true });
});

test('a filter that nobody logged is named at its take, and a reading whose plane is not known is said', async ({
  request,
}) => {
  const { panorama, take, setupId } = await litSetup(request);
  const takes = [take];
  for (const [k, stops] of [0, 0, -2].entries()) {
    const next = await newTake(request, setupId, { ...TAKE, take: 41 + k, shotAt: take.shotAt });
    takes.push(next);
    const plate = await addPlate(request, next, brighter(stops));
    expect((await measureCard(request, panorama.id, plate.id)).status).toBe(201);
  }
  const own = await addPlate(request, take);
  expect((await measureCard(request, panorama.id, own.id)).status).toBe(201);
  const reading = await postJson(request, '/readings', { id: crypto.randomUUID(), setupId, kind: 'lux', shown: 1200, takenAt: take.shotAt }); // prettier-ignore
  expect(reading.status, JSON.stringify(reading.body)).toBe(201);
  const found = await exposures(request, panorama.id);
  const dark = takes[3];
  expect(found.faults).toHaveLength(1);
  expect(found.faults[0]).toMatchObject({ cause: 'nd', sources: [`settings of ${named(dark)}`] });
  expect(found.faults[0].amountStops).toBeCloseTo(-2, 1);
  const gain = (t: Take) => found.takes.find((x) => x.takeId === t.id)!.gainStops;
  expect(gain(dark) - gain(take)).toBeCloseTo(-2, 1);
  expect(found.unused).toEqual([{ name: '1200 lux', why: 'nobody said where its plane faced' }]);
});

test('a spot meter on the card tells what a unit of the panorama is worth; a dome, or one pointed nowhere, tells why not', async ({
  request,
}) => {
  const { panorama, take, setupId } = await litSetup(request);
  const plate = await addPlate(request, take);
  expect((await measureCard(request, panorama.id, plate.id)).status).toBe(201);
  const read = (more: object) =>
    postJson(request, '/readings', { id: crypto.randomUUID(), setupId, takenAt: take.shotAt, ...more });
  // A tenth of a stop more than the rig's nominal sensitivity promises.
  const cdm2 = Math.round(1.2 * CARD_LIGHT * 2 ** 0.1);
  const before = await read({ kind: 'spot', shown: cdm2 });
  expect(before.status, JSON.stringify(before.body)).toBe(201);
  await read({ kind: 'lux', shown: 900, receptor: 'dome', planeAzimuthDeg: 0, planeElevationDeg: 90 });
  const blind = await exposures(request, panorama.id);
  expect(blind.absolute).toBeNull();
  expect(blind.unused.map((u) => u.why).sort()).toEqual([
    'a dome has no plane: the flat receptor tells',
    'nobody said where it was pointed',
  ]);
  const north = await postJson(request, `/panoramas/${panorama.id}/north`, {});
  const yaw = (north.body as Calibration).orientation!.adopted.value;
  const pointed = await read({ kind: 'spot', shown: cdm2, planeAzimuthDeg: (CARD.azimuthDeg + yaw + 360) % 360, planeElevationDeg: CARD.elevationDeg }); // prettier-ignore
  const found = await exposures(request, panorama.id);
  // Between what the rig promises (to 0.3 stop) and what the meter, of which nobody knows more, shows.
  const stops = Math.log2(found.absolute!.whiteLuminance / 1.2);
  expect(stops).toBeGreaterThan(0.02);
  expect(stops).toBeLessThan(0.1);
  expect(found.absolute!.uncertaintyStops).toBeLessThan(0.25);
  expect(found.absolute!.provenance).toBe('measured');
  expect(found.sources.map((s) => s.name).join()).toMatch(new RegExp(`${cdm2} cd/m² at`));
  // Had nobody said when it was read, the light's drift would stand between.
  const { id, version, takenAtFrom } = pointed.body as Reading;
  expect([takenAtFrom, found.timesAssumed]).toEqual(['logged', []]);
  expect((await patchJson(request, `/readings/${id}`, { takenAtFrom: 'assumed', version })).status).toBe(200);
  const vague = await exposures(request, panorama.id);
  expect(vague.timesAssumed).toEqual([{ name: `${cdm2} cd/m²`, withinS: 7200 }]);
  expect(vague.absolute!.uncertaintyStops).toBeGreaterThan(found.absolute!.uncertaintyStops + 0.02);
});

test('what a rig makes of light is kept: its next round is predicted by it, wider by what does not come back, and is no witness of itself', async ({
  request,
}) => {
  const sensitivity = { stops: 0.4, uncertaintyStops: 0.08, measuredOn: '2026-10-01', roundId: crypto.randomUUID() };
  const { panorama, take } = await litSetup(request, 0, 'blue', WIDTH, { sensitivity });
  const plate = await addPlate(request, take);
  expect((await measureCard(request, panorama.id, plate.id)).status).toBe(201);
  const found = await exposures(request, panorama.id);
  expect(found.absolute!.provenance).toBe('predicted');
  // The card ties the plate's body to it, which is nominal to half a stop: it draws the unit a little.
  expect(Math.log2(1.2 / found.absolute!.whiteLuminance)).toBeCloseTo(0.4, 1);
  expect(found.absolute!.uncertaintyStops).toBeGreaterThan(0.15);
  expect(found.absolute!.uncertaintyStops).toBeLessThanOrEqual(Math.hypot(0.08, 0.15));
  expect(found.sources.map((s) => s.name)).toContain("the rig's sensitivity, measured 2026-10-01");
  const { version, rig } = await getJson<LightRound>(request, `/rounds/${panorama.roundId}`);
  const own = { ...rig, sensitivity: { ...sensitivity, roundId: panorama.roundId } };
  expect((await patchJson(request, `/rounds/${panorama.roundId}`, { rig: own, version })).status).toBe(200);
  expect((await exposures(request, panorama.id)).absolute).toBeNull();
  const wrong = { ...rig, sensitivity: { ...sensitivity, uncertaintyStops: 0 } };
  const refused = await patchJson(request, `/rounds/${panorama.roundId}`, { rig: wrong, version: version + 1 });
  expect(refused.status).toBe(422);
  expect(refused.body.errors[0].field).toBe('rig.sensitivity.uncertaintyStops');
});

test('the light changes by the sun’s height: minutes between plate and round widen a card, and daylight checks the scale', async ({
  request,
}) => {
  const { panorama, take, setupId } = await litSetup(request);
  const { shotAt } = await getJson<{ shotAt: string }>(request, `/rounds/${panorama.roundId}`);
  const later = (minutes: number) => new Date(new Date(shotAt).getTime() + 60e3 * minutes).toISOString();
  const [near, far, whenever] = [
    await newTake(request, setupId, { ...TAKE, take: 71, shotAt: later(1) }),
    await newTake(request, setupId, { ...TAKE, take: 72, shotAt: later(30) }),
    await newTake(request, setupId, { ...TAKE, take: 73, shotAt: later(1), shotAtFrom: 'assumed' }),
  ];
  const gains = [];
  for (const of of [near, far, whenever]) {
    const plate = await addPlate(request, of);
    gains.push(((await measureCard(request, panorama.id, plate.id)).body as Calibration).scale!);
  }
  const [soon, late, assumed] = gains.map((g) => g.card.driftStops);
  // Of the first minute as much is the round's own, read off a watch.
  expect(late / soon).toBeGreaterThan(15);
  expect(late / soon).toBeLessThan(30);
  for (const g of gains) expect(g.sources[0].uncertainty).toBeGreaterThan(g.card.driftStops);
  const found = await exposures(request, panorama.id);
  const of = (t: Take) => found.takes.find((x) => x.takeId === t.id)!;
  // Two cards of the same exposure say the same gain: the light of the one half an hour later is less sure.
  expect(found.driftStopsPerHour).toBeGreaterThanOrEqual(0.1);
  expect(late).toBeCloseTo(1.96 * found.driftStopsPerHour * 0.5, 2);
  expect(of(far).uncertaintyStops!).toBeLessThan(late + 0.1);
  expect(of(take).gainStops - of(near).gainStops).toBeCloseTo(0, 1);
  // Nobody said when the third ran: two hours of drift, whatever minute it states.
  expect(assumed).toBeCloseTo(2 * found.driftStopsPerHour, 2);
  expect(found.timesAssumed).toEqual([{ name: named(whenever), withinS: 7200 }]);

  // Sun and sky of the set, in its units, are near what such a sun throws.
  const { daylight } = found;
  expect(daylight).toMatchObject({ agrees: true });
  expect(daylight!.withinStops).toBeCloseTo(1, 1);
  // By a time that was only planned: a stop, and what the sun does in the twenty minutes by which it may be off; every card is as much wider.
  await onlyPlanned(request, panorama.roundId);
  const planned = await exposures(request, panorama.id);
  expect(planned.daylight).toMatchObject({ agrees: true });
  expect(planned.daylight!.withinStops).toBeGreaterThan(1.1);
  expect(planned.daylight!.withinStops).toBeLessThan(1.5);
  expect(planned.roundTime).toEqual({ planned: true, withinS: 1200 });
  const nearThen = planned.takes.find((t) => t.takeId === near.id)!;
  expect(nearThen.uncertaintyStops!).toBeGreaterThan(of(near).uncertaintyStops! + 0.1);
  const { setupId: ofSetup } = await getJson<Station>(request, `/stations/${(await getJson<LightRound>(request, `/rounds/${panorama.roundId}`)).stationId}`); // prettier-ignore
  const setup = await getJson<Setup>(request, `/setups/${ofSetup}`);
  await patchJson(request, `/setups/${ofSetup}`, { kind: 'interior', version: setup.version });
  expect((await exposures(request, panorama.id)).daylight).toBeNull();
});
