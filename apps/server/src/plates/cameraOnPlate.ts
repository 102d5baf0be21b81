import type { EntityManager } from 'typeorm';
import type { CameraBody, LensRecord, Location, Plate, Take } from '@tawny/contract';
import { cameraOfTake, onPlate, type PlateOnFormat } from '@tawny/core';
import { Bodies, Lenses, type Owned } from '../db/entities';
import { ApiProblem } from '../problems';
import { findOwned } from '../records/find';

/**
 * The camera that a take carries on the pixels of one of its plates, and the kit that it is made of.
 * @throws ApiProblem when the kit does not know the take's recording format
 */
export async function cameraOnPlate(
  tx: EntityManager,
  take: Owned<Take>,
  plate: Pick<Plate, 'widthPx' | 'heightPx'>,
  place: Location,
): Promise<{ on: PlateOnFormat; body: Owned<CameraBody>; lens: Owned<LensRecord> }> {
  const [body, lens] = await Promise.all([
    findOwned(tx, Bodies, take.productionId, take.bodyId, 'camera body'),
    findOwned(tx, Lenses, take.productionId, take.lensId, 'lens'),
  ]);
  const camera = cameraOfTake(take, body, lens, place);
  if (!camera)
    throw new ApiProblem(
      422,
      'no-camera',
      `The body of take ${take.slate}/${take.take} does not record "${take.formatName}": choose the format in the log`,
    );
  return { on: onPlate(camera, plate, take.flopped), body, lens };
}
