import { inSpace } from '@tawny/core';
import { checkInThread, readPanorama, turned } from '@tawny/pipeline';
import { Productions, Rounds } from '../db/entities';
import type { JobHandler } from '../jobs/runner';
import { sunOfRound } from '../rounds/sunOfRound';
import { storePanorama } from './storePanorama';

/** A panorama from elsewhere becomes the round's next version, with the same checks as one that was built here. */
export const importPanoramaJob: JobHandler<'importPanorama'> = async (context) => {
  const { db, files, job, control } = context;
  const started = Date.now();
  const { hash, name, mirrored, upsideDown } = job.input;
  control.onProgress?.({ stage: 'Reading the panorama', fraction: 0.1 });
  const {
    image: read,
    attributes: stated,
    odd,
  } = await files.withLocalFiles([hash], ([path]) => readPanorama(path, name));
  const round = await db.getRepository(Rounds).findOneByOrFail({ productionId: job.productionId, id: job.subjectId });
  const almanac = await sunOfRound(db, round);
  const production = await db.getRepository(Productions).findOneByOrFail({ id: job.productionId });
  // The primaries that the file states are converted to the production's; a silent one means Rec. 709, OpenEXR's default.
  const image = inSpace(turned(read, { mirrored, upsideDown }), production.workingSpace);
  control.onProgress?.({ stage: 'Checking it', fraction: 0.4 });
  const attributes = {
    ...stated,
    latlong: true,
    northAligned: false,
  };
  const { inspection, checks, levelDeg } = await checkInThread(image, attributes, { odd }, almanac.expected, control);
  control.onProgress?.({ stage: 'Writing OpenEXR and display pictures', fraction: 0.8 });
  return storePanorama(context, {
    roundId: job.subjectId,
    facts: inspection.sun?.witnessed ? almanac.facts : [],
    image,
    attributes: { ...attributes, clippedSr: inspection.clippedSr },
    measure: null,
    sunFrameId: null,
    inspection,
    checks,
    levelDeg,
    learned: null,
    viewsCompass: null,
    uncoveredSr: 0,
    seamStops: null,
    framesPerView: 0,
    warnings: [`made elsewhere (${name}): how it was photographed is not known`],
    options: { from: name, mirrored, upsideDown },
    moved: [],
    log: [],
    buildSeconds: () => (Date.now() - started) / 1000,
  });
};
