import { createHash } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import fs from 'node:fs/promises';
import path from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import tar from 'tar-stream';
import { z } from 'zod';
import { openDatabase, type Db } from '../db/dataSource';
import { BACKUP_FORMAT, type Manifest } from './backup';
import { pathOfHash, storedFiles } from './storeFolder';

const PAGE = 500;

const manifestSchema = z.object({
  format: z.number(),
  madeAt: z.string(),
  layout: z.string(),
  tables: z.array(z.object({ name: z.string().regex(/^[a-z_]+$/), rows: z.number().int() })),
  files: z.array(z.object({ hash: z.string().regex(/^[0-9a-f]{64}$/), bytes: z.number().int() })),
});

/** What was unpacked and summed: entry name to where it lies and its SHA-256. */
type Unpacked = Map<string, { path: string; sum: string }>;

async function unpack(file: string, into: string): Promise<Unpacked> {
  const found: Unpacked = new Map();
  const extract = tar.extract();
  const source = pipeline(createReadStream(file), extract);
  source.catch(() => undefined);
  let count = 0;
  try {
    for await (const entry of extract) {
      const { name } = entry.header;
      if (!/^(records\/[a-z_]+\.ndjson|files\/[0-9a-f]{64}|manifest\.json|SHA256SUMS)$/.test(name))
        throw new Error(`it holds "${name}", which no backup holds`);
      const at = path.join(into, String(count++));
      const digest = createHash('sha256');
      const sum = new Transform({
        transform(chunk: Buffer, _encoding, done) {
          digest.update(chunk);
          done(null, chunk);
        },
      });
      await pipeline(entry, sum, createWriteStream(at, { flush: true }));
      found.set(name, { path: at, sum: digest.digest('hex') });
    }
    await source;
  } catch (error) {
    throw new Error(`${path.basename(file)} is damaged or breaks off: ${(error as Error).message}`);
  }
  return found;
}

/** Holds everything that was unpacked against its sum and the manifest. @throws Error naming what is missing or changed */
async function verified(unpacked: Unpacked, file: string): Promise<Manifest> {
  const bad = (what: string) => new Error(`${path.basename(file)} is damaged: ${what}; nothing was restored`);
  const sums = unpacked.get('SHA256SUMS');
  const head = unpacked.get('manifest.json');
  if (!sums || !head) throw bad('its list of sums or its manifest is missing');
  const listed = (await fs.readFile(sums.path, 'utf8')).trim().split('\n');
  for (const line of listed) {
    const [sum, name] = [line.slice(0, 64), line.slice(66)];
    const entry = unpacked.get(name);
    if (!entry) throw bad(`${name} is missing`);
    if (entry.sum !== sum) throw bad(`${name} is not what it was`);
  }
  const manifest = manifestSchema.parse(JSON.parse(await fs.readFile(head.path, 'utf8')));
  if (manifest.format > BACKUP_FORMAT)
    throw new Error(`${path.basename(file)} was written by a newer version (format ${manifest.format}): update first`);
  for (const { hash } of manifest.files)
    if (unpacked.get(`files/${hash}`)?.sum !== hash) throw bad(`files/${hash} is missing or not what it was`);
  return manifest;
}

async function load(db: Db, manifest: Manifest, unpacked: Unpacked): Promise<void> {
  await db.transaction(async (tx) => {
    for (const { name, rows } of manifest.tables) {
      const text = await fs.readFile(unpacked.get(`records/${name}.ndjson`)!.path, 'utf8');
      const all = text === '' ? [] : text.trimEnd().split('\n');
      if (all.length !== rows) throw new Error(`records/${name}.ndjson has ${all.length} rows instead of ${rows}`);
      for (let i = 0; i < all.length; i += PAGE)
        await tx.query(`INSERT INTO ${name} SELECT * FROM jsonb_populate_recordset(NULL::${name}, $1::jsonb)`, [
          `[${all.slice(i, i + PAGE).join(',')}]`,
        ]);
    }
  });
}

/**
 * Puts a backup on a machine that has nothing yet, to the same ids and bytes. Everything is unpacked, summed and compared before
 * anything is put in place. A backup of an older layout is brought to today's.
 * @throws Error when the backup is damaged (naming what), or when there is anything that it would overwrite
 */
export async function restore(url: string, folder: string, file: string): Promise<Manifest> {
  for await (const there of storedFiles(folder))
    throw new Error(`the store is not empty (${there.hash}): a backup is restored where nothing is yet`);
  const into = path.join(folder, 'incoming', 'restore');
  await fs.rm(into, { recursive: true, force: true });
  await fs.mkdir(into, { recursive: true });
  try {
    const unpacked = await unpack(file, into);
    const manifest = await verified(unpacked, file);
    // The layout that the backup was made with; the steps since then are done to its records.
    const older = await openDatabase(url, manifest.layout);
    try {
      const [{ n }]: { n: string }[] = await older.query('SELECT count(*) AS n FROM productions');
      if (Number(n) > 0)
        throw new Error(`the database has ${n} productions: a backup is restored where nothing is yet`);
      for (const { hash } of manifest.files) {
        await fs.mkdir(path.dirname(pathOfHash(folder, hash)), { recursive: true });
        await fs.rename(unpacked.get(`files/${hash}`)!.path, pathOfHash(folder, hash));
      }
      await load(older, manifest, unpacked);
    } finally {
      await older.destroy();
    }
    const today = await openDatabase(url);
    // What it knows of its tables did not come along: without it the first minute's questions are planned for empty ones.
    await today.query('ANALYZE').finally(() => today.destroy());
    return manifest;
  } finally {
    await fs.rm(into, { recursive: true, force: true });
  }
}
