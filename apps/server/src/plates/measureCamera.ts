import { randomUUID } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import type { PictureCameraRecord, PlateCameraRecord, PlateStrokes, Take } from '@tawny/contract';
import { BARREL, BUILT_DEG, cameraOfPlate, carriedOf, LOGGED_WITHIN } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import {
  Bodies,
  Lenses,
  PlateCameras,
  Plates,
  Takes,
  type Owned,
  type StoredPlate,
  type StoredPlateCamera,
} from '../db/entities';
import { ApiProblem, toldOr } from '../problems';
import { bare } from '../records/bare';
import { basisOfOne, recordFacts, useFact } from '../records/facts';
import { findOwned } from '../records/find';
import { setPlace } from '../records/place';
import { cameraOnPlate } from './cameraOnPlate';

const KIND = 'plate_cameras';

/**
 * Measures a plate's camera from the strokes on it, keeps it with what it rests on, and has its take carry it.
 * @throws ApiProblem when the kit does not know the take's camera, or the strokes tell nothing
 */
export async function measureCamera(
  tx: EntityManager,
  plate: Owned<StoredPlate>,
  strokes: PlateStrokes,
): Promise<PlateCameraRecord> {
  const { productionId } = plate;
  const take = await findOwned(tx, Takes, productionId, plate.takeId, 'take');
  const { location } = await setPlace(tx, productionId, take.setupId);
  // What is logged, not what an earlier picture told.
  const { on, body, lens } = await cameraOnPlate(tx, { ...take, pictureCamera: null }, plate, location);
  const found = toldOr(() => cameraOfPlate(on, strokes, take));
  if (!found.attitudeTold)
    throw new ApiProblem(422, 'not-told', 'The strokes do not tell how the camera is tilted and rolled: draw upright edges, or level ones that run two ways'); // prettier-ignore
  const id = randomUUID();
  const camera = carriedOf(found);
  await tx.getRepository(PlateCameras).insert({
    id,
    productionId,
    takeId: take.id,
    plateId: plate.id,
    strokes,
    found: camera,
    residualPx: found.residualPx,
    verdict: found.verdict,
    cause: found.cause,
    degenerate: found.degenerate,
    version: 1,
  } as never);
  await recordFacts(tx, productionId, KIND, id, [
    await useFact(tx, Plates, plate, ['hash'], {
      name: 'plate with the strokes',
      provenance: { kind: 'measured', source: `${plate.name}, edges taken as built true to about ${BUILT_DEG}°${on.optics.distortion ? '' : `, the unmeasured lens as bending by about ${BARREL}`}`, at: null }, // prettier-ignore
    }),
    await useFact(tx, Takes, take, ['focalLengthMm', 'focalMeasured', 'tiltDeg', 'heightM', 'formatName', 'bodyId', 'lensId', 'flopped'], {
      name: 'logged camera',
      provenance: { kind: 'logged', source: `${take.slate}/${take.take}${take.camera}, taken as ${loggedWords(take)}`, at: null },
    }), // prettier-ignore
    await useFact(tx, Bodies, body, ['formats'], {
      name: 'recording format',
      provenance: { kind: 'logged', source: `${body.name}, ${take.formatName}`, at: null },
    }),
    await useFact(tx, Lenses, lens, ['squeeze', 'distortion'], {
      name: 'lens',
      provenance: { kind: 'logged', source: lens.name, at: null },
    }),
  ]);
  await carry(tx, take, { plateCameraId: id, ...camera });
  return publicPlateCamera(tx, await tx.getRepository(PlateCameras).findOneByOrFail({ id }));
}

/** Has a take carry a camera that its picture told, or (null) what is logged of it. */
export async function carry(
  tx: EntityManager,
  take: { id: string; productionId: string },
  pictureCamera: PictureCameraRecord | null,
): Promise<void> {
  await tx
    .getRepository(Takes)
    .update({ id: take.id, productionId: take.productionId }, { pictureCamera, version: () => 'version + 1' } as never);
}

export const publicPlateCamera = async (db: Queries, stored: Owned<StoredPlateCamera>): Promise<PlateCameraRecord> => ({
  ...bare(stored),
  basis: await basisOfOne(db, KIND, stored.id),
});

/** How well what is logged is taken to be known: nobody states it, so it is said with the fact. */
function loggedWords({ focalMeasured }: Pick<Take, 'focalMeasured'>): string {
  const share = focalMeasured ? LOGGED_WITHIN.focalMeasured : LOGGED_WITHIN.focalRead;
  return `known to ${100 * share} % of focal length, ${LOGGED_WITHIN.tiltDeg}° of tilt, ${LOGGED_WITHIN.heightM} m of height`;
}
