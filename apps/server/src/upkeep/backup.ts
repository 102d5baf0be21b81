import { createHash } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import fs from 'node:fs/promises';
import { pipeline } from 'node:stream/promises';
import tar from 'tar-stream';
import type { EntityManager } from 'typeorm';
import type { Db } from '../db/dataSource';
import { orGone } from '../files/orGone';
import { referencedHashes } from './references';
import { pathOfHash } from './storeFolder';

export const BACKUP_FORMAT = 1;
const PAGE = 500;
/** Its rows are held against the facts that they are about when they are put in: those must be there. */
const LAST = 'used_facts';

export interface Manifest {
  format: number;
  madeAt: string;
  /** Name of the newest step of the database's layout that it holds. */
  layout: string;
  /** Rows of every table, parents before their children. */
  tables: { name: string; rows: number }[];
  files: { hash: string; bytes: number }[];
}

/** Every table of the application, such that what a row refers to comes before it. */
export async function tablesInOrder(db: EntityManager): Promise<string[]> {
  const tables: { name: string }[] = await db.query(
    "SELECT relname AS name FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind = 'r' AND relname <> 'migrations' ORDER BY 1",
  );
  const links: { child: string; parent: string }[] = await db.query(
    "SELECT DISTINCT conrelid::regclass::text AS child, confrelid::regclass::text AS parent FROM pg_constraint WHERE contype = 'f' AND conrelid <> confrelid",
  );
  const out: string[] = [];
  const waiting = new Set(tables.map((t) => t.name));
  while (waiting.size > 0) {
    const next = [...waiting].filter((t) => !links.some((l) => l.child === t && waiting.has(l.parent)));
    if (next.length === 0) throw new Error(`tables refer to each other in a ring: ${[...waiting].join(', ')}`);
    for (const t of next) {
      out.push(t);
      waiting.delete(t);
    }
  }
  return [...out.filter((t) => t !== LAST), LAST];
}

/** Rows of a table as JSON texts, in pages, as the transaction sees them. */
async function* rowsOf(tx: EntityManager, table: string): AsyncGenerator<string> {
  const cursor = `read_${table}`;
  await tx.query(`DECLARE ${cursor} NO SCROLL CURSOR FOR SELECT to_jsonb(t)::text AS row FROM ${table} t`);
  for (;;) {
    const page: { row: string }[] = await tx.query(`FETCH ${PAGE} FROM ${cursor}`);
    if (page.length === 0) break;
    for (const { row } of page) yield row;
  }
  await tx.query(`CLOSE ${cursor}`);
}

/**
 * Writes everything that one would miss into one tar: records as of one moment while work goes on, the originals that they name,
 * and a sum of every entry. The file appears when it is whole.
 * @throws Error naming a stored file that is missing or changed
 */
export async function backup(db: Db, folder: string, target: string): Promise<Manifest> {
  const pack = tar.pack();
  const part = `${target}.part`;
  const written = pipeline(pack, createWriteStream(part, { flush: true }));
  // A reader that fails ends the writer, too.
  written.catch(() => undefined);
  const sums: string[] = [];
  const put = (name: string, body: Buffer) =>
    new Promise<void>((resolve, reject) => {
      sums.push(`${createHash('sha256').update(body).digest('hex')}  ${name}`);
      pack.entry({ name, size: body.length }, body, (error) => (error ? reject(error) : resolve()));
    });
  const putFile = async (hash: string, bytes: number) => {
    const name = `files/${hash}`;
    const entry = pack.entry({ name, size: bytes });
    const digest = createHash('sha256');
    const source = createReadStream(pathOfHash(folder, hash));
    source.on('data', (chunk) => digest.update(chunk));
    await pipeline(source, entry);
    if (digest.digest('hex') !== hash) throw new Error(`the stored file ${hash} is not what it was: its sum differs`);
    sums.push(`${hash}  ${name}`);
  };
  const runner = db.createQueryRunner();
  try {
    await runner.startTransaction('REPEATABLE READ');
    await runner.query('SET TRANSACTION READ ONLY');
    const tx = runner.manager;
    const [{ name: layout }]: { name: string }[] = await tx.query(
      'SELECT name FROM migrations ORDER BY id DESC LIMIT 1',
    );
    const manifest: Manifest = {
      format: BACKUP_FORMAT,
      madeAt: new Date().toISOString(),
      layout,
      tables: [],
      files: [],
    };
    for (const table of await tablesInOrder(tx)) {
      const rows: string[] = [];
      for await (const row of rowsOf(tx, table)) rows.push(row);
      manifest.tables.push({ name: table, rows: rows.length });
      await put(`records/${table}.ndjson`, Buffer.from(rows.map((r) => `${r}\n`).join(''), 'utf8'));
    }
    for (const hash of [...(await referencedHashes(tx))].sort()) {
      const stat = await orGone(fs.stat(pathOfHash(folder, hash)));
      if (!stat) throw new Error(`the stored file ${hash} is missing although a record names it: run "tawny doctor"`);
      manifest.files.push({ hash, bytes: stat.size });
    }
    await runner.commitTransaction();
    for (const { hash, bytes } of manifest.files) await putFile(hash, bytes);
    await put('manifest.json', Buffer.from(JSON.stringify(manifest, null, 1), 'utf8'));
    const list = Buffer.from(`${sums.join('\n')}\n`, 'utf8');
    await new Promise<void>((resolve, reject) =>
      pack.entry({ name: 'SHA256SUMS', size: list.length }, list, (e) => (e ? reject(e) : resolve())),
    );
    pack.finalize();
    await written;
    await fs.rename(part, target);
    return manifest;
  } catch (error) {
    if (runner.isTransactionActive) await runner.rollbackTransaction();
    pack.destroy();
    await fs.rm(part, { force: true });
    throw error;
  } finally {
    await runner.release();
  }
}
