import { execFile } from 'node:child_process';
import fs from 'node:fs/promises';
import { promisify } from 'node:util';
import type { Db } from '../db/dataSource';
import { referencedHashes } from './references';
import { sha256Of, storedFiles } from './storeFolder';

const run = promisify(execFile);

export interface Finding {
  what: string;
  ok: boolean;
  /** What was found; with what to do when it is not well. */
  says: string;
}

const LEAST_FREE = 10 * 2 ** 30;
const LONGEST_WAIT_MIN = 30;
const CLOCK_S = 2;
const gib = (bytes: number) => `${(bytes / 2 ** 30).toFixed(1)} GiB`;

/** One thing that is looked at; a look that fails is a finding, not the end. */
async function look(what: string, at: () => Promise<Omit<Finding, 'what'>>): Promise<Finding> {
  try {
    return { what, ...(await at()) };
  } catch (error) {
    return { what, ok: false, says: `cannot be looked at: ${(error as Error).message}` };
  }
}

const names = (list: readonly string[]) =>
  `${list.slice(0, 5).join(', ')}${list.length > 5 ? ` and ${list.length - 5} more` : ''}`;

async function store(db: Db, folder: string): Promise<Omit<Finding, 'what'>> {
  const referenced = await referencedHashes(db);
  const changed: string[] = [];
  const there = new Set<string>();
  let [bytes, loose] = [0, 0];
  for await (const file of storedFiles(folder)) {
    there.add(file.hash);
    bytes += file.size;
    if (!referenced.has(file.hash)) loose++;
    if ((await sha256Of(file.path)) !== file.hash) changed.push(file.hash);
  }
  const missing = [...referenced].filter((h) => !there.has(h));
  if (changed.length + missing.length > 0)
    return {
      ok: false,
      says: [
        missing.length > 0 ? `${missing.length} files that records name are missing (${names(missing)})` : '',
        changed.length > 0 ? `${changed.length} files are not what they were (${names(changed)})` : '',
        'put them back from a backup under these names',
      ]
        .filter(Boolean)
        .join('; '),
    };
  return {
    ok: true,
    says: `${there.size} files of ${gib(bytes)}, every sum right${loose > 0 ? `; ${loose} are named by no record and go after a day` : ''}`,
  };
}

/** Looks at everything that a day on set rests on, and says of each that it is well, or what to do. */
export async function doctor(db: Db, folder: string): Promise<Finding[]> {
  return [
    await look('database', async () => {
      const [{ checksums }]: { checksums: string }[] = await db.query(
        "SELECT current_setting('data_checksums') AS checksums",
      );
      const [{ failures }]: { failures: string }[] = await db.query(
        'SELECT coalesce(sum(checksum_failures), 0) AS failures FROM pg_stat_database',
      );
      const [{ size }]: { size: string }[] = await db.query('SELECT pg_database_size(current_database()) AS size');
      const productions: unknown[] = await db.query('SELECT 1 FROM productions');
      if (Number(failures) > 0)
        return {
          ok: false,
          says: `${failures} pages failed their sums: the disk is failing; restore a backup elsewhere`,
        };
      if (checksums !== 'on')
        return {
          ok: false,
          says: 'pages are not summed: stop the server cleanly and start it again, which turns it on',
        };
      return { ok: true, says: `${productions.length} productions in ${gib(Number(size))}, pages summed` };
    }),
    await look('layout', async () => {
      const pending = await db.showMigrations();
      return pending
        ? { ok: false, says: 'the database is of an older version: start the server, which brings it up to date' }
        : { ok: true, says: 'as this version wants it' };
    }),
    await look('files', () => store(db, folder)),
    await look('queue', async () => {
      const [{ waiting, oldest, failed }]: { waiting: number; oldest: number; failed: number }[] = await db.query(
        `SELECT count(*) FILTER (WHERE state = 'queued')::int AS waiting,
           coalesce(extract(epoch FROM now() - min(created_at) FILTER (WHERE state = 'queued' AND NOT background)) / 60, 0)::float8 AS oldest,
           count(*) FILTER (WHERE state = 'failed' AND finished_at > now() - interval '1 day')::int AS failed FROM jobs`,
      );
      const text = `${waiting} jobs waiting, ${failed} failed in the last day`;
      return oldest > LONGEST_WAIT_MIN
        ? { ok: false, says: `${text}; the oldest waits for ${Math.round(oldest)} min: look whether a worker runs` }
        : { ok: true, says: text };
    }),
    await look('disk', async () => {
      const { bavail, bsize } = await fs.statfs(folder);
      const free = bavail * bsize;
      return free < LEAST_FREE
        ? { ok: false, says: `only ${gib(free)} free: make room before the next round (a round is 1 to 4 GiB)` }
        : { ok: true, says: `${gib(free)} free` };
    }),
    await look('clock', async () => {
      const [{ now }]: { now: Date }[] = await db.query('SELECT clock_timestamp() AS now');
      const apart = Math.abs(now.getTime() - Date.now()) / 1000;
      return apart > CLOCK_S
        ? { ok: false, says: `database and server are ${apart.toFixed(0)} s apart: set the clocks` }
        : { ok: true, says: `${new Date().toISOString()}, database and server agree` };
    }),
    await look('tools', async () => {
      const found: string[] = [];
      for (const [program, args, pattern] of [
        ['ffmpeg', ['-version'], /ffmpeg version (\S+)/],
        ['ffprobe', ['-version'], /ffprobe version (\S+)/],
        ['raw-identify', [], /./],
        ['dcraw_emu', [], /./],
      ] as const) {
        const text = await run(program, [...args]).then(
          (r) => r.stdout + r.stderr,
          (e: NodeJS.ErrnoException & { stdout?: string; stderr?: string }) => {
            if (e.code === 'ENOENT') return null;
            return `${e.stdout ?? ''}${e.stderr ?? ''}`;
          },
        );
        if (text === null) return { ok: false, says: `${program} is not installed: start once with "npm start"` };
        found.push(`${program} ${text.match(pattern)?.[1] ?? ''}`.trim());
      }
      return { ok: true, says: `node ${process.version}, ${found.join(', ')}` };
    }),
  ];
}
