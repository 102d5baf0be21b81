import { randomUUID } from 'node:crypto';
import { expect, test } from '@playwright/test';
import { Client } from 'pg';
import type { Job, Panorama } from '@tawny/contract';
import { openDatabase } from '../../apps/server/src/db/dataSource';
import { ENTITIES, columnName } from '../../apps/server/src/db/entities';
import { ended, getJson, newRound, sendFrames } from '../support/api';
import { latlongBracket } from '../support/frames';

const url = () => process.env.TAWNY_E2E_DATABASE!;

async function sql<T extends object>(text: string, values: unknown[] = [], database = url()): Promise<T[]> {
  const client = new Client({ connectionString: database });
  await client.connect();
  try {
    return (await client.query(text, values)).rows as T[];
  } finally {
    await client.end();
  }
}

test('an empty database is laid out, has room for every record, is taken back as far as nothing is lost and laid out again', async () => {
  const name = `trial_${randomUUID().replace(/-/g, '')}`;
  await sql(`CREATE DATABASE ${name}`);
  const trial = url().replace(/\/[^/]*$/, `/${name}`);
  const tables = () =>
    sql<{ table_name: string; column_name: string; is_nullable: string }>(
      "SELECT table_name, column_name, is_nullable FROM information_schema.columns WHERE table_schema = 'public' AND table_name <> 'migrations' ORDER BY 1, 2",
      [],
      trial,
    );
  try {
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
  } finally {
    await sql(`DROP DATABASE ${name} WITH (FORCE)`);
  }
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
  const job = await ended(request, { id } as Job);
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
    headers: { 'Idempotency-Key': randomUUID() },
  });
  expect(place.status()).toBe(201);
  await sql('DELETE FROM productions WHERE id = $1', [id]);
  expect(await sql("SELECT 1 FROM locations WHERE name = 'Elsewhere'")).toEqual([]);
  expect((await getJson<{ items: unknown[] }>(request, `/rounds/${round.id}/frames`)).items).toHaveLength(4);
});
