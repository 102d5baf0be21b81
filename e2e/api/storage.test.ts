import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import { yawQuaternion } from '@tawny/core';
import { calibrationSchema, type Job, type Panorama } from '@tawny/contract';
import { openDatabase } from '../../apps/server/src/db/dataSource';
import { basisOf } from '../../apps/server/src/records/facts';
import { ENTITIES, columnName } from '../../apps/server/src/db/entities';
import { sql, trialDatabase } from '../support/database';
import { boxOf } from '../support/lit';
import { CLIENT, ended, getJson, newRound, sendFrames } from '../support/api';
import { latlongBracket } from '../support/frames';

test('an empty database is laid out, has room for every record, is taken back as far as nothing is lost and laid out again', async () => {
  await trialDatabase(async (trial) => {
    const tables = () =>
      sql<{ table_name: string; column_name: string; is_nullable: string }>(
        "SELECT table_name, column_name, is_nullable FROM information_schema.columns WHERE table_schema = 'public' AND table_name <> 'migrations' ORDER BY 1, 2",
        [],
        trial,
      );
    // Two processes start at once on an empty database.
    const [first, second] = await Promise.all([openDatabase(trial), openDatabase(trial)]);
    await second.destroy();
    const laid = await tables();
    for (const { options } of ENTITIES) {
      for (const [property, column] of Object.entries(options.columns)) {
        const found = laid.find(
          (c) => c.table_name === options.tableName && c.column_name === (column?.name ?? columnName(property)),
        );
        expect(found, `${options.tableName}.${property}`).toBeTruthy();
        // What a record may lack, its column may lack too; the other way round a lost value would go unnoticed.
        if (column?.nullable && !column.deleteDate)
          expect(found!.is_nullable, `${options.tableName}.${property}`).toBe('YES');
      }
    }
    // Newer steps can be taken back; the log cannot without losing takes, and says so.
    const newer = first.migrations.length - 2;
    for (let k = 0; k < newer; k++) await first.undoLastMigration({ transaction: 'all' });
    await expect(first.undoLastMigration({ transaction: 'all' })).rejects.toThrow(/restore a backup/);
    expect((await tables()).length).toBeLessThan(laid.length);
    await first.runMigrations({ transaction: 'all' });
    expect(await tables()).toEqual(laid);
    await first.destroy();
  });
});

test('measurements of an older database become sources and what was adopted, and say what they assumed', async () => {
  await trialDatabase(async (older) => {
    const ids = Object.fromEntries(
      [
        'production',
        'location',
        'day',
        'setup',
        'body',
        'lens',
        'take',
        'station',
        'round',
        'moved',
        'panorama',
        'second',
        'plate',
        'calibration',
        'other',
      ].map((k) => [k, randomUUID()]),
    );
    // As the database was before results kept their facts.
    const db = await openDatabase(older, 'Leases1700000000007');
    const add = (table: string, values: Record<string, unknown>) => {
      const columns = Object.keys(values);
      return sql(
        `INSERT INTO ${table} (${columns.join(', ')}) VALUES (${columns.map((_, i) => `$${i + 1}`).join(', ')})`,
        columns.map((c) =>
          typeof values[c] === 'object' && values[c] !== null ? JSON.stringify(values[c]) : values[c],
        ),
        older,
      );
    };
    const owned = { production_id: ids.production };
    await add('productions', { id: ids.production, code: 'OLD', title: 'Older', working_space: 'rec709' });
    await add('locations', {
      ...owned,
      id: ids.location,
      name: 'Quay',
      zone: 'UTC',
      latitude_deg: 52,
      longitude_deg: 1,
      altitude_m: 4,
    });
    await add('shoot_days', {
      ...owned,
      id: ids.day,
      location_id: ids.location,
      number: 1,
      date: '2026-10-14',
      unit: 'Main',
      call_local: '08:00',
      wrap_local: '18:00',
    });
    await add('setups', {
      ...owned,
      id: ids.setup,
      day_id: ids.day,
      name: 'Quay',
      slate: '1',
      kind: 'exterior',
      light_condition: 'sun',
      planned_cg: '',
    });
    await add('camera_bodies', { ...owned, id: ids.body, name: 'Corrie', base_ei: 800, formats: [] });
    await add('lenses', {
      ...owned,
      id: ids.lens,
      name: 'Skerry',
      focal_min_mm: 32,
      focal_max_mm: 32,
      t_min: 2,
      t_max: 22,
      close_focus_m: 1,
    });
    await add('takes', {
      ...owned, id: ids.take, setup_id: ids.setup, body_id: ids.body, lens_id: ids.lens, slate: '1', take: 1, camera: 'A', status: 'good', format_name: 'x', focal_length_mm: 32, t_stop: 8,
      ei: 800, shutter_angle_deg: 180, fps: 24, white_balance_k: 5600, nd_stops: 0, east_m: 0, north_m: 0, shot_at: '2026-10-14T15:00:00Z', notes: '',
    }); // prettier-ignore
    await add('stations', {
      ...owned,
      id: ids.station,
      setup_id: ids.setup,
      name: 'One',
      east_m: 0,
      north_m: 0,
      height_m: 1.6,
    });
    for (const [round, panorama, calibration] of [
      [ids.round, ids.panorama, ids.calibration],
      [ids.moved, ids.second, ids.other],
    ]) {
      await add('rounds', {
        ...owned,
        id: round,
        station_id: ids.station,
        name: 'Round',
        light_condition: 'sun',
        shot_at: '2026-10-14T15:00:00Z',
        rig: { projection: 'equidistant', fovDeg: 185, views: 6 },
      });
      await add('panoramas', {
        ...owned, id: panorama, round_id: round, number: 1, width_px: 4, height_px: 2, exr_hash: 'e', float_hash: 'f', preview_hash: 'p', dynamic_range_stops: 10, clipped_sr: 0, uncovered_sr: 0,
        illuminance_horizontal: 1, mean_luminance: 1, frames_per_view: 7, histogram: {}, warnings: '[]', log: '[]', build_seconds: 1,
      }); // prettier-ignore
      if (calibration === ids.calibration)
        await add('plates', {
          ...owned,
          id: ids.plate,
          take_id: ids.take,
          name: 'p.tif',
          hash: 'h',
          preview_hash: 'p',
          width_px: 4,
          height_px: 2,
          bits: 16,
          exposure: 1,
          exposure_source: 'log',
        });
      await add('calibrations', {
        ...owned, id: calibration, panorama_id: panorama, number: 1,
        north: {
          yawDeg: 30, uncertaintyDeg: 0.2, agrees: true, computedAzimuthDeg: 200, computedElevationDeg: 20, foundAzimuthDeg: 170, foundElevationDeg: 20.1, elevationDifferenceDeg: 0.1,
          elevationToleranceDeg: 0.3, utc: calibration === ids.calibration ? '2026-10-14T15:00:00.000Z' : '2026-10-14T14:40:00.000Z',
        },
        gain: {
          plateId: ids.plate, cardStops: -0.5, cardUncertaintyStops: 0.02, metadataStops: -0.3, metadataUncertaintyStops: 0.4, disagreementStops: -0.2, agrees: true, channelStops: [-0.5, -0.5, -0.5],
          plateRect: { left: 0, top: 0, right: 1, bottom: 1 }, panoramaRect: { left: 0, top: 0, right: 1, bottom: 1 },
        },
      }); // prettier-ignore
    }
    await db.destroy();
    const today = await openDatabase(older);
    const { latestCalibration } = await import('../../apps/server/src/calibrations/latest');
    const stored = (await latestCalibration(today, ids.production, ids.panorama))!;
    // What the API promises of a calibration holds of the old ones.
    const basis = await basisOf(today, 'calibrations', [ids.calibration, ids.other]);
    const shown = calibrationSchema.parse({ ...JSON.parse(JSON.stringify(stored)), basis: basis.get(ids.calibration) });
    expect(shown.orientation).toMatchObject({
      adopted: { value: 30, uncertainty: 0.2 },
      verdict: 'agrees',
      frame: 'trueNorth',
    });
    yawQuaternion(30).forEach((v, i) => expect(shown.orientation!.rotation[i]).toBeCloseTo(v, 12));
    expect(shown.scale!.sources.map((s) => [s.name, s.value, s.residual])).toEqual([
      ['Grey card', -0.5, 0],
      ['Metadata', -0.3, 0.2],
    ]);
    // Upright rectangles became corners.
    expect(shown.scale!.card).toMatchObject({
      plateCorners: boxOf(0, 0, 1, 1),
      panoramaCorners: boxOf(0, 90, 360, -90),
      falloffStops: 0,
    });
    expect(shown.basis.facts.map((f) => [f.name, f.kind])).toEqual([
      ['decoding of the plate', 'assumed'],
      ['panorama', 'measured'],
      ['time of the round', 'assumed'],
    ]);
    expect(shown.basis.changed).toEqual([]);
    // The round's time was moved after that measurement: it is stale, and was so before anybody marked it.
    expect(basis.get(ids.other)!.changed).toEqual(['time of the round']);
    expect((await basisOf(today, 'panoramas', [ids.panorama])).get(ids.panorama)!.facts).toMatchObject([
      { name: 'rig', kind: 'assumed' },
    ]);
    // And the way back keeps every number.
    const [{ since }]: { since: number }[] = await today.query(
      "SELECT count(*)::int AS since FROM migrations WHERE id > (SELECT id FROM migrations WHERE name = 'Leases1700000000007')",
    );
    for (let k = 0; k < since; k++) await today.undoLastMigration({ transaction: 'all' });
    const [back] = await sql<{ north: Record<string, unknown>; gain: Record<string, unknown> }>(
      'SELECT north, gain FROM calibrations WHERE id = $1',
      [ids.calibration],
      older,
    );
    expect(back.north).toMatchObject({ yawDeg: 30, uncertaintyDeg: 0.2, agrees: true, foundElevationDeg: 20.1 });
    expect(back.gain).toMatchObject({ cardStops: -0.5, metadataStops: -0.3, agrees: true, plateId: ids.plate });
    await today.destroy();
  });
});

test('the clock of a day whose rounds are of one rig becomes the clock of that rig', async () => {
  await trialDatabase(async (older) => {
    const db = await openDatabase(older, 'PlatesOfReferences1700000000022');
    await db.query(`
      INSERT INTO productions (id, code, title, working_space) VALUES (uuid(1), 'OLD', 'Older', 'rec709');
      INSERT INTO locations (id, production_id, name, zone, latitude_deg, longitude_deg, altitude_m) VALUES (uuid(2), uuid(1), 'Quay', 'UTC', 52, 1, 4);
      INSERT INTO shoot_days (id, production_id, location_id, number, date, unit, call_local, wrap_local)
        SELECT uuid(n), uuid(1), uuid(2), n, '2026-10-14', 'Main', '08:00', '18:00' FROM generate_series(11, 13) n;
      INSERT INTO setups (id, production_id, day_id, name, slate, kind, light_condition, planned_cg)
        SELECT uuid(n + 10), uuid(1), uuid(n), 'Quay', '1', 'exterior', 'sun', '' FROM generate_series(11, 13) n;
      INSERT INTO stations (id, production_id, setup_id, name, east_m, north_m, height_m)
        SELECT uuid(n + 20), uuid(1), uuid(n + 10), 'One', 0, 0, 1.6 FROM generate_series(11, 13) n;
      INSERT INTO panorama_rigs (id, production_id, name, serial, kind, statement) SELECT uuid(n), uuid(1), 'Head', '', 'oneShot', '{}' FROM generate_series(41, 42) n;
      INSERT INTO rounds (id, production_id, station_id, name, light_condition, shot_at, shot_at_from, rig_id, rig)
        SELECT uuid(50 + k), uuid(1), uuid(20 + day), 'Round', 'sun', now(), 'files', CASE WHEN rig > 0 THEN uuid(rig) END, '{}'
        FROM (VALUES (1, 11, 41), (2, 11, 41), (3, 12, 41), (4, 12, 42), (5, 13, 41), (6, 13, 0)) AS r(k, day, rig);
      INSERT INTO camera_clocks (id, production_id, day_id, camera, offset_s, source)
        SELECT uuid(60 + n), uuid(1), uuid(n), 'Rig', n, 'entered' FROM generate_series(11, 13) n;
    `.replace(/uuid\(([^()]+)\)/g, "lpad(($1)::text, 32, '0')::uuid")); // prettier-ignore
    await db.destroy();
    const today = await openDatabase(older, 'RigClocks1700000000023');
    const clocks = () =>
      sql<{ offset_s: number; rig: string | null }>(
        "SELECT offset_s, right(rig_id::text, 2) AS rig FROM camera_clocks WHERE camera = 'Rig' ORDER BY offset_s",
        [],
        older,
      );
    // Of two rigs, or of one and one that nobody stated, it is not known whose it was.
    expect(await clocks()).toEqual([
      { offset_s: 11, rig: '41' },
      { offset_s: 12, rig: null },
      { offset_s: 13, rig: null },
    ]);
    // The way back keeps the one that was looked at last.
    await today.query(
      "INSERT INTO camera_clocks (id, production_id, day_id, camera, rig_id, offset_s, source, updated_at) SELECT gen_random_uuid(), production_id, day_id, 'Rig', id, 99, 'entered', now() + interval '1 hour' FROM panorama_rigs, (SELECT day_id FROM camera_clocks WHERE offset_s = 11) d WHERE right(id::text, 2) = '42'",
    );
    await today.undoLastMigration({ transaction: 'all' });
    expect((await sql<{ o: number }>('SELECT offset_s AS o FROM camera_clocks ORDER BY o', [], older)).map((c) => c.o)).toEqual(
      [12, 13, 99],
    ); // prettier-ignore
    await today.destroy();
  });
});

test('a job whose worker died is taken up by the next one and ends; its result stands once', async ({ request }) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  await sendFrames(request, round.id, await latlongBracket());
  const [production] = await sql<{ id: string }>("SELECT id FROM productions WHERE code = 'HERN'");
  const id = randomUUID();
  // As a worker leaves it that was killed half-way: running, and silent for a minute.
  await sql(
    "INSERT INTO jobs (id, production_id, kind, subject_id, state, stage, progress, log, input, worker, attempt, lease_until, cancel_requested) VALUES ($1, $2, 'build', $3, 'running', 'Merged view 1 of 1', 0.4, '[]', $4, 'gone', 1, now() - interval '1 minute', false)",
    [id, production.id, round.id, JSON.stringify({ widthPx: 256 })],
  );
  const job = await ended({ id } as Job);
  expect(job).toMatchObject({ state: 'done', progress: 1, error: null, attempt: 2 });
  const built = (await getJson<{ items: Panorama[] }>(request, `/panoramas?roundId=${round.id}`)).items;
  expect(built.map((p) => p.id)).toEqual([job.resultId]);
  // Jobs are asked for by kind: others may work on the same record.
  const known = async (kind: string) =>
    (await getJson<{ items: Job[] }>(request, `/jobs?subjectId=${round.id}&kind=${kind}`)).items.map((j) => j.id);
  expect(await known('build')).toEqual([id]);
  expect(await known('handoff')).toEqual([]);
  expect((await request.get(`/api/v1/productions/HERN/jobs?subjectId=${round.id}&kind=other`)).status()).toBe(422);
});

test('what one production wrote goes with it, and with it alone', async ({ request }) => {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  await sendFrames(request, round.id, await latlongBracket());
  const id = randomUUID();
  const code = `GONE${id.slice(0, 4).toUpperCase()}`;
  await sql("INSERT INTO productions (id, code, title, working_space) VALUES ($1, $2, 'Soon gone', 'rec709')", [
    id,
    code,
  ]);
  const place = await request.post(`/api/v1/productions/${code}/locations`, {
    data: { id: randomUUID(), name: 'Elsewhere', latitudeDeg: 10, longitudeDeg: 20, altitudeM: 0 },
    headers: { 'Idempotency-Key': randomUUID(), ...CLIENT },
  });
  expect(place.status()).toBe(201);
  await sql('DELETE FROM productions WHERE id = $1', [id]);
  expect(await sql("SELECT 1 FROM locations WHERE name = 'Elsewhere'")).toEqual([]);
  expect((await getJson<{ items: unknown[] }>(request, `/rounds/${round.id}/frames`)).items).toHaveLength(4);
});
