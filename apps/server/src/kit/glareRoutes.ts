import { Router, type Request } from 'express';
import { measureGlareInput } from '@tawny/contract';
import { Rigs } from '../db/entities';
import { receiveUpload, type UploadedFile } from '../files/receiveUpload';
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
    const taken: Record<'seen' | 'covered', UploadedFile[]> = { seen: [], covered: [] };
    const all = () => [...taken.seen, ...taken.covered];
    await receiveUpload(req, files, async (file) => {
      if (file.field !== 'seen' && file.field !== 'covered') return file.received.discard();
      taken[file.field].push(file);
    });
    try {
      assertBothBrackets(taken);
    } catch (error) {
      await Promise.all(all().map((f) => f.received.discard()));
      throw error;
    }
    await Promise.all(all().map((f) => f.received.keep()));
    res.status(202).json(
      publicJob(
        await enqueue(db, boss, {
          productionId: req.production.id,
          kind: 'measureGlare',
          subjectId: rig.id,
          input: { seen: taken.seen.map(frameOf), covered: taken.covered.map(frameOf), coverDeg },
        }),
      ),
    );
  });
  return router;
}

const frameOf = ({ name, received }: UploadedFile) => ({ hash: received.hash, name });

/** @throws ApiProblem when a bracket is missing or a frame is in both */
function assertBothBrackets(taken: Record<'seen' | 'covered', UploadedFile[]>): void {
  for (const side of ['seen', 'covered'] as const) {
    if (taken[side].length === 0)
      throw new ApiProblem(422, 'no-files', `Frames with the sun ${side} are missing`, {
        errors: [{ field: side, message: `Choose the bracket with the sun ${side}` }],
      });
  }
  const common = taken.seen.find((f) => taken.covered.some((g) => g.received.hash === f.received.hash));
  if (common)
    throw new ApiProblem(
      422,
      'same-file',
      `${common.name} is in both brackets: the sun cannot be seen and covered in it`,
    );
}
