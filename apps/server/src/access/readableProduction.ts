import type { Production } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { Productions } from '../db/entities';
import { ApiProblem } from '../problems';
import { mayDo, type User } from './authorise';

/** The production of a code. Whoever may not even read it is not told that it exists. @throws ApiProblem 404 */
export async function readableProduction(db: Queries, user: User, code: string): Promise<Production> {
  const found = await db.getRepository(Productions).findOneBy({ code: code.toUpperCase() });
  if (!found || !mayDo(user, 'read', found))
    throw new ApiProblem(404, 'not-found', `There is no production of the code ${code.toUpperCase()}`);
  return found;
}
