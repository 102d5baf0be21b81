import { randomUUID } from 'node:crypto';
import { expect, test, type APIRequestContext } from '@playwright/test';
import {
  RIG_CLOCK,
  type CameraClock,
  type Frame,
  type LightRound,
  type PanoramaRig,
  type Setup,
  type Station,
} from '@tawny/contract';
import { getJson, newRound, patchJson, postJson, removeJson, sendFrames } from '../support/api';
import { latlongFrame } from '../support/frames';
import { calibrationOf, litSetup, onlyPlanned } from '../support/lit';

/** A day of its own at the demo's place: clocks are known by the day. */
async function ownDay(request: APIRequestContext, setupId: string): Promise<string> {
  const setup = await getJson<Setup>(request, `/setups/${setupId}`);
  const day = await getJson<Record<string, unknown>>(request, `/days/${setup.dayId}`);
  const id = randomUUID();
  const { locationId, date, unit, callLocal, wrapLocal } = day;
  const made = await postJson(request, '/days', {
    id,
    number: 40 + Math.floor(Math.random() * 300),
    ...{ locationId, date, unit, callLocal, wrapLocal },
  });
  expect(made.status, JSON.stringify(made.body)).toBe(201);
  const moved = await patchJson(request, `/setups/${setupId}`, { dayId: id, version: setup.version });
  expect(moved.status, JSON.stringify(moved.body)).toBe(200);
  return id;
}

const setupOf = async (request: APIRequestContext, round: LightRound) =>
  (await getJson<Station>(request, `/stations/${round.stationId}`)).setupId;
const LATLONG = { projection: 'latlong', fovDeg: 360, views: 1 } as const;

test('frames that are sent by several at once all count for the time of their round', async ({ request }) => {
  const round = await newRound(request, LATLONG);
  await ownDay(request, await setupOf(request, round));
  const frames = await Promise.all(Array.from({ length: 12 }, (_, k) => latlongFrame(`m_${k}.jpg`, 60, 10 * k)));
  await Promise.all(frames.map((frame) => sendFrames(request, round.id, [frame])));
  const told = await getJson<LightRound>(request, `/rounds/${round.id}`);
  expect(told.shotAtSource).toMatch(/^12 frames, /);
  expect(Math.abs(Date.parse(told.shotAt) - (Date.UTC(2026, 9, 14, 12, 0, 55) + 500 / 60))).toBeLessThan(20);
});

test('a round takes its time from its frames, then from the clock that was looked at later, then from a person', async ({
  request,
}) => {
  const round = await newRound(request, LATLONG);
  expect(round).toMatchObject({ shotAtFrom: 'planned', shotAtUncertaintyS: 1200, shotAtSource: 'planned light time' });
  const dayId = await ownDay(request, await setupOf(request, round));
  // Files whose clock states UTC, at 12:00:00 and 12:00:40.
  const frames = await Promise.all([0, 40].map((s) => latlongFrame(`t_${s}.jpg`, 60, s)));
  await sendFrames(request, round.id, frames);
  const read = () => getJson<LightRound>(request, `/rounds/${round.id}`);
  const middle = Date.UTC(2026, 9, 14, 12, 0, 20) + 500 / 60;
  const told = await read();
  expect(Math.abs(Date.parse(told.shotAt) - middle)).toBeLessThan(20);
  expect(told).toMatchObject({
    shotAtFrom: 'files',
    shotAtUncertaintyS: 180,
    shotAtSource: '2 frames, camera clock not checked, taken for right to ± 180 s',
    // Nobody changed it meanwhile: what a person saw can still be changed.
    version: round.version,
  });
  const stored = (await getJson<{ items: Frame[] }>(request, `/rounds/${round.id}/frames`)).items;
  expect(stored.map((f) => f.zoneFrom)).toEqual(['file', 'file']);
  // The clock of the rig is photographed after the round.
  const clock = (
    await postJson(request, '/clocks', {
      id: randomUUID(),
      dayId,
      camera: RIG_CLOCK,
      offsetS: 30,
      uncertaintyS: 1,
      source: 'photographed clock',
    })
  ).body as CameraClock;
  const corrected = await read();
  expect(Math.abs(Date.parse(corrected.shotAt) - (middle - 30000))).toBeLessThan(20);
  expect(corrected).toMatchObject({
    shotAtUncertaintyS: 1,
    shotAtSource: '2 frames, camera clock 30 s fast ± 1 s',
  });
  const changed = await patchJson(request, `/clocks/${clock.id}`, { offsetS: -10, version: clock.version });
  expect(changed.status).toBe(200);
  expect(Math.abs(Date.parse((await read()).shotAt) - (middle + 10000))).toBeLessThan(20);
  expect((await removeJson(request, `/clocks/${clock.id}?version=${clock.version + 1}`)).status).toBe(200);
  expect((await read()).shotAtSource).toMatch(/not checked/);
  // Somebody knows better, and then does not.
  const byHand = await patchJson(request, `/rounds/${round.id}`, {
    shotAt: '2026-10-14T15:20:00Z',
    shotAtFrom: 'entered',
    version: round.version,
  });
  expect(byHand.body).toMatchObject({
    shotAt: '2026-10-14T15:20:00.000Z',
    shotAtFrom: 'entered',
    shotAtUncertaintyS: 60,
  });
  await sendFrames(request, round.id, [await latlongFrame('t_80.jpg', 60, 80)]);
  expect((await read()).shotAt).toBe('2026-10-14T15:20:00.000Z');
  const { body: again } = await patchJson(request, `/rounds/${round.id}`, {
    shotAtFrom: 'files',
    version: (byHand.body as LightRound).version,
  });
  expect(again).toMatchObject({ shotAtFrom: 'files' });
  expect(Math.abs(Date.parse((again as LightRound).shotAt) - (middle + 20000))).toBeLessThan(20);
});

test('two rigs of one day go each by its own clock', async ({ request }) => {
  const rigs = (await getJson<{ items: PanoramaRig[] }>(request, '/rigs')).items.slice(0, 2);
  const first = await newRound(request, LATLONG);
  const dayId = await ownDay(request, await setupOf(request, first));
  const made = await postJson(request, '/rounds', {
    id: randomUUID(),
    ...{ stationId: first.stationId, name: 'Of the other rig', lightCondition: first.lightCondition },
    ...{ shotAt: first.shotAt, rigId: rigs[1].id, rig: LATLONG },
  });
  const second = made.body as LightRound;
  await patchJson(request, `/rounds/${first.id}`, { rigId: rigs[0].id, version: first.version });
  await sendFrames(request, first.id, [await latlongFrame('first.jpg', 60, 0)]);
  await sendFrames(request, second.id, [await latlongFrame('second.jpg', 60, 0)]);
  const told = async () =>
    Promise.all([first, second].map(async (r) => (await getJson<LightRound>(request, `/rounds/${r.id}`)).shotAtSource));
  const look = (rigId: string | null, offsetS: number) =>
    postJson(request, '/clocks', {
      id: randomUUID(),
      ...{ dayId, camera: RIG_CLOCK, rigId, offsetS, source: 'photographed clock' },
    });
  const clock = (await look(null, 12)).body as CameraClock;
  // Nobody said which rig's it is, and there is no other.
  expect(await told()).toEqual(Array(2).fill('1 frame, camera clock 12 s fast ± 1 s'));
  const named = await patchJson(request, `/clocks/${clock.id}`, { rigId: rigs[0].id, version: clock.version });
  expect(named.status).toBe(200);
  const unchecked = '1 frame, camera clock not checked, taken for right to ± 180 s';
  expect(await told()).toEqual(['1 frame, camera clock 12 s fast ± 1 s', unchecked]);
  expect((await look(rigs[1].id, -7)).status).toBe(201);
  expect(await told()).toEqual(['1 frame, camera clock 12 s fast ± 1 s', '1 frame, camera clock 7 s slow ± 1 s']);
  // One clock a rig and day.
  expect((await look(rigs[1].id, 2)).status).toBe(409);
  // A setup that is moved goes by the clocks of its new day, a clock that is moved leaves the rounds of its old one.
  const otherDay = await ownDay(request, await setupOf(request, first));
  expect(await told()).toEqual([unchecked, unchecked]);
  const moved = await patchJson(request, `/clocks/${clock.id}`, { dayId: otherDay, version: clock.version + 1 });
  expect(moved.status).toBe(200);
  expect((await told())[0]).toBe('1 frame, camera clock 12 s fast ± 1 s');
  await patchJson(request, `/clocks/${clock.id}`, { dayId, version: clock.version + 2 });
  expect(await told()).toEqual([unchecked, unchecked]);
});

test('a file that states no offset is read in the zone of the place', async ({ request }) => {
  const round = await newRound(request, LATLONG);
  // 12:00:05 on a wall in British Summer Time.
  const silent = await latlongFrame('local.jpg', 60, 5, 256, { utcOffsetMinutes: null });
  await sendFrames(request, round.id, [silent]);
  const [frame] = (await getJson<{ items: Frame[] }>(request, `/rounds/${round.id}/frames`)).items;
  expect(frame).toMatchObject({ zoneFrom: 'location', takenAt: '2026-10-14T11:00:05.000Z' });
});

test('north that was measured before the frames came says that its time has changed, and is told anew', async ({
  request,
}) => {
  const { panorama } = await litSetup(request);
  await onlyPlanned(request, panorama.roundId);
  await postJson(request, `/panoramas/${panorama.id}/north`, {});
  const planned = await calibrationOf(request, panorama.id);
  expect(planned.basis.facts.find((f) => f.name === 'time of the round')).toMatchObject({
    kind: 'predicted',
    uncertainty: 1200,
  });
  await sendFrames(request, panorama.roundId, [await latlongFrame('late.jpg', 60, 0)]);
  expect((await calibrationOf(request, panorama.id)).basis.changed).toEqual(['time of the round']);
  // A time that is known better makes a narrower north.
  const round = await getJson<LightRound>(request, `/rounds/${panorama.roundId}`);
  await patchJson(request, `/rounds/${round.id}`, {
    shotAt: planned.orientation!.sun!.utc,
    shotAtFrom: 'entered',
    version: round.version,
  });
  await postJson(request, `/panoramas/${panorama.id}/north`, {});
  const known = await calibrationOf(request, panorama.id);
  expect(known.basis.facts.find((f) => f.name === 'time of the round')).toMatchObject({
    kind: 'logged',
    source: 'entered by hand',
    uncertainty: 60,
  });
  expect(known.orientation!.adopted.uncertainty!).toBeLessThan(planned.orientation!.adopted.uncertainty!);
});
