import { createHash, randomUUID } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { expect, test, type APIRequestContext } from '@playwright/test';
import { Client } from 'pg';
import { openDatabase } from '../../apps/server/src/db/dataSource';
import { backup } from '../../apps/server/src/upkeep/backup';
import { collect } from '../../apps/server/src/upkeep/collect';
import { doctor } from '../../apps/server/src/upkeep/doctor';
import { referencedHashes } from '../../apps/server/src/upkeep/references';
import { restore } from '../../apps/server/src/upkeep/restore';
import { pathOfHash, storedFiles } from '../../apps/server/src/upkeep/storeFolder';
import { bench, ended, newRound, newTake, postJson, sendFrames } from '../support/api';
import { latlongBracket } from '../support/frames';
import type { Job } from '@tawny/contract';
import { plannedRows } from '../support/database';

const url = process.env.TAWNY_E2E_DATABASE!;
const store = process.env.TAWNY_E2E_FILES!;

/** An installation of its own: an empty database and an empty store. */
async function elsewhere<T>(use: (there: { url: string; store: string; folder: string }) => Promise<T>): Promise<T> {
  const name = `moved_${randomUUID().replace(/-/g, '')}`;
  const client = new Client({ connectionString: url });
  await client.connect();
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-moved-'));
  try {
    await client.query(`CREATE DATABASE ${name}`);
    fs.mkdirSync(path.join(folder, 'files'));
    return await use({ url: url.replace(/\/[^/]*$/, `/${name}`), store: path.join(folder, 'files'), folder });
  } finally {
    await client.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`);
    await client.end();
    fs.rmSync(folder, { recursive: true, force: true });
  }
}

/** Every row of every table by its whole content, except of those that go on changing while nobody writes. */
async function contents(at: string): Promise<Record<string, string[]>> {
  const client = new Client({ connectionString: at });
  await client.connect();
  try {
    const tables = await client.query<{ name: string }>(
      "SELECT relname AS name FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind = 'r' ORDER BY 1",
    );
    const out: Record<string, string[]> = {};
    for (const { name } of tables.rows) {
      if (name === 'migrations') continue;
      const rows = await client.query<{ row: string }>(`SELECT to_jsonb(t)::text AS row FROM ${name} t ORDER BY 1`);
      out[name] = rows.rows.map((r) => r.row);
    }
    return out;
  } finally {
    await client.end();
  }
}

async function lived(request: APIRequestContext) {
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  await sendFrames(request, round.id, await latlongBracket());
  const job = (await postJson(request, `/rounds/${round.id}/build`, { widthPx: 256 })).body as Job;
  expect((await ended(job)).state).toBe('done');
  return bench(request);
}

test('a production moves between two installations: every record, every byte; damage is named, nothing is overwritten', async ({
  request,
}) => {
  const { setup } = await lived(request);
  const db = await openDatabase(url);
  try {
    // Workers are done: what differs afterwards is not their doing.
    const busy = "SELECT 1 FROM jobs WHERE state IN ('queued', 'running')";
    await expect.poll(async () => (await db.query(busy)).length, { timeout: 120_000 }).toBe(0);
    await elsewhere(async (there) => {
      const file = path.join(there.folder, 'day.tar');
      // Work goes on while it is written: what it holds is of one moment.
      let writing = true;
      let written = 0;
      const crew = (async () => {
        for (let take = 100; writing; take++, written++) await newTake(request, setup.id, { take });
      })();
      await new Promise((r) => setTimeout(r, 300));
      const made = await backup(db, store, file);
      writing = false;
      await crew;
      expect(written).toBeGreaterThan(0);
      expect(made.files.length).toBeGreaterThan(5);
      const restored = await restore(there.url, there.store, file);
      expect(restored).toEqual(made);
      expect(await plannedRows('takes', there.url)).toBe(made.tables.find((t) => t.name === 'takes')!.rows);
      const [here, moved] = [await contents(url), await contents(there.url)];
      for (const { name, rows } of made.tables) {
        expect(moved[name].length, name).toBe(rows);
        // Everything that was there at that moment is the same; jobs and their keys may have gone on since.
        const now = new Set(here[name]);
        if (name !== 'jobs')
          expect(
            moved[name].filter((r) => !now.has(r)),
            name,
          ).toEqual([]);
      }
      for await (const { path: at, hash } of storedFiles(there.store))
        expect(createHash('sha256').update(fs.readFileSync(at)).digest('hex')).toBe(hash);
      for (const { hash } of made.files)
        expect(fs.readFileSync(pathOfHash(there.store, hash)).equals(fs.readFileSync(pathOfHash(store, hash)))).toBe(
          true,
        );

      // The moved one is well; then a file is turned, another lost: both are named.
      const again = await openDatabase(there.url);
      const well = await doctor(again, there.store);
      expect(well.filter((f) => !f.ok && f.what !== 'disk')).toEqual([]);
      const [first, second] = made.files;
      fs.writeFileSync(pathOfHash(there.store, first.hash), 'turned');
      fs.rmSync(pathOfHash(there.store, second.hash));
      const ill = (await doctor(again, there.store)).find((f) => f.what === 'files')!;
      expect(ill.ok).toBe(false);
      expect(ill.says).toContain(first.hash);
      expect(ill.says).toContain(second.hash);
      await expect(backup(again, there.store, path.join(there.folder, 'no.tar'))).rejects.toThrow(
        /missing|not what it was/,
      );
      expect(fs.readdirSync(there.folder).filter((n) => n.startsWith('no.tar'))).toEqual([]);
      await again.destroy();
      // Where something is, nothing is put.
      await expect(restore(there.url, there.store, file)).rejects.toThrow(/not empty/);
      const bytes = fs.readFileSync(file);
      await elsewhere(async (third) => {
        const broken = path.join(third.folder, 'broken.tar');
        const turned = Buffer.from(bytes);
        const at = bytes.indexOf(`files/${first.hash}`) + 700;
        turned[at] ^= 1;
        const cut = bytes.subarray(0, Math.floor(bytes.length * 0.7));
        const another = Buffer.from(bytes);
        another[bytes.indexOf('records/productions.ndjson') + 600] ^= 1;
        for (const [damaged, named] of [
          [turned, new RegExp(`files/${first.hash}`)],
          [cut, /broken\.tar is damaged/],
          [another, /records\/productions\.ndjson/],
        ] as const) {
          fs.writeFileSync(broken, damaged);
          await expect(restore(third.url, third.store, broken)).rejects.toThrow(named);
          for await (const left of storedFiles(third.store)) throw new Error(`left behind: ${left.hash}`);
          expect((await contents(third.url)).productions ?? []).toEqual([]);
        }
      });
    });
  } finally {
    await db.destroy();
  }
});

test("a backup of an older layout is brought to today's", async () => {
  await elsewhere(async (older) => {
    const before = await openDatabase(older.url, 'Facts1700000000009');
    const [production, location, day, setup] = [1, 2, 3, 4].map(() => randomUUID());
    await before.query(
      "INSERT INTO productions (id, code, title, working_space) VALUES ($1, 'OLD', 'Older', 'rec709')",
      [production],
    );
    await before.query(
      "INSERT INTO locations (production_id, id, name, zone, latitude_deg, longitude_deg, altitude_m) VALUES ($1, $2, 'Quay', 'UTC', 52, 1, 4)",
      [production, location],
    );
    // A day that was removed under its setup, as older versions let one do.
    await before.query(
      "INSERT INTO shoot_days (production_id, id, location_id, number, date, unit, call_local, wrap_local, removed_at) VALUES ($1, $2, $3, 1, '2026-10-14', 'Main', '08:00', '18:00', now())",
      [production, day, location],
    );
    await before.query(
      "INSERT INTO setups (production_id, id, day_id, name, slate, kind, light_condition, planned_cg) VALUES ($1, $2, $3, 'Quay', '1', 'exterior', 'sun', '')",
      [production, setup, day],
    );
    const file = path.join(older.folder, 'older.tar');
    expect((await backup(before, older.store, file)).layout).toBe('Facts1700000000009');
    await before.destroy();
    await elsewhere(async (there) => {
      await restore(there.url, there.store, file);
      const db = await openDatabase(there.url);
      expect(await db.query('SELECT id, removed_at FROM shoot_days')).toEqual([{ id: day, removed_at: null }]);
      await expect(db.query('UPDATE shoot_days SET removed_at = now()')).rejects.toThrow('1 setup');
      await db.destroy();
    });
  });
});

test('what nothing refers to goes after a day, and nothing else', async () => {
  const db = await openDatabase(url);
  try {
    await elsewhere(async ({ store: copy }) => {
      const put = (text: string, ageH: number) => {
        const hash = createHash('sha256').update(text).digest('hex');
        const at = pathOfHash(copy, hash);
        fs.mkdirSync(path.dirname(at), { recursive: true });
        fs.writeFileSync(at, text);
        const when = new Date(Date.now() - ageH * 3600_000);
        fs.utimesSync(at, when, when);
        return at;
      };
      const [referenced] = await referencedHashes(db);
      const kept = pathOfHash(copy, referenced);
      fs.mkdirSync(path.dirname(kept), { recursive: true });
      fs.writeFileSync(kept, 'stands for it');
      fs.utimesSync(kept, new Date(0), new Date(0));
      const [old, young] = [put('loose and old', 25), put('loose and young', 23)];
      fs.mkdirSync(path.join(copy, 'incoming'));
      const [half, coming] = ['half', 'coming'].map((n) => path.join(copy, 'incoming', n));
      fs.writeFileSync(half, 'x');
      fs.utimesSync(half, new Date(0), new Date(0));
      fs.writeFileSync(coming, 'x');
      expect(await collect(db, copy)).toEqual({ files: 2, bytes: 'loose and old'.length + 1 });
      expect([kept, old, young, half, coming].map((f) => fs.existsSync(f))).toEqual([true, false, true, false, true]);
    });
  } finally {
    await db.destroy();
  }
});
