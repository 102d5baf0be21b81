import type { EntityManager } from 'typeorm';
import type { Logger } from 'pino';
import { Cancelled, type RunControl } from '@tawny/pipeline';
import { JOB_KINDS, type JobInput, type JobKind } from '@tawny/contract';
import type { Db } from '../db/dataSource';
import type { FileStore } from '../files/store';
import { databaseAway, toProblem } from '../problems';
import { beat, claim, LeaseLost, publish, release, settle, type HeldJob } from './lease';

export interface JobContext<K extends JobKind> {
  db: Db;
  files: FileStore;
  job: Omit<HeldJob, 'input'> & { input: JobInput<K> };
  control: RunControl;
}

/** Records what a job made and returns its id; runs in the transaction that ends the job. */
export type Publication = (tx: EntityManager) => Promise<string | null>;

/** Does a job's computing, in threads, and returns how its result is recorded: nothing is recorded before. */
export type JobHandler<K extends JobKind> = (context: JobContext<K>) => Promise<Publication>;
export type JobHandlers = { [K in JobKind]: JobHandler<K> };

export interface RunnerOptions {
  db: Db;
  files: FileStore;
  handlers: JobHandlers;
  log: Logger;
  /** Name of this worker, unlike any other's. */
  worker: string;
  /** A worker that is silent for longer has lost its job. */
  leaseMs: number;
}

/** How often a worker tells how far it is, and hears of a cancel. */
const BEAT_MS = 400;
const IDLE_MS = 250;
/** After the database was away. */
const PAUSE_MS = 2000;
/** What is not back then is found by its lease. */
const MOST_PAUSES = 30;

const wait = (ms: number) => new Promise<void>((resolve) => setTimeout(resolve, ms));

/** Takes jobs one at a time until stopped. A database that is away for a while is waited for. */
export function startRunner(options: RunnerOptions): { stop: () => Promise<void> } {
  const leaving = new AbortController();
  const loop = async () => {
    while (!leaving.signal.aborted) {
      try {
        const job = await claim(options.db, options.worker, options.leaseMs);
        if (job) await runJob(options, job, leaving.signal);
        else await wait(IDLE_MS);
      } catch (error) {
        options.log.error({ err: error }, 'the queue cannot be read; trying again');
        await wait(PAUSE_MS);
      }
    }
  };
  const running = loop();
  return {
    stop: async () => {
      leaving.abort();
      await running;
    },
  };
}

async function runJob(options: RunnerOptions, job: HeldJob, leaving: AbortSignal): Promise<void> {
  const { db, files, handlers, log, leaseMs } = options;
  const abort = new AbortController();
  const lines: string[] = [];
  let [stage, progress] = ['Starting', 0];
  let lost = false;
  let beating: Promise<void> = Promise.resolve();
  const onBeat = async () => {
    try {
      if ((await beat(db, job, { stage, progress, log: lines }, leaseMs)).cancelRequested) abort.abort();
    } catch (error) {
      if (!(error instanceof LeaseLost)) return log.error({ err: error, jobId: job.id }, 'heartbeat failed');
      lost = true;
      abort.abort();
    }
  };
  const timer = setInterval(() => {
    beating = beating.then(onBeat);
  }, BEAT_MS);
  const leave = () => abort.abort();
  leaving.addEventListener('abort', leave);
  const quiet = async () => {
    clearInterval(timer);
    leaving.removeEventListener('abort', leave);
    await beating;
  };
  const control: RunControl = {
    signal: abort.signal,
    onProgress: (p) => ([stage, progress] = [p.stage, p.fraction]),
    onLog: (line) => lines.push(line),
  };
  try {
    const record = await compute(handlers, { db, files, control }, job);
    await quiet();
    if (abort.signal.aborted) throw new Cancelled();
    await publish(db, job, lines, record);
    log.info({ jobId: job.id, kind: job.kind }, 'job done');
  } catch (error) {
    await quiet();
    try {
      if (lost || error instanceof LeaseLost) log.warn({ jobId: job.id }, 'another worker has this job now');
      else if (leaving.aborted) await release(db, job);
      else if (databaseAway(error)) await releaseWhenBack(db, job);
      else if (error instanceof Cancelled || abort.signal.aborted)
        await settle(db, job, lines, { state: 'cancelled', error: null });
      else {
        const problem = toProblem(error);
        if (problem.status >= 500) log.error({ err: error, jobId: job.id }, 'job failed');
        await settle(db, job, lines, {
          state: 'failed',
          error: { code: problem.code, message: problem.detail },
        });
      }
    } catch (late) {
      if (!(late instanceof LeaseLost)) throw late;
      log.warn({ jobId: job.id }, 'another worker has this job now');
    }
  }
}

/** The database was away while this was computed, which is not the job's fault: it is given back when the database is there again. */
async function releaseWhenBack(db: Db, job: HeldJob): Promise<void> {
  for (let tries = 0; ; tries++) {
    try {
      return await release(db, job);
    } catch (error) {
      if (!databaseAway(error) || tries >= MOST_PAUSES) throw error;
      await wait(PAUSE_MS);
    }
  }
}

function compute<K extends JobKind>(
  handlers: JobHandlers,
  context: Omit<JobContext<K>, 'job'>,
  job: HeldJob & { kind: JobKind },
): Promise<Publication> {
  const handler = handlers[job.kind] as JobHandler<K>;
  const input = JOB_KINDS[job.kind].input.parse(job.input) as JobInput<K>;
  return handler({ ...context, job: { ...job, input } });
}
