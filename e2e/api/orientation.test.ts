import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { expect, test, type APIRequestContext } from '@playwright/test';
import {
  anglesFromDirection,
  cameraOfTake,
  conjugate,
  directionFromAngles,
  magneticDeclinationDeg,
  multiply,
  plateToWorld,
  quaternionFromAttitude,
  rotate,
  wrap180,
  yawQuaternion,
  type Quaternion,
  type Vec3,
} from '@tawny/core';
import type {
  Calibration,
  CameraBody,
  Handoff,
  Job,
  LensRecord,
  Location,
  LightRound,
  Panorama,
  SightInput,
  Station,
  Take,
} from '@tawny/contract';
import { ended, getJson, HERN, newRound, newTake, patchJson, postJson, sendFiles, sendFrames } from '../support/api';
import { latlongBracket, panoramaFile } from '../support/frames';
import { fileIn, pack } from '../support/packages';
import { addPlate, calibrationOf, litSet, litSetup, SUN_AT, TAKE } from '../support/lit';

const orient = (request: APIRequestContext, panoramaId: string, body: SightInput) =>
  postJson(request, `/panoramas/${panoramaId}/orientation`, body);

/** A take of a lit setup whose camera is logged, with a plate. */
async function setOf(request: APIRequestContext, headingDeg: number | null, sky: 'blue' | 'grey' = 'blue') {
  const lit = await litSetup(request, 0, sky);
  const take = await newTake(request, lit.setupId, {
    ...TAKE,
    take: 7,
    headingDeg,
    tiltDeg: -3,
    heightM: 1.5,
    eastM: 0,
    northM: 0,
  });
  const plate = await addPlate(request, take);
  const [body, lens, location] = await Promise.all([
    getJson<{ items: CameraBody[] }>(request, '/bodies').then((b) => b.items.find((i) => i.id === take.bodyId)!),
    getJson<{ items: LensRecord[] }>(request, '/lenses').then((l) => l.items.find((i) => i.id === take.lensId)!),
    getJson<{ items: Location[] }>(request, '/locations').then((l) =>
      l.items.find((i) => i.name === 'Gannet Staithe')!,
    ),
  ]);
  const round = await getJson<LightRound>(request, `/rounds/${lit.panorama.roundId}`);
  const station = await getJson<Station>(request, `/stations/${round.stationId}`);
  const camera = cameraOfTake({ ...take, headingDeg: headingDeg ?? 0 }, body, lens, location)!;
  return { ...lit, take, plate, station, camera, place: location };
}

/** Picks of things at some distance, as the camera and a panorama that lies so see them. */
function picksOf(s: Awaited<ReturnType<typeof setOf>>, turn: Quaternion, distanceM: number): SightInput['picks'] {
  const { camera, plate, station, take } = s;
  const scale = plate.widthPx / camera.widthPx;
  return [
    [0.1, 0.15],
    [0.9, 0.2],
    [0.15, 0.85],
    [0.85, 0.8],
  ].map(([u, v]) => {
    const [xPx, yPx] = [u * plate.widthPx, v * plate.heightPx];
    const centre = plate.heightPx / 2;
    const ray = plateToWorld(camera, xPx / scale, camera.centreYPx + (yPx - centre) / scale)!;
    const point: Vec3 = [
      take.eastM! - station.eastM + distanceM * ray[0],
      take.heightM! - station.heightM + distanceM * ray[1],
      station.northM - take.northM! + distanceM * ray[2],
    ];
    const a = anglesFromDirection(rotate(conjugate(turn), point));
    return { xPx, yPx, panoramaAzimuthDeg: a.azimuthDeg, panoramaElevationDeg: a.elevationDeg, distanceM };
  });
}

test('a hand turn is kept beside the sun, weighs less, and is gone back from', async ({ request }) => {
  const s = await setOf(request, 120);
  const yaw = wrap180(s.sun.azimuthDeg - SUN_AT);
  const hand = { rotation: [...yawQuaternion(yaw + 0.8)] as [number, number, number, number], uncertaintyDeg: 2 };
  const { status, body } = await orient(request, s.panorama.id, { plateId: s.plate.id, hand });
  expect(status, JSON.stringify(body)).toBe(201);
  const { orientation, basis } = body as Calibration;
  expect(orientation!.frame).toBe('trueNorth');
  expect(orientation!.verdict).toBe('agrees');
  // Nobody set the clock or levelled the rig: the sun itself is good for a degree.
  expect(Math.abs(wrap180(orientation!.adopted.value - yaw))).toBeLessThan(orientation!.adopted.uncertainty!);
  const [sun, byHand] = orientation!.sources;
  expect([sun.name, byHand.name]).toEqual(['Sun in the picture', 'By hand']);
  expect(sun.weight).toBeGreaterThan(byHand.weight);
  expect(sun.weight + byHand.weight).toBeCloseTo(1, 9);
  expect(byHand.residual).toBeCloseTo(0.8, 0);
  expect(orientation!.sight!.hand!.uncertaintyDeg).toBe(2);
  expect(basis.facts.map((f) => f.name)).toEqual(
    expect.arrayContaining(['camera in the sight', 'station in the sight', 'sun in the picture', 'level']),
  );
  // The camera's heading changes: what was laid over its plate is stale.
  await patchJson(request, `/takes/${s.take.id}`, { headingDeg: 131, version: s.take.version });
  expect((await calibrationOf(request, s.panorama.id)).basis.changed).toContain('camera in the sight');
});

test('a hand turn that contradicts the sun is not averaged with it: one must be chosen', async ({ request }) => {
  const s = await setOf(request, 120);
  const yaw = wrap180(s.sun.azimuthDeg - SUN_AT);
  const hand = { rotation: [...yawQuaternion(yaw + 40)] as [number, number, number, number], uncertaintyDeg: 1 };
  const refused = await orient(request, s.panorama.id, { plateId: s.plate.id, hand });
  expect(refused.status).toBe(422);
  expect(refused.body.code).toBe('sources-differ');
  expect(refused.body.detail).toMatch(/Sun in the picture .* By hand .*Choose which one counts/);
  expect(await calibrationOf(request, s.panorama.id)).toBeNull();
  const alone = (await orient(request, s.panorama.id, { plateId: s.plate.id, hand, sun: false })).body as Calibration;
  expect(Math.abs(wrap180(alone.orientation!.adopted.value - yaw - 40))).toBeLessThan(1e-6);
  expect(alone.orientation).toMatchObject({ verdict: 'cannotTell', sun: null });
});

test('under a grey sky picks tell the whole turn; the package is in the set frame and says so', async ({ request }) => {
  const s = await setOf(request, null, 'grey');
  const turn = multiply(yawQuaternion(70), quaternionFromAttitude({ headingDeg: 0, tiltDeg: 1.5, rollDeg: -1 }));
  // Far away: without a heading nobody knows to which side of the station the camera stood.
  const picks = picksOf(s, turn, 20000);
  const { status, body } = await orient(request, s.panorama.id, { plateId: s.plate.id, picks, sun: false });
  expect(status, JSON.stringify(body)).toBe(201);
  const { orientation } = body as Calibration;
  expect(orientation!.frame).toBe('set');
  expect(Math.abs(wrap180(orientation!.adopted.value - 70))).toBeLessThan(0.3);
  expect(orientation!.tiltUncertaintyDeg!).toBeLessThan(3);
  const wanted = { id: randomUUID(), setupId: s.setupId, panoramaId: s.panorama.id, takeId: s.take.id };
  const done = await ended((await postJson(request, '/handoffs', wanted)).body as Job);
  expect(done.state, JSON.stringify(done.error)).toBe('done');
  const handoff = (await getJson<{ items: Handoff[] }>(request, `/handoffs?setupId=${s.setupId}`)).items[0];
  expect(handoff.missing.join()).toMatch(/north: unknown, everything is in the frame of the set/);
  expect(handoff.files.map((f) => f.path).join()).toMatch(/_set-frame/);
  const zip = await request.get(`${HERN}/handoffs/${handoff.id}/download`);
  expect(zip.ok()).toBe(true);
});

test('where the sun tells north, picks over a plate of a take without a heading tell where it looks, and the package places the camera so', async ({
  request,
}) => {
  const s = await setOf(request, null);
  const [yaw, heading] = [wrap180(s.sun.azimuthDeg - SUN_AT), 77];
  const picks = picksOf(s, yawQuaternion(yaw - heading), 20000);
  const { status, body } = await orient(request, s.panorama.id, { plateId: s.plate.id, picks });
  expect(status, JSON.stringify(body)).toBe(201);
  const { orientation } = body as Calibration;
  expect(orientation!.frame).toBe('trueNorth');
  // Picks say nothing of north: they are not held against the sun.
  expect(orientation!.sources.map((f) => f.name)).toEqual(['Sun in the picture']);
  const seen = orientation!.plateHeading!;
  expect(seen.takeId).toBe(s.take.id);
  expect(seen.uncertainty).toBeGreaterThan(orientation!.adopted.uncertainty!);
  expect(Math.abs(wrap180(seen.value - heading))).toBeLessThan(seen.uncertainty);
  const off = wrap180(orientation!.adopted.value - yaw);
  expect(wrap180(seen.value - heading)).toBeCloseTo(off, 1);
  const packed = await pack(request, s);
  try {
    const readme = await fs.readFile(await fileIn(packed.folder, /readme/i), 'utf8');
    expect(readme).toMatch(
      new RegExp(`heading ${Math.floor(seen.value)}\\.\\d+ deg true \\(not logged: by picks in the sight, \\+-\\d`),
    );
  } finally {
    await fs.rm(packed.folder, { recursive: true });
  }
  // A heading that is logged afterwards is the take's own.
  await patchJson(request, `/takes/${s.take.id}`, { headingDeg: 80, headingNorth: 'true', version: s.take.version });
  const again = (await orient(request, s.panorama.id, { plateId: s.plate.id, picks })).body as Calibration;
  expect(again.orientation!.plateHeading).toBeNull();
  expect(again.orientation!.sources.map((f) => f.name)).toEqual(['Sun in the picture', 'Picks (4)']);
});

test('near things are counted with their distance and the offset of the camera', async ({ request }) => {
  const s = await setOf(request, 200, 'grey');
  const turn = yawQuaternion(-33);
  const near = picksOf(s, turn, 6);
  const good = (await orient(request, s.panorama.id, { plateId: s.plate.id, picks: near, sun: false }))
    .body as Calibration;
  expect(Math.abs(wrap180(good.orientation!.adopted.value + 33))).toBeLessThan(0.3);
  expect(good.orientation!.frame).toBe('trueNorth');
});

test('an offset paced beside a camera that nobody placed makes near picks tell, in the set frame too; it is a fact of the turn', async ({
  request,
}) => {
  const s = await setOf(request, null, 'grey');
  // The camera stood 2 m behind the station and 1 m to its left, for all that the plan knows.
  const { station } = s;
  const placed = { ...s.take, eastM: station.eastM - 1, northM: station.northM - 2 };
  const picks = picksOf({ ...s, take: placed }, yawQuaternion(-33), 6);
  const change = (take: Take, part: Partial<Take>) =>
    patchJson(request, `/takes/${take.id}`, { ...part, version: take.version });
  const body = { plateId: s.plate.id, picks, sun: false };
  const nowhere = (await change(s.take, { eastM: null, northM: null })).body as Take;
  expect([nowhere.eastM, nowhere.northM]).toEqual([null, null]);
  const loose = (await orient(request, s.panorama.id, body)).body as Calibration;
  const offset = { stationId: station.id, aheadM: 2, rightM: 1, upM: station.heightM - s.take.heightM!, withinM: 0.2 };
  const paced = (await change(nowhere, { stationOffset: offset })).body as Take;
  const told = (await orient(request, s.panorama.id, body)).body as Calibration;
  expect(told.orientation!.frame).toBe('set');
  expect(Math.abs(wrap180(told.orientation!.adopted.value + 33))).toBeLessThan(0.3);
  expect(told.orientation!.adopted.uncertainty!).toBeLessThan(0.5 * loose.orientation!.adopted.uncertainty!);
  const camera = (c: Calibration) => c.basis.facts.find((f) => f.name === 'camera in the sight')!.source;
  expect(camera(told)).toMatch(/2\.2 m from the station as paced/);
  expect(camera(loose)).toMatch(/where it stood not known/);
  // It was paced wrong: what rests on it is stale.
  await change(paced, { stationOffset: { ...offset, rightM: -1 } });
  expect((await calibrationOf(request, s.panorama.id)).basis.changed).toContain('camera in the sight');
  const bad = await change((await getJson<Take>(request, `/takes/${s.take.id}`)), { stationOffset: { ...offset, withinM: 0 } }); // prettier-ignore
  expect(bad.status).toBe(422);
});

test('the compass of the camera, written into its frames, tells north where nothing else does; it can be left out', async ({
  request,
}) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  const folder = await fs.mkdtemp(path.join(os.tmpdir(), 'tawny-compass-'));
  const frames = await Promise.all(
    (await latlongBracket()).map(async (f) => {
      const file = path.join(folder, f.name);
      await fs.writeFile(file, f.buffer);
      execFileSync('exiftool', ['-q', '-overwrite_original', '-GPSImgDirection=203.5', '-GPSImgDirectionRef=M', file]);
      return { ...f, buffer: await fs.readFile(file) };
    }),
  );
  await fs.rm(folder, { recursive: true });
  await sendFrames(request, round.id, frames);
  const job = await ended((await postJson(request, `/rounds/${round.id}/build`, { widthPx: 256 })).body as Job);
  const panorama = await getJson<Panorama>(request, `/panoramas/${job.resultId}`);
  // The one view looks along the middle of the panorama.
  expect(panorama.viewsCompass).toEqual({ turnDeg: expect.closeTo(23.5, 6), uncertaintyDeg: 10, spreadDeg: 0, views: 1, north: 'magnetic' }); // prettier-ignore
  const { body, status } = await orient(request, panorama.id, { plateId: null, sun: false });
  expect(status, JSON.stringify(body)).toBe(201);
  const { orientation, basis } = body as Calibration;
  const place = (await getJson<{ items: Location[] }>(request, '/locations')).items.find((i) => i.name === 'Gannet Staithe')!; // prettier-ignore
  const declination = magneticDeclinationDeg(place, new Date(round.shotAt));
  expect(orientation!.adopted.value).toBeCloseTo(23.5 + declination, 2);
  expect(orientation!.adopted.uncertainty!).toBeCloseTo(10, 0);
  expect(orientation).toMatchObject({ frame: 'trueNorth', verdict: 'cannotTell' });
  const facts = basis.facts.map((f) => `${f.kind} ${f.name}: ${f.source}`);
  expect(facts).toEqual(expect.arrayContaining([expect.stringMatching(/^fromFile compass of the views: the camera's own, 1 view/)])); // prettier-ignore
  const without = await orient(request, panorama.id, { plateId: null, sun: false, viewsCompass: false });
  expect(without.status).toBe(422);
  expect(without.body.detail).toMatch(/Nothing tells the turn/);
});

test('points of the sea’s horizon hold the lean; how high the eye was over the water is a fact that the turn rests on', async ({
  request,
}) => {
  const s = await setOf(request, null, 'grey');
  const mark = { name: 'mill', azimuthDeg: 35, elevationDeg: 2, uncertaintyDeg: 0.4, panoramaAzimuthDeg: 20, panoramaElevationDeg: 2 }; // prettier-ignore
  const loose = (await orient(request, s.panorama.id, { plateId: null, marks: [mark], sun: false }))
    .body as Calibration;
  // Of a picture this small a point tells little: many of them do.
  const horizon = Array.from({ length: 36 }, (_, k): [number, number, number] => [10 * k, -0.07, 0.1]);
  const { body, status } = await orient(request, s.panorama.id, { plateId: null, marks: [mark], horizon, sun: false });
  expect(status, JSON.stringify(body)).toBe(201);
  const { orientation, basis } = body as Calibration;
  expect(orientation!.tiltUncertaintyDeg!).toBeLessThan(0.8 * loose.orientation!.tiltUncertaintyDeg!);
  expect(orientation!.adopted.value).toBeCloseTo(15, 0);
  const fact = basis.facts.find((f) => f.name === 'horizon: altitude over the water')!;
  expect(fact.kind).toBe('assumed');
  expect(fact.source).toMatch(/m over the water: altitude of Gannet Staithe/);
  // The rig stood higher than was said: what rests on its height is stale.
  const { station } = s;
  await patchJson(request, `/stations/${station.id}`, { heightM: station.heightM + 3, version: station.version });
  expect((await calibrationOf(request, s.panorama.id)).basis.changed).toContain('horizon: height of the rig');
  const far = await orient(request, s.panorama.id, { plateId: null, marks: [mark], horizon: [[0, 95]], sun: false });
  expect(far.status).toBe(422);
});

test('a camera that nobody placed is in the package, at the origin, and its page says so', async ({ request }) => {
  const s = await setOf(request, 120);
  const gone = (await patchJson(request, `/takes/${s.take.id}`, { eastM: null, northM: null, version: s.take.version })).body as Take; // prettier-ignore
  const hand = { rotation: [...yawQuaternion(10)] as [number, number, number, number], uncertaintyDeg: 1 };
  expect((await orient(request, s.panorama.id, { plateId: s.plate.id, hand, sun: false })).status).toBe(201);
  const packed = await pack(request, { panorama: s.panorama, setupId: s.setupId, take: gone });
  const page = await fs.readFile(path.join(packed.folder, 'readme.txt'), 'utf8');
  const stage = await fs.readFile(await fileIn(packed.folder, /_stage_.*\.usda$/), 'utf8');
  await fs.rm(packed.folder, { recursive: true });
  expect(page).toMatch(
    /heading 120 deg true, tilt -3 deg, roll not measured \(level in the stage\), height 1\.5 m \(where on the plan was not logged: the stage has it at the origin\)/,
  );
  expect(stage).toMatch(/Camera_A/);
  // Its translation: the origin of the plan, at the height of the lens.
  expect(stage).toMatch(/\(0, 1\.5, -?0, 1\)/);
});

test('a hand turn that was laid on near things is as good as they shift', async ({ request }) => {
  const s = await setOf(request, null, 'grey');
  const { station, take } = s;
  const apart = Math.hypot(take.eastM! - station.eastM, take.northM! - station.northM, take.heightM! - station.heightM);
  const rotation = [...yawQuaternion(12)] as [number, number, number, number];
  const kept = async (distanceM: number | null) => {
    const hand = { rotation, uncertaintyDeg: 1, distanceM };
    const { body } = await orient(request, s.panorama.id, { plateId: s.plate.id, hand, sun: false });
    return (body as Calibration).orientation!;
  };
  expect((await kept(null)).adopted.uncertainty!).toBeCloseTo(1, 3);
  const near = await kept(5);
  expect(near.adopted.uncertainty!).toBeCloseTo(Math.hypot(1, (Math.atan2(apart, 5) * 180) / Math.PI), 1);
  expect(near.sight!.hand!.distanceM).toBe(5);
});

test('marks need no plate; what is missing is said', async ({ request }) => {
  const s = await setOf(request, null, 'grey');
  const turn = yawQuaternion(15);
  const marks = [
    ['mill', 20, 4],
    ['mast', 140, 12],
    ['gate', 260, 1],
  ].map(([name, azimuthDeg, elevationDeg]) => {
    const a = anglesFromDirection(
      rotate(conjugate(turn), directionFromAngles(Number(azimuthDeg), Number(elevationDeg))),
    );
    return {
      name: String(name),
      azimuthDeg: Number(azimuthDeg),
      elevationDeg: Number(elevationDeg),
      uncertaintyDeg: 0.4,
      panoramaAzimuthDeg: a.azimuthDeg,
      panoramaElevationDeg: a.elevationDeg,
    };
  });
  const good = (await orient(request, s.panorama.id, { plateId: null, marks, sun: false })).body as Calibration;
  expect(good.orientation!.adopted.value).toBeCloseTo(15, 2);
  expect(good.orientation!.sources[0].name).toBe('Marks (3)');
  const nothing = await orient(request, s.panorama.id, { plateId: null, sun: false });
  expect(nothing.status).toBe(422);
  expect(nothing.body.detail).toMatch(/Nothing tells the turn about the vertical/);
  const lone = await orient(request, s.panorama.id, { plateId: null, picks: picksOf(s, turn, 100), sun: false });
  expect(lone.body.code).toBe('no-plate');
});

test('picks in a flopped plate tell the turn of the world, not of its mirror', async ({ request }) => {
  const s = await setOf(request, 200, 'grey');
  await patchJson(request, `/takes/${s.take.id}`, { flopped: true, version: s.take.version });
  const mirrored = picksOf(s, yawQuaternion(25), 300)!.map((p) => ({ ...p, xPx: s.plate.widthPx - p.xPx }));
  const { status, body } = await orient(request, s.panorama.id, { plateId: s.plate.id, picks: mirrored, sun: false });
  expect(status, JSON.stringify(body)).toBe(201);
  expect(Math.abs(wrap180((body as Calibration).orientation!.adopted.value - 25))).toBeLessThan(0.3);
});

test('marks of the plan and a compass bearing of the log tell the turn, with what each rests on', async ({
  request,
}) => {
  const s = await setOf(request, null, 'grey');
  const yaw = 33;
  const placed = [
    ['Bollard', 14, 3],
    ['Lamp post', -6, 18],
    ['Slip corner', -12, -9],
  ] as const;
  const marks = await Promise.all(
    placed.map(async ([name, eastM, northM]) => {
      const id = randomUUID();
      const mark = { id, setupId: s.setupId, name, kind: 'mark', fixed: true, eastM, northM };
      expect((await postJson(request, '/marks', mark)).status).toBe(201);
      const [east, north] = [eastM - s.station.eastM, northM - s.station.northM];
      const seen = anglesFromDirection([east, -s.station.heightM, -north]);
      return {
        name,
        planMarkId: id,
        panoramaAzimuthDeg: seen.azimuthDeg - yaw,
        panoramaElevationDeg: seen.elevationDeg,
      };
    }),
  );
  const declination = magneticDeclinationDeg(s.place, new Date('2026-10-14T15:00:00Z'));
  const reading = {
    id: randomUUID(),
    setupId: s.setupId,
    kind: 'compass',
    shown: 120 - declination,
    takenAt: '2026-10-14T15:00:00Z',
  };
  expect((await postJson(request, '/readings', reading)).status).toBe(201);
  const compass = [{ readingId: reading.id, panoramaAzimuthDeg: 120 - yaw }];
  const alone = (await orient(request, s.panorama.id, { plateId: null, compass, sun: false })).body as Calibration;
  expect(alone.orientation!.adopted.value).toBeCloseTo(yaw, 4);
  // A compass without a calibration is good for 3 degrees, its declination for half a degree more.
  expect(alone.orientation!.adopted.uncertainty!).toBeGreaterThan(5.8);
  const both = (await orient(request, s.panorama.id, { plateId: null, marks, compass, sun: false }))
    .body as Calibration;
  expect(Math.abs(both.orientation!.adopted.value - yaw)).toBeLessThan(0.05);
  expect(both.orientation!.adopted.uncertainty!).toBeLessThan(1);
  expect(both.orientation).toMatchObject({ frame: 'trueNorth', verdict: 'agrees' });
  expect(both.orientation!.sources.map((x) => x.name)).toEqual(['Marks (3)', 'Compass']);
  expect(both.basis.facts.map((f) => f.name)).toEqual(expect.arrayContaining(['mark Bollard', 'compass 1']));
  // A mark is measured anew: what was solved from it is stale.
  await patchJson(request, `/marks/${marks[0].planMarkId}`, { eastM: 15, version: 1 });
  expect((await calibrationOf(request, s.panorama.id)).basis.changed).toEqual(['mark Bollard']);
  const station = { eastM: s.station.eastM + 1, version: s.station.version };
  expect((await patchJson(request, `/stations/${s.station.id}`, station)).status).toBe(200);
  expect((await calibrationOf(request, s.panorama.id)).basis.changed).toContain('mark: the station');
  const gone = await orient(request, s.panorama.id, { plateId: null, compass: [{ readingId: randomUUID(), panoramaAzimuthDeg: 0 }], sun: false }); // prettier-ignore
  expect(gone.status).toBe(404);
});

test('a ring laid on the sun counts in place of the one that was found; a hidden part of its disc widens the interval', async ({
  request,
}) => {
  const s = await setOf(request, 120);
  const yaw = wrap180(s.sun.azimuthDeg - SUN_AT);
  const at = { panoramaAzimuthDeg: SUN_AT, panoramaElevationDeg: s.sun.elevationDeg };
  const solve = async (partly: boolean) => {
    const { status, body } = await orient(request, s.panorama.id, { plateId: null, sunAt: { ...at, partly } });
    expect(status, JSON.stringify(body)).toBe(201);
    return body as Calibration;
  };
  const [whole, partly] = [await solve(false), await solve(true)];
  expect(Math.abs(wrap180(whole.orientation!.adopted.value - yaw))).toBeLessThan(0.01);
  expect(partly.orientation!.adopted.uncertainty!).toBeGreaterThan(whole.orientation!.adopted.uncertainty!);
  const said = (c: Calibration) => c.basis.facts.find((f) => f.name === 'sun in the picture')!;
  // A pixel of this panorama is a third of a degree: the ring is no better than half of it.
  expect(said(whole)).toMatchObject({ kind: 'measured', source: 'a ring laid on its disc', uncertainty: expect.closeTo(Math.hypot(0.15, 180 / s.panorama.widthPx), 9) }); // prettier-ignore
  const tapped = await orient(request, s.panorama.id, { plateId: null, sunAt: { ...at, withinDeg: 1 } });
  expect(said(tapped.body as Calibration).uncertainty).toBeGreaterThan(1);
  expect(said(partly).source).toMatch(/partly hidden/);
});

test('one turn serves all rounds of a tripod position, each with what it rests on', async ({ request }) => {
  const s = await setOf(request, 120);
  const nothing = await postJson(request, `/panoramas/${s.panorama.id}/orientation/share`, {});
  expect([nothing.status, nothing.body.code]).toEqual([422, 'no-turn']);
  const hand = { rotation: [...yawQuaternion(17)] as [number, number, number, number], uncertaintyDeg: 1 };
  expect((await orient(request, s.panorama.id, { plateId: null, hand, sun: false })).status).toBe(201);
  const first = await getJson<LightRound>(request, `/rounds/${s.panorama.roundId}`);
  const { id: _id, version: _v, createdAt: _c, updatedAt: _u, ...again } = first;
  const other = await postJson(request, '/rounds', { ...again, id: randomUUID(), name: 'Round 2' });
  expect(other.status, JSON.stringify(other.body)).toBe(201);
  const file = await panoramaFile('again.exr', litSet(12));
  const job = (await sendFiles(request, `/rounds/${other.body.id}/panoramas`, [file])).body as Job;
  const done = await ended(job);
  expect(done.state, JSON.stringify(done.error)).toBe('done');
  const shared = await postJson(request, `/panoramas/${s.panorama.id}/orientation/share`, {});
  expect(shared.body).toEqual({ panoramaIds: [done.resultId], kept: [] });
  const taken = await calibrationOf(request, done.resultId!);
  expect(taken.orientation!.adopted.value).toBeCloseTo(17, 9);
  expect(taken.orientation!.sources[0].name).toBe(`Turn of ${first.name}`);
  expect(taken.basis.facts.map((f) => [f.name, f.kind])).toEqual([['turn that was taken over', 'logged']]);
  // Shared again it follows; once it was measured by itself it keeps its own, and how far that lies off is told.
  const again2 = await postJson(request, `/panoramas/${s.panorama.id}/orientation/share`, {});
  expect(again2.body.panoramaIds).toEqual([done.resultId]);
  const own = { rotation: [...yawQuaternion(20)] as [number, number, number, number], uncertaintyDeg: 1 };
  expect((await orient(request, done.resultId!, { plateId: null, hand: own, sun: false })).status).toBe(201);
  const kept = await postJson(request, `/panoramas/${s.panorama.id}/orientation/share`, {});
  expect(kept.body).toEqual({
    panoramaIds: [],
    kept: [{ panoramaId: done.resultId, round: 'Round 2', apartDeg: expect.closeTo(3, 6) }],
  });
  expect((await calibrationOf(request, done.resultId!)).orientation!.adopted.value).toBeCloseTo(20, 9);
});
