import { Router } from 'express';
import type { DataSource } from 'typeorm';
import { z } from 'zod';
import { jobSchema } from '@tawny/contract';
import { Jobs } from '../db/entities';
import { ApiProblem, notFound } from '../problems';
import { publicJob } from './queue';

export function jobRoutes(db: DataSource): Router {
  const router = Router({ mergeParams: true });
  router.get('/', async (req, res) => {
    const subjectId = z.uuid('State the subjectId whose jobs are wanted').parse(req.query.subjectId);
    const kind = jobSchema.shape.kind.optional().parse(req.query.kind);
    const jobs = await db.getRepository(Jobs).find({
      where: { productionId: req.production.id, subjectId, ...(kind ? { kind } : {}) },
      order: { createdAt: 'DESC' },
      take: 10,
    });
    res.json({ items: jobs.map(publicJob), next: null });
  });
  router.get('/:id', async (req, res) => {
    const job = await db.getRepository(Jobs).findOneBy({ productionId: req.production.id, id: req.params.id });
    if (!job) throw notFound('job');
    res.json(publicJob(job));
  });
  router.post('/:id/cancel', async (req, res) => {
    const repository = db.getRepository(Jobs);
    const job = await repository.findOneBy({ productionId: req.production.id, id: req.params.id });
    if (!job) throw notFound('job');
    if (job.state !== 'queued' && job.state !== 'running')
      throw new ApiProblem(409, 'job-ended', `This job has ended (${job.state})`);
    await repository.update(
      { id: job.id },
      { cancelRequested: true, ...(job.state === 'queued' ? { state: 'cancelled' as const, stage: 'Cancelled' } : {}) },
    );
    res.status(202).json(publicJob(await repository.findOneByOrFail({ id: job.id })));
  });
  return router;
}
