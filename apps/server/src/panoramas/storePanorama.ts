import { randomUUID } from 'node:crypto';
import type { Panorama } from '@tawny/contract';
import { luminance, resampleLatlong, type Check, type RgbImage } from '@tawny/core';
import { encodePng, writeExr, type PanoramaAttributes } from '@tawny/formats';
import {
  encodeFloatPicture,
  measurePixels,
  previewJpeg,
  throwIfCancelled,
  type FullPanorama,
  type Inspection,
} from '@tawny/pipeline';
import { Panoramas } from '../db/entities';
import { recordFacts, type UsedFact } from '../records/facts';
import type { JobContext, Publication } from '../jobs/runner';

const FLOAT_WIDTH = 2048;
const PREVIEW_WIDTH = 1024;

export interface FinishedPanorama {
  roundId: string;
  /** What it rests on. */
  facts: UsedFact[];
  image: RgbImage;
  /** The panorama at its full width when `image` is a smaller one. */
  full?: FullPanorama | null;
  attributes: PanoramaAttributes;
  /** 0 covered, 1 clipped, 2 not seen, 3 from one frame because something moved; and relative uncertainty, both a byte a pixel. Null for a panorama from elsewhere. */
  measure: { mask: Uint8Array; uncertainty: Uint8Array } | null;
  inspection: Inspection;
  /** The frame that the sun's disc was taken from, where that is known. */
  sunFrameId: string | null;
  checks: Check[];
  levelDeg: number | null;
  learned: Panorama['learned'];
  viewsCompass: Panorama['viewsCompass'];
  uncoveredSr: number;
  seamStops: number | null;
  framesPerView: number;
  warnings: string[];
  options: Panorama['options'];
  moved: Panorama['moved'];
  log: string[];
  buildSeconds: () => number;
}

/** Writes a panorama with its derivatives; what comes back records it as the round's next version, once all files are in the store. */
export async function storePanorama(
  { files, job, control }: Pick<JobContext<'build' | 'importPanorama'>, 'files' | 'job' | 'control'>,
  finished: FinishedPanorama,
): Promise<Publication> {
  const { image, measure, inspection, roundId } = finished;
  const small = image.width > FLOAT_WIDTH ? resampleLatlong(image, FLOAT_WIDTH) : image;
  const [exrHash, floatHash, previewHash, measureHash] = await Promise.all([
    finished.full
      ? files.make((path) =>
          finished.full!.write(path, finished.attributes, image.space, {
            ...control,
            onProgress: (p) => control.onProgress?.({ stage: p.stage, fraction: 0.9 + 0.09 * p.fraction }),
          }),
        )
      : writeExr(image, finished.attributes).then((b) => files.put(b)),
    files.put(encodeFloatPicture(small)),
    previewJpeg(small.width > PREVIEW_WIDTH ? resampleLatlong(small, PREVIEW_WIDTH) : small).then((b) => files.put(b)),
    measure ? encodePng(measurePixels(measure), image.width, image.height).then((b) => files.put(b)) : null,
  ]);
  throwIfCancelled(control);
  const id = randomUUID();
  const { sun, statistics } = inspection;
  const record = {
    id,
    productionId: job.productionId,
    roundId,
    space: image.space,
    widthPx: finished.full?.widthPx ?? image.width,
    heightPx: (finished.full?.widthPx ?? image.width) / 2,
    exrHash,
    measureHash,
    floatHash,
    previewHash,
    dynamicRangeStops: statistics.dynamicRangeStops,
    clippedSr: inspection.clippedSr,
    uncoveredSr: finished.uncoveredSr,
    seamStops: finished.seamStops,
    illuminanceHorizontal: inspection.illuminanceHorizontal,
    meanLuminance: statistics.meanLuminance,
    framesPerView: finished.framesPerView,
    histogram: statistics.histogram,
    sun: sun && {
      azimuthDeg: sun.azimuthDeg,
      elevationDeg: sun.elevationDeg,
      diameterDeg: sun.diameterDeg,
      clipped: sun.clipped,
      illuminanceNormal: luminance(...sun.illuminanceNormal, image.space),
      contrast: sun.contrast,
      witnessed: sun.witnessed,
      uncertaintyDeg: sun.uncertaintyDeg,
    },
    sunFrameId: finished.sunFrameId,
    warnings: finished.warnings,
    checks: finished.checks,
    options: finished.options,
    moved: finished.moved,
    levelDeg: finished.levelDeg,
    learned: finished.learned,
    viewsCompass: finished.viewsCompass,
    log: finished.log,
    buildSeconds: finished.buildSeconds(),
    version: 1,
  };
  return async (tx) => {
    // Two builds of a round that end at once wait for each other here, and get different numbers.
    await tx.query('SELECT 1 FROM rounds WHERE id = $1 FOR UPDATE', [roundId]);
    const repository = tx.getRepository(Panoramas);
    const last = await repository.findOne({
      where: { productionId: job.productionId, roundId },
      order: { number: 'DESC' },
      withDeleted: true,
    });
    await repository.insert({ ...record, number: (last?.number ?? 0) + 1 } as never);
    await recordFacts(tx, job.productionId, 'panoramas', id, finished.facts);
    return id;
  };
}
