import type { DataSource } from 'typeorm';
import type { Logger } from 'pino';
import type PgBoss from 'pg-boss';
import { Cancelled, type RunControl } from '@tawny/pipeline';
import type { Job } from '@tawny/contract';
import { Jobs, type Owned, type StoredJob } from '../db/entities';
import type { FileStore } from '../files/store';
import { toProblem } from '../problems';
import { QUEUE } from './queue';

export interface JobContext {
  db: DataSource;
  files: FileStore;
  job: Owned<StoredJob>;
  control: RunControl;
}

/** Does a job and returns the id of what it made. */
export type JobHandler = (context: JobContext) => Promise<string | null>;

const BEAT_MS = 400;

/** Takes jobs from the queue, one at a time, until the queue stops. */
export async function startRunner(
  db: DataSource,
  boss: PgBoss,
  files: FileStore,
  handlers: Record<Job['kind'], JobHandler>,
  log: Logger,
): Promise<void> {
  await boss.work<{ jobId: string }>(QUEUE, { batchSize: 1, pollingIntervalSeconds: 0.5 }, async ([message]) => {
    await runJob(db, files, handlers, message.data.jobId, log);
  });
}

async function runJob(
  db: DataSource,
  files: FileStore,
  handlers: Record<Job['kind'], JobHandler>,
  jobId: string,
  log: Logger,
): Promise<void> {
  const repository = db.getRepository(Jobs);
  const job = await repository.findOneBy({ id: jobId });
  if (!job || job.state === 'done' || job.state === 'cancelled' || job.state === 'failed') return;
  const abort = new AbortController();
  const lines: string[] = [];
  let stage = 'Starting';
  let progress = 0;
  await repository.update(
    { id: jobId },
    { state: 'running', stage, progress: 0, log: [], heartbeatAt: new Date().toISOString() },
  );
  const beat = async () => {
    await repository.update({ id: jobId }, { stage, progress, log: lines, heartbeatAt: new Date().toISOString() });
    const fresh = await repository.findOneBy({ id: jobId });
    if (!fresh || fresh.cancelRequested) abort.abort();
  };
  let beating: Promise<void> = Promise.resolve();
  const timer = setInterval(() => {
    beating = beat().catch((error: unknown) => log.error({ err: error, jobId }, 'heartbeat failed'));
  }, BEAT_MS);
  const control: RunControl = {
    signal: abort.signal,
    onProgress: (p) => {
      stage = p.stage;
      progress = p.fraction;
    },
    onLog: (line) => lines.push(line),
  };
  const settle = async (change: Partial<StoredJob>) => {
    clearInterval(timer);
    await beating;
    await repository.update({ id: jobId }, { log: lines, finishedAt: new Date().toISOString(), ...change } as never);
  };
  try {
    const resultId = await handlers[job.kind]({ db, files, job, control });
    await settle({ state: 'done', stage: 'Done', progress: 1, resultId });
    log.info({ jobId, kind: job.kind }, 'job done');
  } catch (error) {
    if (error instanceof Cancelled || abort.signal.aborted) {
      await settle({ state: 'cancelled', stage: 'Cancelled' });
      log.info({ jobId, kind: job.kind }, 'job cancelled');
      return;
    }
    const problem = toProblem(error);
    if (problem.status >= 500) log.error({ err: error, jobId }, 'job failed');
    await settle({ state: 'failed', stage: 'Failed', error: { code: problem.code, message: problem.detail } });
  }
}

/** A job that was running when its worker died is given back to the queue. */
export async function recoverJobs(db: DataSource, boss: PgBoss): Promise<number> {
  const lost = await db
    .getRepository(Jobs)
    .createQueryBuilder('j')
    .where("j.state = 'running'")
    .andWhere("(j.heartbeat_at IS NULL OR j.heartbeat_at < now() - interval '10 seconds')")
    .getMany();
  for (const { id } of lost) {
    await db.getRepository(Jobs).update({ id }, { state: 'queued', stage: 'Waiting for a worker' });
    await boss.send(QUEUE, { jobId: id });
  }
  return lost.length;
}
