import { readClipJob } from '../clips/readJob';
import { measureGlareJob } from '../kit/glareJob';
import { handoffJob } from '../handoffs/handoffJob';
import { simulatePlateJob } from '../plates/simulateJob';
import { simulateReferenceJob } from '../references/simulateJob';
import { importPanoramaJob } from '../panoramas/importJob';
import { buildJob } from '../rounds/buildJob';
import { checkViewsJob } from '../rounds/checkViewsJob';
import { simulateRoundJob } from '../rounds/simulateJob';
import type { Config } from '../config';
import type { JobHandlers } from '../jobs/runner';

/** Who does which kind of job. */
export const jobHandlers = ({ wholeMostPx }: Pick<Config, 'wholeMostPx'>): JobHandlers => ({
  simulateRound: simulateRoundJob,
  simulatePlate: simulatePlateJob,
  simulateReference: simulateReferenceJob,
  readClip: readClipJob,
  checkViews: checkViewsJob,
  build: buildJob(wholeMostPx),
  importPanorama: importPanoramaJob,
  handoff: handoffJob,
  measureGlare: measureGlareJob,
});
