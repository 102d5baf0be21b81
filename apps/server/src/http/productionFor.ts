import type { Operation, Production } from '@tawny/contract';
import { LOCAL_USER, mayDo } from '../access/authorise';
import { readableProduction } from '../access/readableProduction';
import { ApiProblem } from '../problems';
import type { Services } from '../services';

/**
 * The production that a path names, after asking whether the user may do what is wanted in it.
 * @throws ApiProblem 404 when there is none, or it may not even be read; 403 when it may be read only
 */
export async function productionFor({ db }: Services, code: string, right: Operation['right']): Promise<Production> {
  const production = await readableProduction(db.manager, LOCAL_USER, code);
  if (!mayDo(LOCAL_USER, right, production))
    throw new ApiProblem(403, 'not-allowed', `You may not ${right} in ${production.title}`);
  return production;
}
