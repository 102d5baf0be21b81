import type { EntityManager } from 'typeorm';
import type { JobKind } from '@tawny/contract';
import type { Db } from '../db/dataSource';

/** A job as a worker holds it: nobody else works on this attempt while the lease lasts. */
export interface HeldJob {
  id: string;
  productionId: string;
  kind: JobKind;
  subjectId: string;
  input: unknown;
  attempt: number;
  worker: string;
}

/** A job whose worker is lost this often while the others' are not is given up: it is the job that ends workers. */
export const MOST_ATTEMPTS = 3;
/** While workers of other jobs are lost as well it may be the machine; this often is too often all the same. */
const MOST_ATTEMPTS_AMONG_OTHERS = 60;

/** Thrown when somebody else has the job now, or nobody: what was computed must not be published. */
export class LeaseLost extends Error {
  constructor(jobId: string) {
    super(`the lease of job ${jobId} is lost`);
    this.name = 'LeaseLost';
  }
}

/** Waiting, or left by a worker that has not been heard of for longer than its lease. Times are the database's. */
const FREE = `(state = 'queued' OR (state = 'running' AND lease_until < now()))`;

/**
 * Takes the next job in one statement: the user's work before the stand-ins', then by age. One that lost its worker stands behind those that
 * were asked before it did, so that what ends workers holds up nobody, and what others do meanwhile tells whether it is the job. Null when there is none.
 * One that has lost its worker says when: jobs that lose theirs in the same time bear each other out.
 * @param leaseMs how long the worker may be silent
 */
export async function claim(db: Db, worker: string, leaseMs: number): Promise<HeldJob | null> {
  await db.query(
    `UPDATE jobs SET state = 'failed', stage = 'Failed', finished_at = now(), error = jsonb_build_object('code', 'worker-lost',
       'message', 'Its worker ended ' || attempt || ' times while it was at this, so it is not tried again: the file or the settings are more than this machine can do')
     WHERE state = 'running' AND lease_until < now() AND attempt >= $1
       AND (attempt >= $2 OR NOT EXISTS (SELECT 1 FROM jobs other WHERE other.id <> jobs.id AND other.lost_at > jobs.created_at))`,
    [MOST_ATTEMPTS, MOST_ATTEMPTS_AMONG_OTHERS],
  );
  // Raw updates give rows and their count.
  const [rows]: [Record<string, unknown>[], number] = await db.query(
    `UPDATE jobs SET state = 'running', worker = $1, attempt = attempt + 1, lease_until = now() + $2 * interval '1 millisecond',
       stage = 'Starting', progress = 0, log = '[]', lost_at = CASE WHEN state = 'running' THEN lease_until ELSE lost_at END
     WHERE id = (SELECT id FROM jobs WHERE ${FREE} 
         ORDER BY background, CASE WHEN state = 'running' THEN lease_until ELSE created_at END, id LIMIT 1 FOR UPDATE SKIP LOCKED)
     RETURNING id, production_id, kind, subject_id, input, attempt, worker`,
    [worker, leaseMs],
  );
  const row = rows[0];
  if (!row) return null;
  return {
    id: row.id as string,
    productionId: row.production_id as string,
    kind: row.kind as JobKind,
    subjectId: row.subject_id as string,
    input: row.input,
    attempt: row.attempt as number,
    worker,
  };
}

const MINE = `id = $1 AND worker = $2 AND attempt = $3 AND state = 'running'`;
const mine = (job: HeldJob) => [job.id, job.worker, job.attempt];

/** Prolongs the lease and tells how far the work is. @throws LeaseLost when it is no longer ours */
export async function beat(
  db: Db,
  job: HeldJob,
  told: { stage: string; progress: number; log: readonly string[] },
  leaseMs: number,
): Promise<{ cancelRequested: boolean }> {
  const [rows]: [{ cancel_requested: boolean }[], number] = await db.query(
    `UPDATE jobs SET lease_until = now() + $4 * interval '1 millisecond', stage = $5, progress = $6, log = $7
     WHERE ${MINE} RETURNING cancel_requested`,
    [...mine(job), leaseMs, told.stage, told.progress, JSON.stringify(told.log)],
  );
  if (rows.length === 0) throw new LeaseLost(job.id);
  return { cancelRequested: rows[0].cancel_requested };
}

/** Does what the job's result is, and ends the job, in one transaction that only the holder of the lease can make. @throws LeaseLost */
export async function publish(
  db: Db,
  job: HeldJob,
  log: readonly string[],
  record: (tx: EntityManager) => Promise<string | null>,
): Promise<void> {
  await db.transaction(async (tx) => {
    const held: unknown[] = await tx.query(`SELECT 1 FROM jobs WHERE ${MINE} FOR UPDATE`, mine(job));
    if (held.length === 0) throw new LeaseLost(job.id);
    const resultId = await record(tx);
    await tx.query(
      `UPDATE jobs SET state = 'done', stage = 'Done', progress = 1, finished_at = now(), result_id = $2, log = $3 WHERE id = $1`,
      [job.id, resultId, JSON.stringify(log)],
    );
  });
}

/** Ends a job that made nothing. @throws LeaseLost */
export async function settle(
  db: Db,
  job: HeldJob,
  log: readonly string[],
  end: { state: 'failed' | 'cancelled'; error: { code: string; message: string } | null },
): Promise<void> {
  const [, count]: [unknown[], number] = await db.query(
    `UPDATE jobs SET state = $4, stage = $5, finished_at = now(), error = $6, log = $7 WHERE ${MINE}`,
    [
      ...mine(job),
      end.state,
      end.state === 'failed' ? 'Failed' : 'Cancelled',
      end.error && JSON.stringify(end.error),
      JSON.stringify(log),
    ],
  );
  if (count === 0) throw new LeaseLost(job.id);
}

/** Gives a job back that a worker on its way out cannot end; this attempt does not count. */
export async function release(db: Db, job: HeldJob): Promise<void> {
  await db.query(
    `UPDATE jobs SET state = 'queued', stage = 'Waiting for a worker', attempt = attempt - 1, worker = NULL, lease_until = NULL WHERE ${MINE}`,
    mine(job),
  );
}
