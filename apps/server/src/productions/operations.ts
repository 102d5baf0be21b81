import { isDeepStrictEqual } from 'node:util';
import type { Production } from '@tawny/contract';
import { mayDo } from '../access/authorise';
import { readableProduction } from '../access/readableProduction';
import type { Db } from '../db/dataSource';
import { Productions } from '../db/entities';
import type { Handlers } from '../http/handler';
import { copyKit } from '../kit/exchange';
import { ApiProblem } from '../problems';
import { bare } from '../records/bare';

/** Productions: those there are, and new ones. */
export const productionOperations = (db: Db): Handlers<'productions'> => ({
  list: async ({ user }) => {
    const all = await db.getRepository(Productions).find({ order: { code: 'ASC' } });
    return { items: all.filter((p) => mayDo(user, 'read', p)), next: null };
  },
  get: async ({ production }) => production,
  create: async ({ user, body: { kitFrom, ...fields } }) =>
    db.transaction(async (tx) => {
      const source = kitFrom === undefined ? null : await readableProduction(tx, user, kitFrom);
      await tx.query(
        `INSERT INTO productions (id, code, title, working_space) VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING`,
        [fields.id, fields.code, fields.title, fields.workingSpace],
      );
      const stored = await tx.getRepository(Productions).findOneBy({ code: fields.code });
      // Sent twice it is begun once; a code that another production has is refused.
      if (!stored || !isDeepStrictEqual(named(stored), fields))
        throw new ApiProblem(409, 'already-there', `The code ${fields.code} belongs to another production`, {
          errors: [{ field: 'code', message: `${fields.code} belongs to another production: choose another` }],
        });
      if (source && stored.version === 1) await copyKit(tx, source.id, stored.id);
      return bare(stored);
    }),
});

const named = ({ id, code, title, workingSpace }: Production) => ({ id, code, title, workingSpace });
