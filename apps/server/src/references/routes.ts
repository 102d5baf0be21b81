import { Router } from 'express';
import type { EntitySchema } from 'typeorm';
import { z } from 'zod';
import { referenceChange, referenceKind, referenceUpload, type Reference } from '@tawny/contract';
import { Plates, References, Setups, Takes, type Owned, type StoredPlate } from '../db/entities';
import { receiveUpload } from '../files/receiveUpload';
import { enqueue, publicJob } from '../jobs/queue';
import { ApiProblem, notFound } from '../problems';
import type { Services } from '../services';
import { addReference, publicReference } from './addReference';
import { comparePictures } from './compare';

const simulateInput = z.object({ kind: referenceKind, takeId: z.uuid() });

/** Photographs made to be measured. */
export function referenceRoutes({ db, boss, files }: Services): Router {
  const router = Router({ mergeParams: true });
  const repository = () => db.getRepository(References);
  const find = async (productionId: string, id: string) => {
    const found = await repository().findOneBy({ productionId, id });
    if (!found) throw notFound('reference');
    return found;
  };

  router.get('/', async (req, res) => {
    const setupId = z.uuid().optional().parse(req.query.setupId);
    const items = await repository().find({
      where: { productionId: req.production.id, ...(setupId ? { setupId } : {}) },
      order: { takenAt: 'DESC', id: 'ASC' },
    });
    res.json({ items: items.map(publicReference), next: null });
  });
  router.post('/', async (req, res) => {
    const input = referenceUpload.parse(req.query);
    const productionId = req.production.id;
    if (!(await db.getRepository(Setups).existsBy({ productionId, id: input.setupId }))) throw notFound('setup');
    const added: Reference[] = [];
    await receiveUpload(req, files, async ({ name, received }) => {
      added.push(await addReference(db, files, productionId, input, received, name));
    });
    if (added.length === 0) throw new ApiProblem(422, 'no-files', 'The upload held no files');
    res.status(201).json({ items: added, next: null });
  });
  router.post('/simulate', async (req, res) => {
    const input = simulateInput.parse(req.body);
    const take = await db.getRepository(Takes).findOneBy({ productionId: req.production.id, id: input.takeId });
    if (!take) throw notFound('take');
    res.status(202).json(
      publicJob(
        await enqueue(db, boss, {
          productionId: req.production.id,
          kind: 'simulateReference',
          subjectId: take.setupId,
          input,
        }),
      ),
    );
  });
  router.get('/:id', async (req, res) => {
    res.json(publicReference(await find(req.production.id, req.params.id)));
  });
  router.patch('/:id', async (req, res) => {
    const { version, ...fields } = referenceChange.parse(req.body);
    const seen = await find(req.production.id, req.params.id);
    const result = await repository().update({ productionId: req.production.id, id: seen.id, version }, {
      ...fields,
      version: version + 1,
    } as never);
    const current = await find(req.production.id, seen.id);
    if (result.affected === 0)
      throw new ApiProblem(
        409,
        'changed-meanwhile',
        'This reference was changed by someone else: compare and save again',
        { current: publicReference(current) },
      );
    res.json(publicReference(current));
  });
  router.delete('/:id', async (req, res) => {
    const seen = await find(req.production.id, req.params.id);
    await repository().softDelete({ id: seen.id });
    res.json(publicReference(seen));
  });
  router.post('/:id/restore', async (req, res) => {
    const result = await repository().restore({ productionId: req.production.id, id: req.params.id } as never);
    if (!result.affected) throw notFound('reference');
    res.json(publicReference(await find(req.production.id, req.params.id)));
  });
  router.get('/:id/preview.jpg', async (req, res) => {
    const found = await find(req.production.id, req.params.id);
    res.set({ 'Content-Type': 'image/jpeg', 'Cache-Control': 'private, max-age=31536000, immutable' });
    files.stream(found.previewHash).pipe(res);
  });
  router.post('/:id/compare', async (req, res) => {
    const reference = await find(req.production.id, req.params.id);
    if (!reference.takeId)
      throw new ApiProblem(422, 'no-take', 'Say first which take this is the clean plate of', {
        errors: [{ field: 'takeId', message: 'is empty' }],
      });
    const plate = await db
      .getRepository(Plates as EntitySchema<Owned<StoredPlate>>)
      .findOne({ where: { productionId: req.production.id, takeId: reference.takeId }, order: { createdAt: 'DESC' } });
    if (!plate)
      throw new ApiProblem(
        422,
        'no-plate',
        'That take has no plate frame yet to compare with: add one under Measure or from its clip',
      );
    res.json(
      await comparePictures(
        { path: files.localPath(plate.hash), name: plate.name, id: plate.id },
        { path: files.localPath(reference.hash), name: reference.name },
      ),
    );
  });
  return router;
}
