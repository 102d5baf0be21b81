import { randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { Client } from 'pg';
import { commitHere } from '../commit';
import { replaceSections } from '../replaceSections';
import { fullDisk } from './disk';
import { fuzz } from './fuzz';
import { hostile } from './hostile';
import { kills } from './kills';
import { table, type Row } from './report';
import type { Installation } from '../installation';
import { openTrial } from './trial';

const KILLS = Number(process.env.TAWNY_KILLS ?? 100);
const FUZZ = Number(process.env.TAWNY_FUZZ ?? 20000);

async function within(use: (trial: Installation) => Promise<Row[]>): Promise<Row[]> {
  const trial = await openTrial('faults');
  try {
    return await use(trial);
  } finally {
    await trial.stop();
  }
}

async function fuzzed({ base, databaseUrl }: Installation): Promise<Row[]> {
  const client = new Client({ connectionString: databaseUrl });
  await client.connect();
  const id = randomUUID();
  // The demo's own records, in a production that may be spoilt.
  await client.query("UPDATE productions SET code = 'FUZZ' WHERE code = 'HERN'");
  const tables = ['takes', 'setups', 'shoot_days', 'locations', 'lenses', 'camera_bodies', 'stations', 'panorama_rigs'];
  const ids: string[] = [id];
  for (const t of tables)
    ids.push(...(await client.query<{ id: string }>(`SELECT id FROM ${t} LIMIT 5`)).rows.map((r) => r.id));
  await client.end();
  const started = Date.now();
  const report = await fuzz(base, 'FUZZ', ids, { requests: FUZZ, seed: Date.now() & 0xffff, mostMs: 600_000 });
  for (const { request, answer, why } of report.wrong.slice(0, 5))
    process.stderr.write(
      `  ${why}: ${request.method} ${request.path} ${request.body?.toString('utf8').slice(0, 200) ?? ''}\n    ${answer.text.slice(0, 200)}\n`,
    );
  const counts = Object.entries(report.statuses).map(([status, n]) => `${n} × ${status}`);
  return [
    {
      what: `Requests made from the API table: right, nearly right, nonsense (${((Date.now() - started) / 1000).toFixed(0)} s)`,
      tried: `${report.requests} requests: ${counts.join(', ')}`,
      held: `${report.wrong.length} answered 500, told an inside or refused without words; slowest answer ${report.slowestMs.toFixed(0)} ms`,
      good: report.wrong.length === 0,
    },
  ];
}

/** `npm run faults -- kills` does one of them anew and keeps the others of the table. */
const SECTIONS: readonly [string, string, () => Promise<Row[]>][] = [
  ['kills', 'Processes that end', () => within((t) => kills(t, KILLS))],
  ['disk', 'A full disk', fullDisk],
  ['hostile', 'Hostile files', () => within(hostile)],
  ['fuzz', 'Hostile requests', () => within(fuzzed)],
];
const wanted = process.argv.slice(2);
const unknown = wanted.filter((w) => !SECTIONS.some(([name]) => name === w));
if (unknown.length > 0)
  throw new RangeError(`no section is called ${unknown.join(', ')}: there are ${SECTIONS.map(([n]) => n).join('; ')}`);
const commit = commitHere();
const parts = [
  '# Reliability',
  '',
  'Written by `npm run faults`; do not edit. What was done to a running installation of its own, what was tried, and what held. Uploads broken in every way, files cut at every place, lost leases, backups and damaged backups are in the suite (`e2e/api/broken-uploads`, `packages/formats/tests/whole`, `e2e/api/workers`, `e2e/api/upkeep`).',
  '',
];
let good = true;
for (const [name, title, run] of SECTIONS) {
  if (wanted.length > 0 && !wanted.includes(name)) continue;
  process.stderr.write(`${title} ...\n`);
  const rows = await run();
  for (const r of rows) process.stderr.write(`  ${r.good ? 'held' : 'NOT HELD'}: ${r.what}: ${r.tried}: ${r.held}\n`);
  good &&= rows.every((r) => r.good);
  parts.push(`## ${title}`, '', `Done on ${commit}.`, '', table(rows), '');
}
const target = fileURLToPath(new URL('../../docs/reliability.md', import.meta.url));
const text = parts.join('\n');
const old = await fs.readFile(target, 'utf8').catch(() => null);
await fs.writeFile(target, wanted.length === 0 || old === null ? text : replaceSections(old, text));
process.exit(good ? 0 : 1);
