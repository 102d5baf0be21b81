import { WORKING_SPACES } from '@tawny/core';
import { checkInThread, readPanorama, turned } from '@tawny/pipeline';
import type { JobHandler } from '../jobs/runner';
import { storePanorama } from './storePanorama';

/** A panorama from elsewhere becomes the round's next version, with the same checks as one that was built here. */
export const importPanoramaJob: JobHandler<'importPanorama'> = async (context) => {
  const { files, job, control } = context;
  const started = Date.now();
  const { hash, name, mirrored, upsideDown } = job.input;
  control.onProgress?.({ stage: 'Reading the panorama', fraction: 0.1 });
  const { image: read, attributes: stated } = await files.withLocalFiles([hash], ([path]) => readPanorama(path, name));
  const image = turned(read, { mirrored, upsideDown });
  control.onProgress?.({ stage: 'Checking it', fraction: 0.4 });
  const attributes = {
    chromaticities: WORKING_SPACES.rec709.chromaticities,
    ...stated,
    latlong: true,
    northAligned: false,
  };
  const { inspection, checks, levelDeg } = await checkInThread(image, attributes, {}, control);
  control.onProgress?.({ stage: 'Writing OpenEXR and display pictures', fraction: 0.8 });
  return storePanorama(context, {
    roundId: job.subjectId,
    image,
    attributes: { ...attributes, clippedSr: inspection.clippedSr },
    measure: null,
    inspection,
    checks,
    levelDeg,
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
