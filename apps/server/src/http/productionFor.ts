import type { Operation } from '@tawny/contract';
import { LOCAL_USER, mayDo } from '../access/authorise';
import { Productions } from '../db/entities';
import { ApiProblem, notFound } from '../problems';
import type { Services } from '../services';

/**
 * The production that a path names, after asking whether the user may do what is wanted in it.
 * @throws ApiProblem 404 when there is none, or it may not even be read; 403 when it may be read only
 */
export async function productionFor({ db }: Services, code: string, right: Operation['right']) {
  const production = await db.getRepository(Productions).findOneBy({ code: code.toUpperCase() });
  // Whoever may not even read it is not told that it exists.
  if (!production || !mayDo(LOCAL_USER, 'read', production)) throw notFound('production');
  if (!mayDo(LOCAL_USER, right, production))
    throw new ApiProblem(403, 'not-allowed', `You may not ${right} in ${production.title}`);
  return production;
}
