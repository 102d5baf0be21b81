import { Readable } from 'node:stream';
import { cameraOfTake } from '@tawny/core';
import { simulatePlate, type RunControl, type SetSpec } from '@tawny/pipeline';
import type { Take } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { Bodies, Lenses, Takes, type Owned } from '../db/entities';
import { inThisProcess } from '../decode/tasks';
import type { JobHandler } from '../jobs/runner';
import { ApiProblem } from '../problems';
import { setPlace } from '../records/place';
import { simulatedSet } from '../standins/simulatedSet';
import { readPlate, recordPlate } from './addPlate';

/** Photographs the set as a take's log says. @throws ApiProblem when the log lacks what a camera needs to stand somewhere */
export async function photographTake(db: Queries, take: Owned<Take>, props: SetSpec['props'], control: RunControl) {
  const { productionId } = take;
  const [body, lens, place] = await Promise.all([
    db.getRepository(Bodies).findOneByOrFail({ productionId, id: take.bodyId }),
    db.getRepository(Lenses).findOneByOrFail({ productionId, id: take.lensId }),
    setPlace(db, productionId, take.setupId),
  ]);
  const camera = cameraOfTake(take, body, lens, place.location);
  if (!camera) throw new ApiProblem(422, 'unknown-format', `${body.name} does not record ${take.formatName}`);
  if (!camera.pose) {
    throw new ApiProblem(
      422,
      'no-position',
      `${take.slate} take ${take.take} lacks height, tilt or heading: log them, then the simulated camera can stand there`,
    );
  }
  const { spec, utcOffsetMinutes } = simulatedSet(
    place,
    new Date(take.shotAt),
    take.lightCondition || place.setup.lightCondition,
  );
  return simulatePlate(
    {
      spec: props ? { ...spec, props } : spec,
      camera,
      ei: take.ei,
      shutterAngleDeg: take.shutterAngleDeg,
      fps: take.fps,
      ndStops: take.ndStops,
      utcOffsetMinutes,
    },
    control,
  );
}

/** The simulated plate camera: its file enters like an uploaded one. */
export const simulatePlateJob: JobHandler<'simulatePlate'> = async ({ db, files, job, control }) => {
  const take = await db.getRepository(Takes).findOneByOrFail({ productionId: job.productionId, id: job.subjectId });
  const plate = await photographTake(db, take, undefined, control);
  const name = `${take.camera.toLowerCase()}_${take.slate.toLowerCase()}_t${String(take.take).padStart(2, '0')}.tif`;
  const read = await readPlate(
    files,
    inThisProcess,
    take,
    await files.receive(Readable.from(Buffer.from(plate.bytes))),
    name,
  );
  return async (tx) => (await recordPlate(tx, read)).id;
};
