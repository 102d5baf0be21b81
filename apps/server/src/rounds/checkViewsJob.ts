import type { DataSource } from 'typeorm';
import { checkViews, type RunControl } from '@tawny/pipeline';
import { Frames, Rounds } from '../db/entities';
import type { FileStore } from '../files/store';
import type { JobHandler } from '../jobs/runner';
import { roundFrames } from './buildJob';

/** Looks at the views of a round as they stand and keeps what was found beside it. */
export async function recordViewChecks(
  db: DataSource,
  files: FileStore,
  productionId: string,
  roundId: string,
  control: RunControl,
): Promise<void> {
  const round = await db.getRepository(Rounds).findOneByOrFail({ productionId, id: roundId });
  const frames = await db.getRepository(Frames).findBy({ productionId, roundId });
  const byPath = new Map(frames.map((f) => [files.localPath(f.hash), f.id]));
  const checked = await checkViews(roundFrames(files, round, frames), control);
  const viewChecks = checked.map(({ paths, ...rest }) => ({ frames: paths.map((p) => byPath.get(p)!), ...rest }));
  await db.getRepository(Rounds).update({ id: roundId }, { viewChecks } as never);
}

export const checkViewsJob: JobHandler = async ({ db, files, job, control }) => {
  await recordViewChecks(db, files, job.productionId, job.subjectId, control);
  return job.subjectId;
};
