import { Readable } from 'node:stream';
import { simulatePlate } from '@tawny/pipeline';
import { Bodies, Takes } from '../db/entities';
import type { JobHandler } from '../jobs/runner';
import { ApiProblem } from '../problems';
import { setPlace, simulatedSet } from '../rounds/simulateJob';
import { addPlate } from './addPlate';

/** The simulated plate camera photographs the set as the take's log says: its file enters like an uploaded one. */
export const simulatePlateJob: JobHandler = async ({ db, files, job, control }) => {
  const { productionId } = job;
  const take = await db.getRepository(Takes).findOneByOrFail({ productionId, id: job.subjectId });
  const body = await db.getRepository(Bodies).findOneByOrFail({ productionId, id: take.bodyId });
  const format = body.formats.find((f) => f.name === take.formatName);
  if (!format) throw new ApiProblem(422, 'unknown-format', `${body.name} does not record ${take.formatName}`);
  const { spec, utcOffsetMinutes } = simulatedSet(await setPlace(db, productionId, take.setupId), new Date(take.shotAt));
  const plate = await simulatePlate(
    {
      spec, position: { eastM: take.eastM, upM: take.heightM, northM: take.northM }, attitude: { headingDeg: take.headingDeg, tiltDeg: take.tiltDeg, rollDeg: 0 },
      width: format.widthPx, height: format.heightPx, gateWidthMm: format.gateWidthMm, focalLengthMm: take.focalLengthMm, tStop: take.tStop, ei: take.ei,
      shutterAngleDeg: take.shutterAngleDeg, fps: take.fps, ndStops: take.ndStops, utcOffsetMinutes,
    },
    control,
  );
  const name = `${take.camera.toLowerCase()}_${take.slate.toLowerCase()}_t${String(take.take).padStart(2, '0')}.tif`;
  const added = await addPlate(db, files, take, await files.receive(Readable.from(Buffer.from(plate.bytes))), name);
  return added.id;
};
