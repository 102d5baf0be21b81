import { createHash, randomUUID } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { Client } from 'pg';
import { CLIENT_HEADER, type Job, type LensRecord, type CameraBody, type Setup } from '@tawny/contract';
import { encodeJpeg } from '@tawny/formats';
import type { Row } from './report';
import type { Installation } from '../installation';

const CLIENTS = 6;
const API = '/api/v1/productions/HERN';
const JOBS_AT_MOST = 400;
/** After the last kill everything must have come to rest in this time. */
const REST_MS = 60_000;

interface Acknowledged {
  takes: string[];
  references: { id: string; hash: string }[];
  jobs: { id: string; takeId: string }[];
}

/** Asks until there is an answer; a write is sent again under its key, as every client of ours does. */
async function insist(
  base: string,
  at: string,
  init: () => RequestInit,
  until: () => boolean,
): Promise<Response | null> {
  for (;;) {
    try {
      const response = await fetch(`${base}${API}${at}`, init());
      if (response.status < 500) return response;
    } catch {
      // The line broke: whether it was done is not known.
    }
    if (until()) return null;
    await new Promise((r) => setTimeout(r, 150));
  }
}

const json = (body: unknown, key: string): RequestInit => ({
  method: 'POST',
  headers: { 'Content-Type': 'application/json', 'Idempotency-Key': key, [CLIENT_HEADER]: 'faults' },
  body: JSON.stringify(body),
});

/** A crew that logs, photographs and asks for work without end. Returns what was acknowledged. */
async function load(base: string, setup: Setup, done: () => boolean): Promise<Acknowledged> {
  const ok: Acknowledged = { takes: [], references: [], jobs: [] };
  const list = async <T>(at: string) => ((await (await fetch(`${base}${API}${at}`)).json()) as { items: T[] }).items;
  const body = (await list<CameraBody>('/bodies')).find((b) => b.name === 'Corrie Thumb')!;
  const lens = (await list<LensRecord>('/lenses')).find((l) => l.kind === 'prime')!;
  const client = async (n: number) => {
    for (let k = 0; !done(); k++) {
      const id = randomUUID();
      const take = {
        id, setupId: setup.id, slate: `K${n}`, take: k + 1, camera: 'A', status: 'good', bodyId: body.id, formatName: 'thumb', lensId: lens.id, focalLengthMm: lens.focalMinMm,
        tStop: 8, ei: 800, shutterAngleDeg: 180, fps: 24, whiteBalanceK: 5600, ndStops: 0, heightM: 1.5, tiltDeg: 0, headingDeg: (7 * k + 53 * n) % 360, focusM: 3, eastM: 0, northM: 0,
        lightCondition: 'sun out', shotAt: '2026-10-14T15:00:00Z', notes: '',
      }; // prettier-ignore
      if ((await insist(base, '/takes', () => json(take, id), done))?.status === 201) ok.takes.push(id);
      else continue;
      const codes = Uint8Array.from({ length: 48 * 32 * 3 }, (_, i) => (i * (n + 3) + k * 97) % 230);
      const bytes = await encodeJpeg(codes, 48, 32);
      const form = () => {
        const data = new FormData();
        data.append('frames', new Blob([new Uint8Array(bytes)], { type: 'image/jpeg' }), `k${n}_${k}.jpg`);
        return { method: 'POST', headers: { [CLIENT_HEADER]: 'faults' }, body: data };
      };
      const sent = await insist(base, `/references?setupId=${setup.id}&kind=setPhoto`, form, done);
      if (sent?.status === 201) {
        const [record] = ((await sent.json()) as { items: { id: string; hash: string }[] }).items;
        if (record.hash !== createHash('sha256').update(bytes).digest('hex'))
          throw new Error(`a photograph of another sum was acknowledged: ${record.hash}`);
        ok.references.push(record);
      }
      if (ok.jobs.length < JOBS_AT_MOST && k % 2 === 0) {
        const key = randomUUID();
        const asked = await insist(base, `/takes/${id}/plates/simulate`, () => json({}, key), done);
        if (asked?.status === 202) ok.jobs.push({ id: ((await asked.json()) as Job).id, takeId: id });
      }
    }
  };
  await Promise.all(Array.from({ length: CLIENTS }, (_, n) => client(n)));
  return ok;
}

/** Ends server, worker and database in turn at random moments while a crew works, and holds what was acknowledged against what is there. */
export async function kills(trial: Installation, each: number): Promise<Row[]> {
  const { base, services, filesFolder } = trial;
  const setup = ((await (await fetch(`${base}${API}/setups`)).json()) as { items: Setup[] }).items.find(
    (s) => s.name === 'Quay, low sun',
  )!;
  const thumb = { name: 'thumb', gateWidthMm: 24, gateHeightMm: 13.5, widthPx: 96, heightPx: 54, maxFps: 24 };
  const made = randomUUID();
  await fetch(`${base}${API}/bodies`, json({ id: made, name: 'Corrie Thumb', baseEi: 800, formats: [thumb] }, made));
  let over = false;
  const crew = load(base, setup, () => over);
  crew.catch(() => undefined);
  const victims = {
    server: () => services.server.pid,
    worker: () => services.worker.pid,
    database: () => Number(fs.readFileSync(path.join(trial.folder, 'pg', 'postmaster.pid'), 'utf8').split('\n')[0]),
  };
  const killed = { server: 0, worker: 0, database: 0 };
  const started = Date.now();
  for (let k = 0; k < each; k++)
    for (const name of ['server', 'worker', 'database'] as const) {
      // Often in the middle of a start, often in the middle of work.
      await new Promise((r) => setTimeout(r, 300 + Math.random() * 7000));
      try {
        process.kill(victims[name](), 'SIGKILL');
        killed[name]++;
      } catch {
        // It is just being started again.
      }
    }
  const minutes = (Date.now() - started) / 60000;
  // The crew ends its work on a running server; then the queue has a minute.
  await new Promise((r) => setTimeout(r, 8000));
  over = true;
  const ok = await crew;
  const client = new Client({ connectionString: trial.databaseUrl });
  await client.connect();
  try {
    const rows = async <T extends object>(sql: string, values: unknown[] = []) =>
      (await client.query(sql, values)).rows as T[];
    const open = () => rows("SELECT 1 FROM jobs WHERE state IN ('queued', 'running')");
    const rest = Date.now();
    while ((await open()).length > 0 && Date.now() - rest < REST_MS + 20_000 * 3)
      await new Promise((r) => setTimeout(r, 500));
    const restS = (Date.now() - rest) / 1000;
    const stuck = (await open()).length;
    const takes = new Set((await rows<{ id: string }>("SELECT id FROM takes WHERE slate LIKE 'K%'")).map((r) => r.id));
    const doubledTakes = await rows(
      "SELECT 1 FROM takes WHERE slate LIKE 'K%' GROUP BY setup_id, slate, take HAVING count(*) > 1",
    );
    const references = await rows<{ id: string; hash: string }>(
      'SELECT id, hash FROM set_references WHERE setup_id = $1',
      [setup.id],
    );
    const byHash = new Map(references.map((r) => [r.hash, r.id]));
    const lostFiles = ok.references.filter(({ id, hash }) => {
      const file = path.join(filesFolder, hash.slice(0, 2), hash);
      return (
        byHash.get(hash) !== id ||
        !fs.existsSync(file) ||
        createHash('sha256').update(fs.readFileSync(file)).digest('hex') !== hash
      );
    });
    const states = new Map(
      (await rows<{ id: string; state: string }>('SELECT id, state FROM jobs')).map((r) => [r.id, r.state]),
    );
    const notDone = ok.jobs.filter((j) => states.get(j.id) !== 'done');
    const plates = new Map(
      (await rows<{ take_id: string; n: string }>('SELECT take_id, count(*) AS n FROM plates GROUP BY take_id')).map(
        (r) => [r.take_id, Number(r.n)],
      ),
    );
    const doubledPlates = ok.jobs.filter((j) => (plates.get(j.takeId) ?? 0) > 1);
    const lostTakes = ok.takes.filter((id) => !takes.has(id));
    const lost = lostTakes.length + lostFiles.length + notDone.length;
    for (const id of lostTakes) process.stderr.write(`  lost: take ${id}\n`);
    for (const r of lostFiles) process.stderr.write(`  lost: photograph ${r.id} ${r.hash}\n`);
    for (const j of notDone)
      process.stderr.write(
        `  not done: ${JSON.stringify((await rows('SELECT id, state, attempt, error, worker FROM jobs WHERE id = $1', [j.id]))[0])}\n`,
      );
    const doubled = doubledTakes.length + (references.length - byHash.size) + doubledPlates.length;
    return [
      {
        what: `${killed.server} kills of the server, ${killed.worker} of the worker, ${killed.database} of the database at random moments of ${minutes.toFixed(1)} min of load`,
        tried: `${ok.takes.length} takes, ${ok.references.length} photographs, ${ok.jobs.length} jobs acknowledged`,
        held: `${lost} lost, ${doubled} doubled, ${stuck} stuck; at rest after ${restS.toFixed(0)} s`,
        good: lost + doubled + stuck === 0 && restS <= REST_MS / 1000,
      },
    ];
  } finally {
    await client.end();
  }
}
