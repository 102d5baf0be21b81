import { Router } from 'express';
import { In } from 'typeorm';
import {
  buildInput,
  importPanoramaInput,
  knownFramesInput,
  simulateRoundInput,
  type UploadResult,
} from '@tawny/contract';
import { FileProblem } from '@tawny/formats';
import { Frames, Jobs, type Owned, type StoredFrame } from '../db/entities';
import { receiveUpload } from '../files/receiveUpload';
import { bare } from '../http/records';
import { enqueue, publicJob } from '../jobs/queue';
import { ApiProblem, notFound } from '../problems';
import type { Services } from '../services';
import { addFrame, findRound } from './addFrame';
import { groupFrames } from './grouping';

/** What one can do with a round beside reading and changing it. */
export function roundRoutes({ db, boss, files }: Services): Router {
  const router = Router({ mergeParams: true });
  const round = async (productionId: string, id: string) => {
    const found = await findRound(db, productionId, id);
    if (!found) throw notFound('round');
    return found;
  };
  const framesOf = (productionId: string, roundId: string): Promise<Owned<StoredFrame>[]> =>
    db.getRepository(Frames).find({ where: { productionId, roundId }, order: { takenAt: 'ASC', name: 'ASC' } });

  router.get('/:id/frames', async (req, res) => {
    const { id } = await round(req.production.id, req.params.id);
    res.json({ items: (await framesOf(req.production.id, id)).map(bare), next: null });
  });

  router.get('/:id/grouping', async (req, res) => {
    const found = await round(req.production.id, req.params.id);
    res.json(groupFrames(await framesOf(req.production.id, found.id), found.rig, found.manualViews));
  });

  /** Which of some files are here already, told by their hashes: those need not be sent. */
  router.post('/:id/frames/known', async (req, res) => {
    const found = await round(req.production.id, req.params.id);
    const { hashes } = knownFramesInput.parse(req.body);
    const there = await db.getRepository(Frames).find({
      where: { productionId: req.production.id, roundId: found.id, hash: In(hashes) },
      select: { hash: true },
    });
    res.json({ known: there.map((f) => f.hash) });
  });

  router.post('/:id/frames', async (req, res) => {
    const found = await round(req.production.id, req.params.id);
    const result: UploadResult = { accepted: [], duplicates: [], problems: [] };
    await receiveUpload(req, files, async ({ name, received }) => {
      try {
        const added = await addFrame(db, found, received, name);
        if ('frame' in added) result.accepted.push(added.frame);
        else result.duplicates.push(added.duplicate);
      } catch (error) {
        if (!(error instanceof FileProblem)) throw error;
        result.problems.push({ file: name, code: error.code, message: error.message });
      }
    });
    if (result.accepted.length + result.duplicates.length === 0) {
      if (result.problems.length === 0) throw new ApiProblem(422, 'no-files', 'The upload held no files');
      throw new ApiProblem(422, result.problems[0].code, result.problems.map((p) => p.message).join('; '), {
        errors: result.problems.map(({ file, message }) => ({ file, message })),
      });
    }
    await enqueueCheck(req.production.id, found.id);
    res.status(201).json(result);
  });

  /** One look at the views waits at a time: it sees whatever frames have come by then. */
  async function enqueueCheck(productionId: string, roundId: string): Promise<void> {
    if (
      await db.getRepository(Jobs).existsBy({ productionId, subjectId: roundId, kind: 'checkViews', state: 'queued' })
    )
      return;
    await enqueue(db, boss, { productionId, kind: 'checkViews', subjectId: roundId, input: {}, background: true });
  }

  router.post('/:id/panoramas', async (req, res) => {
    const found = await round(req.production.id, req.params.id);
    const turns = importPanoramaInput.parse(req.query);
    const taken: { hash: string; name: string }[] = [];
    await receiveUpload(req, files, async ({ name, received }) => {
      if (taken.length > 0) return received.discard();
      await received.keep();
      taken.push({ hash: received.hash, name });
    });
    if (taken.length === 0) throw new ApiProblem(422, 'no-files', 'The upload held no panorama');
    res.status(202).json(
      publicJob(
        await enqueue(db, boss, {
          productionId: req.production.id,
          kind: 'importPanorama',
          subjectId: found.id,
          input: { ...taken[0], ...turns },
        }),
      ),
    );
  });

  router.post('/:id/simulate', async (req, res) => {
    const found = await round(req.production.id, req.params.id);
    const input = simulateRoundInput.parse(req.body);
    res.status(202).json(
      publicJob(
        await enqueue(db, boss, {
          productionId: req.production.id,
          kind: 'simulateRound',
          subjectId: found.id,
          input,
        }),
      ),
    );
  });

  router.post('/:id/build', async (req, res) => {
    const found = await round(req.production.id, req.params.id);
    const input = buildInput.parse(req.body);
    if ((await framesOf(req.production.id, found.id)).length === 0)
      throw new ApiProblem(422, 'no-frames', 'This round has no frames yet: photograph or upload them first');
    res
      .status(202)
      .json(
        publicJob(
          await enqueue(db, boss, { productionId: req.production.id, kind: 'build', subjectId: found.id, input }),
        ),
      );
  });
  return router;
}
