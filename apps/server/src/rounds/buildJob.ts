import { randomUUID } from 'node:crypto';
import { luminance, resampleLatlong, WORKING_SPACES } from '@tawny/core';
import { buildInput } from '@tawny/contract';
import { writeExr } from '@tawny/formats';
import { buildPanorama, checkPanorama, throwIfCancelled } from '@tawny/pipeline';
import { Frames, Panoramas, Rounds } from '../db/entities';
import type { JobHandler } from '../jobs/runner';
import { encodeFloatPicture } from '../panoramas/floatPicture';
import { previewJpeg } from '../panoramas/preview';
import { manualGroups } from './grouping';

const FLOAT_WIDTH = 2048;
const PREVIEW_WIDTH = 1024;

/** Frames of a round to a stored panorama with its derivatives; nothing is recorded until all files are in the store. */
export const buildJob: JobHandler = async ({ db, files, job, control }) => {
  const started = Date.now();
  const { widthPx, ...options } = buildInput.parse(job.input);
  const round = await db.getRepository(Rounds).findOneByOrFail({ productionId: job.productionId, id: job.subjectId });
  const frames = await db.getRepository(Frames).findBy({ productionId: job.productionId, roundId: round.id });
  const log: string[] = [];
  const built = await buildPanorama(
    { files: frames.map((f) => ({ name: f.name, path: files.localPath(f.hash) })), rig: round.rig, width: widthPx, options, views: round.manualViews ? manualGroups(frames, round.manualViews).map((g) => g.map((f) => files.localPath(f.hash))) : undefined },
    {
      ...control,
      onProgress: (p) => control.onProgress?.({ stage: p.stage, fraction: 0.85 * p.fraction }),
      onLog: (line) => {
        log.push(line);
        control.onLog?.(line);
      },
    },
  );
  throwIfCancelled(control);
  control.onProgress?.({ stage: 'Looking for the sun', fraction: 0.86 });
  const attributes = { chromaticities: WORKING_SPACES.rec709.chromaticities, latlong: true, clippedSr: built.clippedSr, northAligned: false };
  const { inspection: seen, checks } = checkPanorama(built.panorama, attributes, {
    seamStops: built.seamStops, uncoveredSr: built.uncoveredSr, ghostFraction: options.ghosts ? built.ghostFraction : undefined, lightDriftStops: built.lightDriftStops, framesPerView: built.bracketFrames,
    responseDepartureStops: built.responseDepartureStops,
  });
  control.onProgress?.({ stage: 'Writing OpenEXR and display pictures', fraction: 0.9 });
  const small = widthPx > FLOAT_WIDTH ? resampleLatlong(built.panorama, FLOAT_WIDTH) : built.panorama;
  const [exrHash, floatHash, previewHash] = await Promise.all([
    writeExr(built.panorama, attributes).then((b) => files.put(b)),
    files.put(encodeFloatPicture(small)),
    previewJpeg(small.width > PREVIEW_WIDTH ? resampleLatlong(small, PREVIEW_WIDTH) : small).then((b) => files.put(b)),
  ]);
  throwIfCancelled(control);
  const repository = db.getRepository(Panoramas);
  const number = (await repository.countBy({ productionId: job.productionId, roundId: round.id })) + 1;
  const id = randomUUID();
  const { sun } = seen;
  await repository.insert({
    id, productionId: job.productionId, roundId: round.id, number, widthPx, heightPx: widthPx / 2, exrHash, floatHash, previewHash,
    dynamicRangeStops: seen.statistics.dynamicRangeStops, clippedSr: built.clippedSr, uncoveredSr: built.uncoveredSr, seamStops: built.seamStops,
    illuminanceHorizontal: seen.illuminanceHorizontal, meanLuminance: seen.statistics.meanLuminance, framesPerView: built.bracketFrames, histogram: seen.statistics.histogram,
    sun: sun && {
      azimuthDeg: sun.azimuthDeg, elevationDeg: sun.elevationDeg, diameterDeg: sun.diameterDeg, clipped: sun.clipped,
      illuminanceNormal: luminance(...sun.illuminanceNormal), contrast: sun.contrast, uncertaintyDeg: sun.uncertaintyDeg,
    },
    warnings: built.warnings, checks, options, log, buildSeconds: (Date.now() - started) / 1000, version: 1,
  } as never);
  return id;
};
