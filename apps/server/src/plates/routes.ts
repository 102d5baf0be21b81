import { Router } from 'express';
import type { EntitySchema } from 'typeorm';
import { z } from 'zod';
import type { Plate } from '@tawny/contract';
import { Plates, Takes, type Owned, type StoredPlate } from '../db/entities';
import { receiveUpload } from '../files/receiveUpload';
import { enqueue, publicJob } from '../jobs/queue';
import { ApiProblem, notFound } from '../problems';
import type { Services } from '../services';
import { addPlate, publicPlate } from './addPlate';

export function takePlateRoutes({ db, boss, files }: Services): Router {
  const router = Router({ mergeParams: true });
  const take = async (productionId: string, id: string) => {
    const found = await db.getRepository(Takes).findOneBy({ productionId, id });
    if (!found) throw notFound('take');
    return found;
  };
  router.post('/:id/plates', async (req, res) => {
    const found = await take(req.production.id, req.params.id);
    const added: Plate[] = [];
    await receiveUpload(req, files, async ({ name, received }) => {
      added.push(await addPlate(db, files, found, received, name));
    });
    if (added.length === 0) throw new ApiProblem(422, 'no-files', 'The upload held no files');
    res.status(201).json({ items: added, next: null });
  });
  router.post('/:id/plates/simulate', async (req, res) => {
    const found = await take(req.production.id, req.params.id);
    res.status(202).json(
      publicJob(
        await enqueue(db, boss, {
          productionId: req.production.id,
          kind: 'simulatePlate',
          subjectId: found.id,
          input: {},
        }),
      ),
    );
  });
  return router;
}

export function plateRoutes({ db, files }: Services): Router {
  const router = Router({ mergeParams: true });
  const repository = db.getRepository(Plates as EntitySchema<Owned<StoredPlate>>);
  router.get('/', async (req, res) => {
    const takeId = z.uuid('State the takeId whose plates are wanted').parse(req.query.takeId);
    const items = await repository.find({
      where: { productionId: req.production.id, takeId },
      order: { createdAt: 'DESC' },
    });
    res.json({ items: items.map(publicPlate), next: null });
  });
  router.get('/:id/preview.jpg', async (req, res) => {
    const found = await repository.findOneBy({ productionId: req.production.id, id: req.params.id });
    if (!found) throw notFound('plate');
    res.set({ 'Content-Type': 'image/jpeg', 'Cache-Control': 'private, max-age=31536000, immutable' });
    files.stream(found.previewHash).pipe(res);
  });
  return router;
}
