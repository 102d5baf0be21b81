import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import { createClient, OPERATIONS, type ApiRequest, type Asked, type OperationName } from '@tawny/contract';
import { openDatabase } from '../../apps/server/src/db/dataSource';
import { sql, trialDatabase } from '../support/database';
import { withServer } from '../support/server';

const FIRST = 'FirstSlice1700000000001';
/** The last in which every camera stood somewhere. */
const LAST_WITH_PLACES = 'PlateCameras1700000000016';
/** The last in which a take's time was told by nobody and looked as if it was. */
const LAST_WITHOUT_TIMES = 'RigClocks1700000000023';
/** The last in which a lens had a transmission from its first moment. */
const LAST_WITH_USUAL_TRANSMISSION = 'ReadingTimes1700000000025';
const names = 'production location day setup body lens take station round frame panorama calibration plate handoff job'
  .split(' ')
  .map((name) => [name, randomUUID()] as const);
const ids = Object.fromEntries(names) as Record<string, string>;
const HASH = 'ab'.repeat(32);

/** A record of every kind, as the first release wrote them. */
const RECORDS: [table: string, values: Record<string, unknown>][] = [
  ['productions', { id: ids.production, code: 'OLD', title: 'The Tin Heron', working_space: 'rec709' }],
  ['locations', { id: ids.location, name: 'Gannet Staithe', zone: 'Europe/London', latitude_deg: 54.5, longitude_deg: -0.6, altitude_m: 4 }],
  ['shoot_days', { id: ids.day, location_id: ids.location, number: 1, date: '2026-10-14', unit: 'Main', call_local: '08:00', wrap_local: '18:00' }],
  ['setups', { id: ids.setup, day_id: ids.day, name: 'Quay', slate: '12', kind: 'exterior', light_condition: 'sun out', planned_cg: 'heron', light_at: '2026-10-14T15:00:00Z' }],
  ['camera_bodies', { id: ids.body, name: 'Corrie 8', base_ei: 800, formats: [{ name: 'Open gate', widthPx: 4608, heightPx: 3164, gateWidthMm: 36.7, gateHeightMm: 25.2, maxFps: 60 }] }],
  ['lenses', { id: ids.lens, name: 'Skerry 32', focal_min_mm: 32, focal_max_mm: 32, t_min: 2, t_max: 22, close_focus_m: 0.35 }],
  ['takes', {
    id: ids.take, setup_id: ids.setup, body_id: ids.body, lens_id: ids.lens, slate: '12', take: 3, camera: 'A', status: 'good', format_name: 'Open gate', focal_length_mm: 32, t_stop: 8,
    ei: 800, shutter_angle_deg: 172.8, fps: 24, white_balance_k: 5600, nd_stops: 0.6, height_m: 1.5, tilt_deg: -2, heading_deg: 145, focus_m: 4.2, east_m: 3, north_m: -2, shot_at: '2026-10-14T15:02:00Z', notes: 'as said',
  }],
  ['stations', { id: ids.station, setup_id: ids.setup, name: 'Heron', east_m: 1, north_m: 2, height_m: 1.6 }],
  ['rounds', { id: ids.round, station_id: ids.station, name: 'Round 1', light_condition: 'sun out', shot_at: '2026-10-14T15:00:00Z', rig: { projection: 'equidistant', fovDeg: 185, views: 6 } }],
  ['frames', { id: ids.frame, round_id: ids.round, name: 'f_001.jpg', hash: HASH, width_px: 3000, height_px: 2000, bits: 8, shutter_s: 0.001, f_number: 8, iso: 100, exposure: 1.6e-5, taken_at: '2026-10-14T14:59:40Z' }],
  ['panoramas', {
    id: ids.panorama, round_id: ids.round, number: 1, width_px: 4096, height_px: 2048, exr_hash: HASH, float_hash: HASH, preview_hash: HASH, dynamic_range_stops: 17.5, clipped_sr: 0.0001, uncovered_sr: 0.02,
    seam_stops: 0.03, illuminance_horizontal: 3.25, mean_luminance: 0.8, frames_per_view: 7, histogram: { firstStop: -10, binsPerStop: 2, sr: [1, 2, 3] },
    sun: { azimuthDeg: 170, elevationDeg: 20.1, diameterDeg: 0.54, clipped: true, illuminanceNormal: 9.5, contrast: 40, uncertaintyDeg: 0.1 }, warnings: ['The sun is clipped'], log: ['built'], build_seconds: 41,
  }],
  ['plates', { id: ids.plate, take_id: ids.take, name: 'p.tif', hash: HASH, preview_hash: HASH, width_px: 4608, height_px: 3164, bits: 16, exposure: 0.25, exposure_source: 'log' }],
  ['calibrations', {
    id: ids.calibration, panorama_id: ids.panorama, number: 1,
    north: { yawDeg: 30, uncertaintyDeg: 0.2, agrees: true, computedAzimuthDeg: 200, computedElevationDeg: 20, foundAzimuthDeg: 170, foundElevationDeg: 20.1, elevationDifferenceDeg: 0.1, elevationToleranceDeg: 0.3, utc: '2026-10-14T15:00:00.000Z' },
    gain: {
      plateId: ids.plate, cardStops: -0.5, cardUncertaintyStops: 0.02, channelStops: [-0.5, -0.5, -0.5], metadataStops: -0.3, metadataUncertaintyStops: 0.4, disagreementStops: -0.2, agrees: true,
      plateRect: { left: 0, top: 0, right: 1, bottom: 1 }, panoramaRect: { left: 0, top: 0, right: 1, bottom: 1 },
    },
  }],
  ['handoffs', { id: ids.handoff, setup_id: ids.setup, panorama_id: ids.panorama, take_id: ids.take, number: 1, file_name: 'OLD_12_1.zip', size_bytes: 1234, hash: HASH, files: [{ path: 'page.html', sizeBytes: 12 }], missing: [] }],
  ['jobs', { id: ids.job, kind: 'build', subject_id: ids.round, state: 'done', stage: 'Built', progress: 1, log: ['built'], result_id: ids.panorama, finished_at: '2026-10-14T15:30:00Z', input: { widthPx: 4096 } }],
  ['jobs', { id: randomUUID(), kind: 'handoff', subject_id: ids.setup, state: 'queued', stage: 'Waiting', progress: 0, log: [], input: {} }],
]; // prettier-ignore

test('a database of the first release with a record of every kind is upgraded, and every list answers as the API promises', async () => {
  await trialDatabase(async (url) => {
    const first = await openDatabase(url, FIRST);
    await first.destroy();
    for (const [table, values] of RECORDS) {
      const row = table === 'productions' ? values : { production_id: ids.production, ...values };
      const columns = Object.keys(row);
      await sql(
        `INSERT INTO ${table} (${columns.join(', ')}) VALUES (${columns.map((_, i) => `$${i + 1}`).join(', ')})`,
        Object.values(row).map((v) => (typeof v === 'object' && v !== null ? JSON.stringify(v) : v)),
        url,
      );
    }
    await withServer(url, async (base) => {
      const send = async ({ method, url: at, headers, body }: ApiRequest) => {
        const answer = await fetch(base + at, { method, headers, body });
        return { status: answer.status, text: await answer.text() };
      };
      const call = createClient(send, randomUUID);
      /** Whose part of the production a list shows. */
      const owner: Partial<Record<string, string>> = {
        days: ids.day,
        rounds: ids.round,
        takes: ids.take,
        panoramas: ids.panorama,
      };
      const filters: Partial<Record<OperationName, Record<string, string>>> = {
        'panoramas.list': { roundId: ids.round },
        'plates.list': { takeId: ids.take },
        'jobs.list': { subjectId: ids.round },
        'gaps.list': { dayId: ids.day },
      };
      const read = new Map<string, unknown>();
      for (const { name, operation } of OPERATIONS) {
        if (operation.method !== 'GET' || operation.gives !== 'json') continue;
        const kind = operation.path.match(/\/([a-z]+)\/:id/)?.[1];
        const id = kind === undefined ? undefined : owner[kind];
        if (kind !== undefined && id === undefined) continue;
        const asked = { params: { production: 'OLD', id: id ?? '' }, query: filters[name] ?? {} };
        // An answer that is not as the table promises throws here.
        const answer = await call(name, asked as Asked<typeof name>).catch(
          (error: Error & { problem?: { status: number } }) => {
            // Some want to be told more than a list does; what they may not do is fail.
            if (error.problem && error.problem.status >= 400 && error.problem.status < 500) return null;
            throw new Error(`${name}: ${error.message} ${JSON.stringify(error.problem)}`);
          },
        );
        if (answer !== null) read.set(name, answer);
      }
      const items = (name: OperationName) =>
        (read.get(name) as { items: Record<string, unknown>[] } | undefined)?.items;
      const kept: [OperationName, Record<string, unknown>][] = [
        ['productions.list', { code: 'OLD', title: 'The Tin Heron', workingSpace: 'rec709' }],
        ['locations.list', { id: ids.location, zone: 'Europe/London', latitudeDeg: 54.5, longitudeDeg: -0.6 }],
        ['days.list', { id: ids.day, date: '2026-10-14', unit: 'Main', callLocal: '08:00' }],
        ['setups.list', { id: ids.setup, slate: '12', lightCondition: 'sun out', plannedCg: 'heron' }],
        ['bodies.list', { id: ids.body, baseEi: 800 }],
        ['lenses.list', { id: ids.lens, focalMinMm: 32, tMax: 22, transmission: null }],
        ['takes.list', { id: ids.take, tStop: 8, shutterAngleDeg: 172.8, ndStops: 0.6, headingDeg: 145, focusM: 4.2, notes: 'as said' }],
        ['stations.list', { id: ids.station, eastM: 1, northM: 2, heightM: 1.6 }],
        ['rounds.list', { id: ids.round, shotAt: '2026-10-14T15:00:00.000Z', rig: { projection: 'equidistant', fovDeg: 185, views: 6 } }],
        ['rounds.frames', { id: ids.frame, shutterS: 0.001, exposure: 1.6e-5 }],
        ['panoramas.list', { id: ids.panorama, dynamicRangeStops: 17.5, illuminanceHorizontal: 3.25, seamStops: 0.03 }],
        ['plates.list', { id: ids.plate, exposure: 0.25, exposureSource: 'log' }],
        ['handoffs.list', { id: ids.handoff, number: 1, fileName: 'OLD_12_1.zip' }],
        ['jobs.list', { id: ids.job, state: 'done', resultId: ids.panorama }],
      ]; // prettier-ignore
      for (const [name, values] of kept) expect(items(name), name).toEqual([expect.objectContaining(values)]);
      // What nobody knew then is not known now either, and what was assumed then is said.
      const [panorama] = items('panoramas.list') as { basis: { facts: { name: string; kind: string }[] } }[];
      expect(panorama.basis.facts).toEqual([expect.objectContaining({ name: 'rig', kind: 'assumed' })]);
    });
    // A second start finds nothing to do.
    const again = await openDatabase(url);
    expect(await again.showMigrations()).toBe(false);
    await again.destroy();
  });
});

const owned = (table: string) => ({ production_id: ids.production, ...RECORDS.find(([t]) => t === table)![1] });

/** A database of the first release with a setup that takes can be written to. */
async function oldSetup(url: string) {
  const first = await openDatabase(url, FIRST);
  await first.destroy();
  const insert = (table: string, row: Record<string, unknown>) =>
    sql(
      `INSERT INTO ${table} (${Object.keys(row).join(', ')}) VALUES (${Object.keys(row)
        .map((_, i) => `$${i + 1}`)
        .join(', ')})`,
      Object.values(row).map((v) => (typeof v === 'object' && v !== null ? JSON.stringify(v) : v)),
      url,
    );
  await insert('productions', RECORDS[0][1]);
  for (const table of ['locations', 'shoot_days', 'setups', 'camera_bodies', 'lenses'])
    await insert(table, owned(table));
  return insert;
}

test('takes of old whose camera nobody placed stand nowhere; one that stood at the origin and is otherwise logged stays there', async () => {
  await trialDatabase(async (url) => {
    const insert = await oldSetup(url);
    const [never, logged] = [randomUUID(), randomUUID()];
    for (const [k, id] of [never, logged].entries())
      await insert('takes', { ...owned('takes'), id, take: k + 1, east_m: 0, north_m: 0 });
    const before = await openDatabase(url, LAST_WITH_PLACES);
    await before.query('UPDATE takes SET height_m = NULL, tilt_deg = NULL, heading_deg = NULL WHERE id = $1', [never]);
    await before.destroy();
    const now = await openDatabase(url);
    const places = await now.query('SELECT id, east_m, north_m, station_offset FROM takes ORDER BY take');
    await now.destroy();
    expect(places).toEqual([
      { id: never, east_m: null, north_m: null, station_offset: null },
      { id: logged, east_m: 0, north_m: 0, station_offset: null },
    ]);
  });
});

test('a take of old that stands three minutes after another to the millisecond was given that time by nobody; a reading that of its take or light', async () => {
  await trialDatabase(async (url) => {
    const insert = await oldSetup(url);
    const at = ['15:02:11.250', '15:05:11.250', '15:08:11.251', '15:11:11.251'];
    for (const [k, time] of at.entries())
      await insert('takes', { ...owned('takes'), id: randomUUID(), take: k + 1, shot_at: `2026-10-14T${time}Z` });
    const before = await openDatabase(url, LAST_WITHOUT_TIMES);
    const read = (takenAt: string) =>
      before.query(
        `INSERT INTO readings (production_id, id, setup_id, kind, shown, light_condition, taken_at, source, notes)
         VALUES ($1, $2, $3, 'lux', 900, '', $4, 'entered', '')`,
        [ids.production, randomUUID(), ids.setup, takenAt],
      );
    // As the form gave them: the planned light's, and a take's; and one by a watch.
    for (const time of ['15:00:00.000', '15:05:11.250', '15:05:12.250']) await read(`2026-10-14T${time}Z`);
    // The last one's time came from a file.
    await before.query(`UPDATE takes SET from_file = '{"shotAt": "A004.dng"}' WHERE take = 4`);
    await before.destroy();
    const now = await openDatabase(url);
    const times = await now.query('SELECT take, shot_at_from FROM takes ORDER BY take');
    const readings = await now.query('SELECT taken_at_from FROM readings ORDER BY taken_at');
    await now.destroy();
    expect(readings.map((r: { taken_at_from: string }) => r.taken_at_from)).toEqual(['assumed', 'assumed', 'logged']);
    expect(times.map((t: { shot_at_from: string }) => t.shot_at_from)).toEqual([
      'logged',
      'assumed',
      'logged',
      'logged',
    ]);
  });
});

test('a lens of old that stands at the usual transmission was given it by nobody; what rests on it is not stale', async () => {
  await trialDatabase(async (url) => {
    await oldSetup(url);
    const before = await openDatabase(url, LAST_WITH_USUAL_TRANSMISSION);
    const stated = randomUUID();
    await before.query(
      `INSERT INTO lenses (production_id, id, name, focal_min_mm, focal_max_mm, t_min, t_max, close_focus_m, transmission)
       SELECT production_id, $1, 'Skerry 50', 50, 50, t_min, t_max, close_focus_m, 0.74 FROM lenses`,
      [stated],
    );
    for (const lens of [ids.lens, stated])
      await before.query(
        `INSERT INTO used_facts (production_id, result_kind, result_id, name, fact_kind, fact_id, fact_version, fields, provenance, source)
         SELECT production_id, 'handoffs', $2, 'lens', 'lenses', id, 1, fact_values('lenses', id, ARRAY['squeeze', 'transmission']), 'logged', name
         FROM lenses WHERE id = $1`,
        [lens, randomUUID()],
      );
    await before.destroy();
    const now = await openDatabase(url);
    const lenses = await now.query('SELECT id, transmission FROM lenses ORDER BY name');
    const used = () => now.query(`SELECT fields, changed FROM used_facts ORDER BY source`);
    expect(lenses).toEqual([
      { id: ids.lens, transmission: null },
      { id: stated, transmission: 0.74 },
    ]);
    expect(await used()).toEqual([
      { fields: { squeeze: 1, transmission: null }, changed: null },
      { fields: { squeeze: 1, transmission: 0.74 }, changed: null },
    ]);
    // From then on it is: who states it changes what the package went by.
    await now.query('UPDATE lenses SET transmission = 0.8, version = version + 1 WHERE id = $1', [ids.lens]);
    expect((await used()).map((f: { changed: unknown }) => f.changed !== null)).toEqual([true, false]);
    await now.destroy();
  });
});
