import { spawn, type ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { expect, test, type APIRequestContext } from '@playwright/test';
import type { CameraBody, Job, Take } from '@tawny/contract';
import { openDatabase } from '../../apps/server/src/db/dataSource';
import { beat, claim, LeaseLost, MOST_ATTEMPTS, publish, settle } from '../../apps/server/src/jobs/lease';
import { sql } from '../support/database';
import { bench, CLIENT, ended, getJson, newRound, newTake, postJson, sendFrames } from '../support/api';
import { latlongBracket } from '../support/frames';

const url = () => process.env.TAWNY_E2E_DATABASE!;
const root = process.cwd();

/** A worker of our own beside the suite's: a separate process with a temporary folder of its own, and a lease of a second. */
async function startWorker(folder: string, n: number): Promise<ChildProcess> {
  const own = path.join(folder, `tmp-${n}`);
  fs.mkdirSync(own);
  const child = spawn(process.execPath, [path.join(process.env.TAWNY_E2E_PROGRAMS!, 'worker.mjs')], {
    cwd: root,
    env: {
      ...process.env,
      TAWNY_DATABASE_URL: url(),
      TAWNY_FILES: process.env.TAWNY_E2E_FILES!,
      TAWNY_LOG: 'info',
      TAWNY_LEASE_MS: '1500',
      TMPDIR: own,
    },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  await new Promise<void>((resolve, reject) => {
    child.once('exit', () => reject(new Error('the worker did not start')));
    child.stdout!.on('data', (text: Buffer) => text.includes('worker ready') && resolve());
  });
  return child;
}

const gone = (child: ChildProcess, signal: NodeJS.Signals) =>
  new Promise<void>((resolve) => {
    if (child.exitCode !== null || child.signalCode !== null) return resolve();
    child.once('exit', () => resolve());
    child.kill(signal);
  });

/** A take whose simulated plate is small: dozens are photographed in seconds. */
async function smallTake(request: APIRequestContext): Promise<Take> {
  const bodies = (await getJson<{ items: CameraBody[] }>(request, '/bodies')).items;
  const there = bodies.find((b) => b.name === 'Corrie Thumb');
  const { body } = there
    ? { body: there }
    : await postJson(request, '/bodies', {
        id: randomUUID(),
        name: 'Corrie Thumb',
        baseEi: 800,
        formats: [{ name: 'thumb', gateWidthMm: 24, gateHeightMm: 13.5, widthPx: 96, heightPx: 54, maxFps: 24 }],
      });
  const { setup } = await bench(request);
  return newTake(request, setup.id, { bodyId: body.id, formatName: 'thumb' });
}

for (const count of [2, 4]) {
  test(`${count} workers: every job is done once, also those whose worker was killed`, async ({ request }) => {
    const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-workers-'));
    const workers = await Promise.all(Array.from({ length: count }, (_, n) => startWorker(folder, n)));
    try {
      const takes: Take[] = [];
      // Every take looks elsewhere, so that every plate is rendered.
      const model = await smallTake(request);
      for (let k = 0; k < 24; k++)
        takes.push(
          await newTake(request, model.setupId, {
            bodyId: model.bodyId,
            formatName: 'thumb',
            take: k + 2,
            headingDeg: 10 * k,
            eastM: -count,
          }),
        );
      const jobs: Job[] = [];
      for (const take of takes) {
        const { status, body } = await postJson(request, `/takes/${take.id}/plates/simulate`, {});
        expect(status).toBe(202);
        jobs.push(body as Job);
      }
      // Half of the workers die without a word in the middle of a job; what they held is taken up by others.
      let orphans = 0;
      for (const dying of workers.slice(0, count / 2)) {
        const holds = "SELECT 1 FROM jobs WHERE state = 'running' AND worker LIKE $1";
        await expect.poll(async () => (await sql(holds, [`%:${dying.pid}:%`])).length, { intervals: [10] }).toBe(1);
        await gone(dying, 'SIGKILL');
        // It may have ended its job in the last moment.
        orphans += (await sql(holds, [`%:${dying.pid}:%`])).length;
      }
      const done = await Promise.all(jobs.map((j) => ended(j)));
      // The whole job, so that a failure tells its reason.
      expect(done.filter((j) => j.state !== 'done')).toEqual([]);
      const ids = takes.map((t) => t.id);
      const plates = await sql<{ id: string }>('SELECT id FROM plates WHERE take_id = ANY($1)', [ids]);
      // Nothing twice, nothing lost, and every job names the one that it made.
      expect(plates.map((p) => p.id).sort()).toEqual(done.map((j) => j.resultId!).sort());
      expect(done.filter((j) => j.attempt > 1).length).toBeGreaterThanOrEqual(orphans);
      const took = await sql('SELECT DISTINCT worker FROM jobs WHERE subject_id = ANY($1)', [ids]);
      expect(took.length).toBeGreaterThan(1);
    } finally {
      await Promise.all(workers.map((w) => gone(w, 'SIGTERM')));
      fs.rmSync(folder, { recursive: true, force: true });
    }
  });
}

test('a lost lease can neither tell, publish nor settle; a job that ends its workers is given up by name', async ({
  request,
}) => {
  const take = await smallTake(request);
  const [{ production_id: productionId }] = await sql<{ production_id: string }>(
    'SELECT production_id FROM takes WHERE id = $1',
    [take.id],
  );
  const db = await openDatabase(url());
  try {
    const id = randomUUID();
    await sql(
      `INSERT INTO jobs (id, production_id, kind, subject_id, state, stage, progress, log, input, worker, attempt, lease_until, background)
       VALUES ($1, $2, 'simulatePlate', $3, 'running', '', 0, '[]', '{}', 'first', 1, now() + interval '1 hour', true)`,
      [id, productionId, take.id],
    );
    const first = {
      id,
      productionId,
      kind: 'simulatePlate',
      subjectId: take.id,
      input: {},
      attempt: 1,
      worker: 'first',
    } as const;
    const told = { stage: 'half', progress: 0.5, log: ['a line'] };
    expect(await beat(db, first, told, 5000)).toEqual({ cancelRequested: false });
    // Somebody else has it now.
    await sql("UPDATE jobs SET worker = 'second', attempt = 2 WHERE id = $1", [id]);
    await expect(beat(db, first, told, 5000)).rejects.toThrow(LeaseLost);
    let recorded = 0;
    const record = async () => {
      recorded++;
      return null;
    };
    await expect(publish(db, first, [], record)).rejects.toThrow(LeaseLost);
    await expect(settle(db, first, [], { state: 'failed', error: null })).rejects.toThrow(LeaseLost);
    expect(recorded).toBe(0);
    // What a publication began and could not end leaves nothing, and the job stays the holder's.
    const second = { ...first, worker: 'second', attempt: 2 };
    const half = publish(db, second, [], async (tx) => {
      await tx.query('UPDATE takes SET notes = $2 WHERE id = $1', [take.id, 'half written']);
      throw new Error('the disk is full');
    });
    await expect(half).rejects.toThrow('the disk is full');
    expect((await getJson<Take>(request, `/takes/${take.id}`)).notes).toBe('');
    await publish(db, second, ['done'], record);
    expect(recorded).toBe(1);
    expect(await getJson<Job>(request, `/jobs/${id}`)).toMatchObject({ state: 'done', log: ['done'], attempt: 2 });
    // The last of its workers died too: it is not tried for ever.
    const poison = randomUUID();
    // Asked for later than a worker that this machine held up for its lease can have been lost.
    await sql(
      `INSERT INTO jobs (id, production_id, kind, subject_id, state, stage, progress, log, input, worker, attempt, lease_until, created_at)
       VALUES ($1, $2, 'simulatePlate', $3, 'running', '', 0, '[]', '{}', 'last', $4, now() - interval '1 minute', now() + interval '1 hour')`,
      [poison, productionId, take.id, MOST_ATTEMPTS],
    );
    const end = await ended({ id: poison } as Job);
    expect(end).toMatchObject({ state: 'failed', error: { code: 'worker-lost' } });
    expect(end.error!.message).toContain('ended 3 times');
    expect(await claim(db, 'nobody', 1000).then((job) => job?.id)).not.toBe(poison);
    // Where workers of other jobs were lost as well it is not the job: it is tried again, and done.
    await sql('UPDATE jobs SET lost_at = now() WHERE id = $1', [poison]);
    const spared = randomUUID();
    await sql(
      `INSERT INTO jobs (id, production_id, kind, subject_id, state, stage, progress, log, input, worker, attempt, lease_until, created_at)
       VALUES ($1, $2, 'simulatePlate', $3, 'running', '', 0, '[]', '{}', 'last', $4, now() - interval '1 minute', now() - interval '2 minutes')`,
      [spared, productionId, take.id, MOST_ATTEMPTS],
    );
    expect(await ended({ id: spared } as Job)).toMatchObject({ state: 'done', attempt: MOST_ATTEMPTS + 1 });
  } finally {
    await db.destroy();
  }
});

test("the user's work goes before the stand-ins', and one's place in the queue is told", async ({ request }) => {
  const take = await smallTake(request);
  const ask = async (background: boolean) => {
    const response = await request.post(`/api/v1/productions/HERN/takes/${take.id}/plates/simulate`, {
      data: {},
      headers: { 'Idempotency-Key': randomUUID(), ...CLIENT, ...(background ? { 'Tawny-Background': 'yes' } : {}) },
    });
    return (await response.json()) as Job;
  };
  const crew = [await ask(true), await ask(true), await ask(true), await ask(true)];
  const mine = await ask(false);
  // At most what already ran is before it.
  expect(mine.ahead).toBeLessThanOrEqual(1);
  expect(crew[3].ahead).toBeGreaterThanOrEqual(mine.ahead);
  const last = await ended(crew[3]);
  const own = await ended(mine);
  expect(own.state).toBe('done');
  expect(Date.parse(own.finishedAt!)).toBeLessThan(Date.parse(last.finishedAt!));
});

test('two sends of a write at the same time run once and hear the same', async ({ request }) => {
  const { station } = await bench(request);
  for (let round = 0; round < 5; round++) {
    const key = randomUUID();
    const body = {
      id: randomUUID(),
      stationId: station.id,
      name: `Twice ${round}`,
      lightCondition: 'twice',
      shotAt: '2026-10-14T15:00:00Z',
      rig: { projection: 'equidistant', fovDeg: 185, views: 6 },
    };
    const answers = await Promise.all(Array.from({ length: 6 }, () => postJson(request, '/rounds', body, key)));
    expect(answers.map((a) => a.status)).toEqual(answers.map(() => 201));
    for (const a of answers) expect(a.body).toEqual(answers[0].body);
    expect(answers.filter((a) => a.headers['idempotency-replayed'] === 'true')).toHaveLength(5);
  }
});

test('packages that are asked for at the same time get different numbers', async ({ request }) => {
  const { setup } = await bench(request);
  const take = await newTake(request, setup.id);
  const round = await newRound(request, { projection: 'latlong', fovDeg: 360, views: 1 });
  await sendFrames(request, round.id, await latlongBracket());
  const build = (await postJson(request, `/rounds/${round.id}/build`, { widthPx: 256 })).body as Job;
  const panorama = { id: (await ended(build)).resultId! };
  const ask = () =>
    postJson(request, '/handoffs', { id: randomUUID(), setupId: setup.id, panoramaId: panorama.id, takeId: take.id });
  const jobs = (await Promise.all([ask(), ask(), ask()])).map((a) => a.body as Job);
  const rows = await sql<{ number: number }>(
    "SELECT (input->>'number')::int AS number FROM jobs WHERE id = ANY($1) ORDER BY 1",
    [jobs.map((j) => j.id)],
  );
  expect(new Set(rows.map((r) => r.number)).size).toBe(3);
  await Promise.all(jobs.map((j) => ended(j)));
});
