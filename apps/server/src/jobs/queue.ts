import { randomUUID } from 'node:crypto';
import PgBoss from 'pg-boss';
import type { DataSource } from 'typeorm';
import type { Job } from '@tawny/contract';
import { Jobs, type Owned, type StoredJob } from '../db/entities';

export const QUEUE = 'work';

/** PostgreSQL's word for two who wait for each other. */
const DEADLOCK = '40P01';

/** The queue in PostgreSQL: the API sends, worker processes take. */
export async function openQueue(databaseUrl: string): Promise<PgBoss> {
  const boss = new PgBoss({ connectionString: databaseUrl, schema: 'queue' });
  boss.on('error', (error) => process.stderr.write(`queue: ${error.message}\n`));
  // Server and worker start together; on an empty database both lay out the queue, and PostgreSQL may stop one of them.
  for (let tries = 1; ; tries++) {
    try {
      await boss.start();
      await boss.createQueue(QUEUE, { name: QUEUE, retryLimit: 2, retryDelay: 2, expireInSeconds: 1800 });
      return boss;
    } catch (error) {
      if ((error as { code?: string }).code !== DEADLOCK || tries === 5) throw error;
      await new Promise((r) => setTimeout(r, 300 * tries));
    }
  }
}

export interface Enqueue {
  productionId: string;
  kind: Job['kind'];
  subjectId: string;
  input: unknown;
  /** Work that nobody waits for goes behind everything else. */
  background?: boolean;
}

/** Records a job and hands it to the workers. */
export async function enqueue(
  db: DataSource,
  boss: PgBoss,
  { background, ...job }: Enqueue,
): Promise<Owned<StoredJob>> {
  const id = randomUUID();
  const repository = db.getRepository(Jobs);
  await repository.insert({
    ...job,
    id,
    state: 'queued',
    stage: 'Waiting for a worker',
    progress: 0,
    log: [],
    error: null,
    resultId: null,
    finishedAt: null,
    heartbeatAt: null,
    cancelRequested: false,
  } as never);
  await boss.send(QUEUE, { jobId: id }, background ? { priority: -1 } : {});
  return repository.findOneByOrFail({ id });
}

/** What the API shows of a job. */
export function publicJob(job: Owned<StoredJob>): Job {
  const { id, kind, subjectId, state, stage, progress, log, error, resultId, createdAt, finishedAt } = job;
  return { id, kind, subjectId, state, stage, progress, log, error, resultId, createdAt, finishedAt };
}
