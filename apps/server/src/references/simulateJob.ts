import { Readable } from 'node:stream';
import { z } from 'zod';
import { referenceKind, REFERENCE_KINDS, type ReferenceKind } from '@tawny/contract';
import type { SetSpec } from '@tawny/pipeline';
import { ReferenceObjects, Setups, Takes } from '../db/entities';
import type { JobHandler } from '../jobs/runner';
import { photographTake } from '../plates/simulateJob';
import { ApiProblem } from '../problems';
import { addReference } from './addReference';

const PROPS: Partial<Record<ReferenceKind, NonNullable<SetSpec['props']>>> = { chart: ['chart'], greyBall: ['greyBall'], chromeBall: ['chromeBall'] };
/** What the simulated set cannot show. */
const NOT_THERE: ReadonlySet<ReferenceKind> = new Set(['lensGrid', 'clock']);

/** The simulated plate camera photographs a reference from where the take's camera stood. */
export const simulateReferenceJob: JobHandler = async ({ db, files, job, control }) => {
  const { kind, takeId } = z.object({ kind: referenceKind, takeId: z.uuid() }).parse(job.input);
  if (NOT_THERE.has(kind)) throw new ApiProblem(422, 'not-simulated', `The simulated set has no ${REFERENCE_KINDS[kind].toLowerCase()}: upload a photograph`);
  const { productionId } = job;
  const take = await db.getRepository(Takes).findOneByOrFail({ productionId, id: takeId });
  const setup = await db.getRepository(Setups).findOneByOrFail({ productionId, id: take.setupId });
  const photo = await photographTake(db, take, PROPS[kind], control);
  const object = await db.getRepository(ReferenceObjects).findOneBy({ productionId, kind: kind as never });
  const name = `${kind.toLowerCase()}_${take.slate.toLowerCase()}_t${String(take.take).padStart(2, '0')}${take.camera.toLowerCase()}.tif`;
  const added = await addReference(
    db, files, productionId, { setupId: take.setupId, kind, takeId: take.id, lensId: take.lensId, objectId: object?.id, lightCondition: take.lightCondition || setup.lightCondition },
    await files.receive(Readable.from(Buffer.from(photo.bytes))), name,
  );
  return added.id;
};
