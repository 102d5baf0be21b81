import { randomUUID } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import type { Job, JobInput, JobKind } from '@tawny/contract';
import type { Db } from '../db/dataSource';
import { ApiProblem } from '../problems';
import { Jobs, type Owned, type StoredJob } from '../db/entities';

/** Jobs of a production that may wait; a long day with two units asks for a tenth of that. */
const MOST_WAITING = 2000;

export interface Enqueue<K extends JobKind> {
  productionId: string;
  kind: K;
  subjectId: string;
  input: JobInput<K>;
  /** Work that nobody waits for goes behind everything else. */
  background: boolean;
}

/** Asks for a job, in the transaction of the record that it is about: both are there, or neither. */
export async function enqueue<K extends JobKind>(tx: EntityManager, job: Enqueue<K>): Promise<Job> {
  await assertRoom(tx, job.productionId);
  const id = randomUUID();
  await tx.getRepository(Jobs).insert({
    ...job,
    id,
    state: 'queued',
    stage: 'Waiting for a worker',
    progress: 0,
    attempt: 0,
    log: [],
    error: null,
    resultId: null,
    finishedAt: null,
    worker: null,
    leaseUntil: null,
    cancelRequested: false,
  } as never);
  return publicJob(tx, await tx.getRepository(Jobs).findOneByOrFail({ id }));
}

/** @throws ApiProblem when a production has more work waiting than anybody could want */
async function assertRoom(tx: EntityManager, productionId: string): Promise<void> {
  const waiting = await tx.getRepository(Jobs).countBy({ productionId, state: 'queued' });
  if (waiting >= MOST_WAITING)
    throw new ApiProblem(
      429,
      'too-many-jobs',
      `${waiting} jobs are waiting: let some end, or cancel them, and try again`,
    );
}

/** What the API shows of a job: how many are done before it is part of that. */
export async function publicJob(db: Db | EntityManager, job: Owned<StoredJob>): Promise<Job> {
  const { id, kind, subjectId, state, stage, progress, log, error, resultId, createdAt, finishedAt, attempt } = job;
  const [{ ahead }]: { ahead: number }[] =
    state === 'queued'
      ? await db.query(
          `SELECT count(*)::int AS ahead FROM jobs j, jobs me WHERE me.id = $1
             AND (j.state = 'running' OR (j.state = 'queued' AND (j.background, j.created_at, j.id) < (me.background, me.created_at, me.id)))`,
          [id],
        )
      : [{ ahead: 0 }];
  return { id, kind, subjectId, state, stage, progress, ahead, attempt, log, error, resultId, createdAt, finishedAt };
}
