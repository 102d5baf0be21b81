import { Router } from 'express';
import type { EntitySchema } from 'typeorm';
import { z } from 'zod';
import { handoffInput, type Handoff } from '@tawny/contract';
import { Handoffs, Panoramas, Setups, Takes, type Owned } from '../db/entities';
import { bare } from '../http/records';
import { enqueue, publicJob } from '../jobs/queue';
import { notFound } from '../problems';
import type { Services } from '../services';

export function handoffRoutes({ db, boss, files }: Services): Router {
  const router = Router({ mergeParams: true });
  const repository = db.getRepository(Handoffs as EntitySchema<Owned<Handoff>>);
  router.get('/', async (req, res) => {
    const setupId = req.query.setupId === undefined ? undefined : z.uuid().parse(req.query.setupId);
    const items = await repository.find({
      where: { productionId: req.production.id, ...(setupId ? { setupId } : {}) },
      order: { createdAt: 'DESC' },
    });
    res.json({ items: items.map(bare), next: null });
  });
  router.post('/', async (req, res) => {
    const input = handoffInput.parse(req.body);
    const productionId = req.production.id;
    if (!(await db.getRepository(Setups).existsBy({ productionId, id: input.setupId }))) throw notFound('setup');
    if (!(await db.getRepository(Panoramas).existsBy({ productionId, id: input.panoramaId })))
      throw notFound('panorama');
    if (!(await db.getRepository(Takes).existsBy({ productionId, id: input.takeId }))) throw notFound('take');
    res
      .status(202)
      .json(publicJob(await enqueue(db, boss, { productionId, kind: 'handoff', subjectId: input.setupId, input })));
  });
  router.get('/:id/download', async (req, res) => {
    const found = await repository.findOneBy({ productionId: req.production.id, id: req.params.id });
    if (!found) throw notFound('handoff');
    res.set({
      'Content-Type': 'application/zip',
      'Content-Length': String(found.sizeBytes),
      'Content-Disposition': `attachment; filename="${found.fileName}"`,
    });
    files.stream(found.hash).pipe(res);
  });
  return router;
}
