import { Readable } from 'node:stream';
import type { ReferenceKind } from '@tawny/contract';
import type { SetSpec } from '@tawny/pipeline';
import { ReferenceObjects, Takes } from '../db/entities';
import { inThisProcess } from '../decode/tasks';
import type { JobHandler } from '../jobs/runner';
import { photographTake } from '../plates/simulateJob';
import { setPlace } from '../records/place';
import { readReference, recordReference } from './addReference';
import { photographClock, photographLensGrid } from './simulateCharts';

const PROPS: Partial<Record<ReferenceKind, NonNullable<SetSpec['props']>>> = {
  chart: ['chart'],
  greyBall: ['greyBall'],
  chromeBall: ['chromeBall'],
};

/** The simulated plate camera photographs a reference from where the take's camera stood. */
export const simulateReferenceJob: JobHandler<'simulateReference'> = async ({ db, files, job, control }) => {
  const { kind, takeId } = job.input;
  const { productionId } = job;
  const take = await db.getRepository(Takes).findOneByOrFail({ productionId, id: takeId });
  const place = await setPlace(db, productionId, take.setupId);
  const photo =
    kind === 'clock'
      ? await photographClock(take, place)
      : kind === 'lensGrid'
        ? await photographLensGrid(db, take, place)
        : await photographTake(db, take, PROPS[kind], control);
  const object = await db.getRepository(ReferenceObjects).findOneBy({ productionId, kind: kind as never });
  const name = `${kind.toLowerCase()}_${take.slate.toLowerCase()}_t${String(take.take).padStart(2, '0')}${take.camera.toLowerCase()}.${kind === 'clock' || kind === 'lensGrid' ? 'jpg' : 'tif'}`;
  const read = await readReference(
    files,
    inThisProcess,
    productionId,
    {
      setupId: take.setupId,
      kind,
      takeId: take.id,
      lensId: take.lensId,
      objectId: object?.id,
      lightCondition: take.lightCondition || place.setup.lightCondition,
    },
    await files.receive(Readable.from(Buffer.from(photo.bytes))),
    name,
    place.location.zone,
  );
  return async (tx) => (await recordReference(tx, read)).id;
};
