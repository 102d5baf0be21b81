import { randomUUID } from 'node:crypto';
import { Router } from 'express';
import type { DataSource, EntitySchema } from 'typeorm';
import { cardInput, northInput, type Calibration, type LightRound, type Station } from '@tawny/contract';
import { gainFromCard, gainFromMetadata, measurePatch, northFromSun, type PatchRect, type RgbImage } from '@tawny/core';
import { readLinearPicture } from '@tawny/pipeline';
import {
  Calibrations,
  Panoramas,
  Plates,
  Rounds,
  Stations,
  type Owned,
  type StoredPanorama,
  type StoredPlate,
} from '../db/entities';
import { bare } from '../http/records';
import { decodeFloatPicture } from '../panoramas/floatPicture';
import { ApiProblem, notFound } from '../problems';
import { setPlace } from '../rounds/simulateJob';
import type { Services } from '../services';

/** The newest calibration of a panorama, or null. */
export async function latestCalibration(
  db: DataSource,
  productionId: string,
  panoramaId: string,
): Promise<Owned<Calibration> | null> {
  return db.getRepository(Calibrations).findOne({ where: { productionId, panoramaId }, order: { number: 'DESC' } });
}

/** Station and round that a panorama was shot at. */
export async function originOf(
  db: DataSource,
  panorama: Owned<StoredPanorama>,
): Promise<{ round: Owned<LightRound>; station: Owned<Station> }> {
  const { productionId } = panorama;
  const round = await db.getRepository(Rounds).findOneByOrFail({ productionId, id: panorama.roundId });
  return { round, station: await db.getRepository(Stations).findOneByOrFail({ productionId, id: round.stationId }) };
}

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
export function calibrationRoutes({ db, files }: Services): Router {
  const router = Router({ mergeParams: true });
  const panorama = async (productionId: string, id: string) => {
    const found = await db
      .getRepository(Panoramas as EntitySchema<Owned<StoredPanorama>>)
      .findOneBy({ productionId, id });
    if (!found) throw notFound('panorama');
    return found;
  };
  const store = async (
    productionId: string,
    panoramaId: string,
    part: Partial<Pick<Calibration, 'north' | 'gain'>>,
  ) => {
    const last = await latestCalibration(db, productionId, panoramaId);
    const id = randomUUID();
    await db.getRepository(Calibrations).insert({
      id,
      productionId,
      panoramaId,
      number: (last?.number ?? 0) + 1,
      north: last?.north ?? null,
      gain: last?.gain ?? null,
      version: 1,
      ...part,
    } as never);
    return bare(await db.getRepository(Calibrations).findOneByOrFail({ id }));
  };

  router.get('/:id/calibration', async (req, res) => {
    const { id } = await panorama(req.production.id, req.params.id);
    const found = await latestCalibration(db, req.production.id, id);
    res.json({ calibration: found ? bare(found) : null });
  });

  router.post('/:id/north', async (req, res) => {
    const input = northInput.parse(req.body);
    const found = await panorama(req.production.id, req.params.id);
    if (!found.sun)
      throw new ApiProblem(
        422,
        'no-sun',
        'No sun was found in this panorama: north must come from another source, such as a compass or picked bearings',
      );
    const { round, station } = await originOf(db, found);
    const { location } = await setPlace(db, req.production.id, station.setupId);
    const utc = new Date(round.shotAt);
    const north = northFromSun({
      detected: found.sun,
      place: location,
      utc,
      levelDeg: found.levelDeg ?? undefined,
      ...input,
    });
    const { computed } = north;
    res.status(201).json(
      await store(req.production.id, found.id, {
        north: {
          yawDeg: north.yawDeg,
          uncertaintyDeg: north.uncertaintyDeg,
          computedAzimuthDeg: computed.azimuthDeg,
          computedElevationDeg: computed.elevationDeg,
          foundAzimuthDeg: found.sun.azimuthDeg,
          foundElevationDeg: found.sun.elevationDeg,
          elevationDifferenceDeg: north.elevationDifferenceDeg,
          elevationToleranceDeg: north.elevationToleranceDeg,
          agrees: north.agrees,
          utc: utc.toISOString(),
        },
      }),
    );
  });

  router.post('/:id/card', async (req, res) => {
    const input = cardInput.parse(req.body);
    const found = await panorama(req.production.id, req.params.id);
    const plate = await db
      .getRepository(Plates as EntitySchema<Owned<StoredPlate>>)
      .findOneBy({ productionId: req.production.id, id: input.plateId });
    if (!plate) throw notFound('plate');
    const plateImage = await readLinearPicture(files.localPath(plate.hash), plate.name);
    const panoramaImage = decodeFloatPicture(await files.read(found.floatHash));
    const card = gainFromCard(
      measurePatch(plateImage, inPixels(input.plateRect, plateImage), 'plate', PLATE_CLIP),
      measurePatch(panoramaImage, inPixels(input.panoramaRect, panoramaImage), 'panorama'),
    );
    const metadata = gainFromMetadata(plate.exposure);
    const disagreementStops = card.gainStops - metadata.gainStops;
    res.status(201).json(
      await store(req.production.id, found.id, {
        gain: {
          plateId: plate.id,
          cardStops: card.gainStops,
          cardUncertaintyStops: card.uncertaintyStops,
          channelStops: card.channelStops,
          metadataStops: metadata.gainStops,
          metadataUncertaintyStops: metadata.uncertaintyStops,
          disagreementStops,
          agrees: Math.abs(disagreementStops) <= Math.hypot(card.uncertaintyStops, metadata.uncertaintyStops),
          plateRect: input.plateRect,
          panoramaRect: input.panoramaRect,
        },
      }),
    );
  });
  return router;
}
