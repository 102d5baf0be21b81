import type { EntitySchema } from 'typeorm';
import type { Queries } from '../db/dataSource';
import type { Owned } from '../db/entities';
import { notFound } from '../problems';

/** A record of a production by its id. @throws ApiProblem 404 that says what is missing */
export async function findOwned<T extends { id: string }>(
  db: Queries,
  entity: EntitySchema<Owned<T>>,
  productionId: string,
  id: string,
  noun: string,
): Promise<Owned<T>> {
  const repository = db.getRepository<{ id: string; productionId: string }>(
    entity as unknown as EntitySchema<{ id: string; productionId: string }>,
  );
  const found = await repository.findOneBy({ productionId, id });
  if (!found) throw notFound(noun);
  return found as Owned<T>;
}
