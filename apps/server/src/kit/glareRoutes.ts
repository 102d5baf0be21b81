import { Router, type Request } from 'express';
import { measureGlareInput } from '@tawny/contract';
import { Rigs } from '../db/entities';
import { receiveUpload } from '../files/receiveUpload';
import { enqueue, publicJob } from '../jobs/queue';
import { ApiProblem, notFound } from '../problems';
import type { Services } from '../services';

/** Glare of a rig: two brackets in one request, parts named `seen` (the sun in the picture) and `covered`. */
export function glareRoutes({ db, boss, files }: Services): Router {
  const router = Router({ mergeParams: true });
  router.post('/:id/glare', async (req: Request<{ id: string }>, res) => {
    const rig = await db.getRepository(Rigs).findOneBy({ productionId: req.production.id, id: req.params.id });
    if (!rig) throw notFound('rig');
    const { coverDeg } = measureGlareInput.parse(req.query);
    const taken: Record<'seen' | 'covered', { hash: string; name: string }[]> = { seen: [], covered: [] };
    await receiveUpload(req, files, async ({ field, name, received }) => {
      if (field !== 'seen' && field !== 'covered') return received.discard();
      await received.keep();
      taken[field].push({ hash: received.hash, name });
    });
    for (const side of ['seen', 'covered'] as const) {
      if (taken[side].length === 0) throw new ApiProblem(422, 'no-files', `Frames with the sun ${side} are missing`, { errors: [{ field: side, message: `Choose the bracket with the sun ${side}` }] });
    }
    const common = taken.seen.find((f) => taken.covered.some((g) => g.hash === f.hash));
    if (common) throw new ApiProblem(422, 'same-file', `${common.name} is in both brackets: the sun cannot be seen and covered in it`);
    res.status(202).json(publicJob(await enqueue(db, boss, { productionId: req.production.id, kind: 'measureGlare', subjectId: rig.id, input: { ...taken, coverDeg } })));
  });
  return router;
}
