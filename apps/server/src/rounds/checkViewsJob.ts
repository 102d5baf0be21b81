import type { LightRound, ViewCheck } from '@tawny/contract';
import { checkViews, type RunControl } from '@tawny/pipeline';
import { Frames, Rounds } from '../db/entities';
import type { FileStore } from '../files/store';
import type { JobHandler } from '../jobs/runner';
import type { ReadFrame } from './addFrame';
import { roundFrames } from './buildJob';

/** Looks at the views that some frames of a round make. */
export function lookAtViews(
  files: FileStore,
  round: LightRound,
  frames: readonly Pick<ReadFrame, 'id' | 'name' | 'hash' | 'headingDeg' | 'tiltDeg' | 'rollDeg'>[],
  control: RunControl,
): Promise<ViewCheck[]> {
  return files.withLocalFiles(
    frames.map((f) => f.hash),
    async (lent) => {
      const idAt = new Map(lent.map((path, i) => [path, frames[i].id]));
      const checked = await checkViews(roundFrames(round, frames, lent), control);
      return checked.map(({ paths, ...rest }) => ({ frames: paths.map((p) => idAt.get(p)!), ...rest }));
    },
  );
}

/** Looks at the views of a round as they stand and keeps what was found beside it. */
export const checkViewsJob: JobHandler<'checkViews'> = async ({ db, files, job, control }) => {
  const { productionId, subjectId } = job;
  const round = await db.getRepository(Rounds).findOneByOrFail({ productionId, id: subjectId });
  const frames = await db.getRepository(Frames).findBy({ productionId, roundId: subjectId });
  const viewChecks = await lookAtViews(files, round, frames, control);
  return async (tx) => {
    await tx.getRepository(Rounds).update({ id: subjectId }, { viewChecks } as never);
    return subjectId;
  };
};
