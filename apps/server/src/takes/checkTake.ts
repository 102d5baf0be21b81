import { In } from 'typeorm';
import { takeFaults, type TakeInput } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { Bodies, Filters, Lenses } from '../db/entities';
import { ApiProblem } from '../problems';

const unknown = (field: string, what: string) => {
  const message = `There is no such ${what} in the kit`;
  return new ApiProblem(422, 'invalid-fields', `${field}: ${message[0].toLowerCase()}${message.slice(1)}`, {
    errors: [{ field, message }],
  });
};

/** A take must be possible with its body, lens and filters, all of this production. @throws ApiProblem naming the fields */
export async function checkTake<T extends TakeInput>(take: T, productionId: string, db: Queries): Promise<T> {
  const body = await db.getRepository(Bodies).findOneBy({ productionId, id: take.bodyId });
  const lens = await db.getRepository(Lenses).findOneBy({ productionId, id: take.lensId });
  if (!body) throw unknown('bodyId', 'camera body');
  if (!lens) throw unknown('lensId', 'lens');
  const filters =
    take.filterIds.length === 0 ? [] : await db.getRepository(Filters).findBy({ productionId, id: In(take.filterIds) });
  if (filters.length !== new Set(take.filterIds).size) throw unknown('filterIds', 'filter');
  const faults = takeFaults(take, body, lens, filters);
  if (faults.length > 0)
    throw new ApiProblem(422, 'invalid-fields', faults.map((f) => f.message).join('; '), { errors: faults });
  return take;
}
