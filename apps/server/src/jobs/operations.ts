import type { Db } from '../db/dataSource';
import { Jobs } from '../db/entities';
import type { Handlers } from '../http/handler';
import { ApiProblem } from '../problems';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';
import { publicJob } from './enqueue';

export const jobOperations = (db: Db): Handlers<'jobs'> => ({
  list: async ({ tx, production, query: { limit, after, ...where } }) => {
    const order = { by: ['createdAt'], direction: 'DESC' } as const;
    const { items, next } = await listPage(tx, Jobs, order, production.id, where, { limit, after });
    return { items: await Promise.all(items.map((j) => publicJob(db, j))), next };
  },
  get: async ({ tx, production, params }) => publicJob(db, await findOwned(tx, Jobs, production.id, params.id, 'job')),
  cancel: async ({ tx, production, params }) => {
    // One statement: a worker that takes the job in the same moment hears of it, or never gets it.
    const [rows]: [unknown[], number] = await tx.query(
      `UPDATE jobs SET cancel_requested = true, finished_at = CASE state WHEN 'queued' THEN now() END,
         stage = CASE state WHEN 'queued' THEN 'Cancelled' ELSE stage END, state = CASE state WHEN 'queued' THEN 'cancelled' ELSE state END
       WHERE production_id = $1 AND id = $2 AND state IN ('queued', 'running') RETURNING 1`,
      [production.id, params.id],
    );
    const job = await findOwned(tx, Jobs, production.id, params.id, 'job');
    if (rows.length === 0) throw new ApiProblem(409, 'job-ended', `This job has ended (${job.state})`);
    return publicJob(tx, job);
  },
});
