import { randomUUID } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import type { Calibration } from '@tawny/contract';
import {
  gainFromCard,
  inSpace,
  gainFromMetadata,
  measurePatch,
  northFromSun,
  type PatchRect,
  type RgbImage,
} from '@tawny/core';
import { decodeFloatPicture, readLinearPicture } from '@tawny/pipeline';
import { Calibrations, Plates } from '../db/entities';
import type { Handlers } from '../http/handler';
import { findPanorama, pixelsOf } from '../panoramas/operations';
import { ApiProblem } from '../problems';
import { bare } from '../records/bare';
import { findOwned } from '../records/find';
import { setPlace } from '../records/place';
import type { Services } from '../services';
import { latestCalibration, originOf } from './latest';

/** From shares of the picture to pixels. */
function inPixels(rect: PatchRect, image: RgbImage): PatchRect {
  return {
    left: rect.left * image.width,
    right: rect.right * image.width,
    top: rect.top * image.height,
    bottom: rect.bottom * image.height,
  };
}

const PLATE_CLIP = 0.98;

/** Calibrations are versioned: each measurement makes a new one that keeps the other parts of the last. */
async function store(
  tx: EntityManager,
  productionId: string,
  panoramaId: string,
  part: Partial<Pick<Calibration, 'north' | 'gain'>>,
): Promise<Calibration> {
  // Two measurements at once wait for each other here: neither part is lost.
  await tx.query('SELECT 1 FROM panoramas WHERE id = $1 FOR UPDATE', [panoramaId]);
  const last = await latestCalibration(tx, productionId, panoramaId);
  const id = randomUUID();
  await tx.getRepository(Calibrations).insert({
    id,
    productionId,
    panoramaId,
    number: (last?.number ?? 0) + 1,
    north: last?.north ?? null,
    gain: last?.gain ?? null,
    version: 1,
    ...part,
  } as never);
  return bare(await tx.getRepository(Calibrations).findOneByOrFail({ id }));
}

export const calibrationOperations = ({
  files,
}: Services): Pick<Handlers<'panoramas'>, 'calibration' | 'north' | 'card'> => ({
  calibration: async ({ tx, production, params }) => {
    const { id } = await findPanorama(tx, production.id, params.id);
    const found = await latestCalibration(tx, production.id, id);
    return { calibration: found ? bare(found) : null };
  },
  north: async ({ tx, production, params, body }) => {
    const found = await findPanorama(tx, production.id, params.id);
    if (!found.sun)
      throw new ApiProblem(
        422,
        'no-sun',
        'No sun was found in this panorama: north must come from another source, such as a compass or picked bearings',
      );
    const { round, station } = await originOf(tx, found);
    const { location } = await setPlace(tx, production.id, station.setupId);
    const utc = new Date(round.shotAt);
    const north = northFromSun({
      detected: found.sun,
      place: location,
      utc,
      levelDeg: found.levelDeg ?? undefined,
      ...body,
    });
    return store(tx, production.id, found.id, {
      north: {
        yawDeg: north.yawDeg,
        uncertaintyDeg: north.uncertaintyDeg,
        computedAzimuthDeg: north.computed.azimuthDeg,
        computedElevationDeg: north.computed.elevationDeg,
        foundAzimuthDeg: found.sun.azimuthDeg,
        foundElevationDeg: found.sun.elevationDeg,
        elevationDifferenceDeg: north.elevationDifferenceDeg,
        elevationToleranceDeg: north.elevationToleranceDeg,
        agrees: north.agrees,
        utc: utc.toISOString(),
      },
    });
  },
  card: async ({ tx, production, params, body }) => {
    const found = await findPanorama(tx, production.id, params.id);
    const plate = await findOwned(tx, Plates, production.id, body.plateId, 'plate');
    const plateImage = inSpace(
      await files.withLocalFiles([plate.hash], ([path]) => readLinearPicture(path, plate.name)),
      found.space,
    );
    const panoramaImage = decodeFloatPicture(await files.read(found.floatHash), pixelsOf(found));
    const card = gainFromCard(
      measurePatch(plateImage, inPixels(body.plateRect, plateImage), 'plate', PLATE_CLIP),
      measurePatch(panoramaImage, inPixels(body.panoramaRect, panoramaImage), 'panorama'),
    );
    const metadata = gainFromMetadata(plate.exposure);
    const disagreementStops = card.gainStops - metadata.gainStops;
    return store(tx, production.id, found.id, {
      gain: {
        plateId: plate.id,
        cardStops: card.gainStops,
        cardUncertaintyStops: card.uncertaintyStops,
        channelStops: card.channelStops,
        metadataStops: metadata.gainStops,
        metadataUncertaintyStops: metadata.uncertaintyStops,
        disagreementStops,
        agrees: Math.abs(disagreementStops) <= Math.hypot(card.uncertaintyStops, metadata.uncertaintyStops),
        plateRect: body.plateRect,
        panoramaRect: body.panoramaRect,
      },
    });
  },
});
