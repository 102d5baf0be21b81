import { takeInput, type ImportResult, type Setup, type Take, type TakeInput } from '@tawny/contract';
import { changedByHand } from '@tawny/contract/takeRules';
import { Bodies, Lenses, Setups, Takes, type Owned } from '../db/entities';
import type { Handlers } from '../http/handler';
import { ApiProblem } from '../problems';
import { bare } from '../records/bare';
import { findOwned } from '../records/find';
import { setPlace } from '../records/place';
import { writtenHandlers } from '../records/recordHandlers';
import { takeClock } from '../records/takeClock';
import type { Services } from '../services';
import { cellsFromFile } from './cellsFromFile';
import { checkTake } from './checkTake';
import { readTakes, takeKey } from './importTakes';

/** A take as somebody would write it: what its own picture told does not go along. */
export const inputOf = (take: Owned<Take>): TakeInput => {
  const { version: _v, createdAt: _c, updatedAt: _u, pictureCamera: _p, ...rest } = bare(take);
  return { ...rest, shotAt: new Date(rest.shotAt).toISOString() } as TakeInput;
};

const ROWS_AT_ONCE = 200;
/** A table that so many rows were added to at once is looked at anew. */
const MANY_ROWS = 100;

export const takeOperations = ({ db, decoder, uploads }: Services): Handlers<'takes'> => ({
  ...writtenHandlers<'takes', Take>({
    entity: Takes,
    noun: 'take',
    input: takeInput,
    order: { by: ['shotAt'], direction: 'DESC' },
    implied: changedByHand,
    check: checkTake,
  }),
  import: async ({ tx, production, body }) => {
    const productionId = production.id;
    await findOwned(tx, Setups, productionId, body.setupId, 'setup');
    const { setup, day, location } = await setPlace(tx, productionId, body.setupId);
    const bodies = await tx.getRepository(Bodies).findBy({ productionId });
    const lenses = await tx.getRepository(Lenses).findBy({ productionId });
    if (bodies.length === 0 || lenses.length === 0)
      throw new ApiProblem(
        422,
        'no-kit',
        'The kit holds no camera body or no lens: add them before takes are imported',
      );
    const there = await tx
      .getRepository(Takes)
      .find({ where: { productionId, setupId: setup.id }, order: { shotAt: 'DESC' } });
    const { result, takes } = readTakes(
      Buffer.from(body.contentBase64, 'base64'),
      body.fileName,
      {
        // As it crosses the wire: the database hands out instants as objects.
        setup: JSON.parse(JSON.stringify(bare(setup))) as Setup,
        location,
        date: day.date,
        bodies,
        lenses,
        existing: new Set(there.map(takeKey)),
        model: there[0] ? inputOf(there[0]) : null,
      },
      body.mapping,
    );
    const wrong = result.rows.filter((r) => r.faults.length > 0);
    const answer: ImportResult = { ...result, imported: 0, dryRun: body.dryRun };
    if (body.dryRun) return answer;
    if (wrong.length > 0 && !body.acceptRest) {
      throw new ApiProblem(
        422,
        'rows-with-faults',
        `${wrong.length} of ${result.rows.length} rows cannot be read, so nothing was imported. Mend them, or accept the rest.`,
        {
          errors: wrong
            .slice(0, 200)
            .flatMap((r) => r.faults.map((f) => ({ field: `row ${r.row}: ${f.field}`, message: f.message }))),
        },
      );
    }
    for (let i = 0; i < takes.length; i += ROWS_AT_ONCE) {
      const rows = takes.slice(i, i + ROWS_AT_ONCE).map((t) => ({ ...t, productionId, version: 1 }));
      await tx.getRepository(Takes).insert(rows as never);
    }
    // Until the database looks at it by itself, up to a minute later, it would plan for a table as small as it was.
    if (takes.length >= MANY_ROWS) await tx.query('ANALYZE takes');
    return { ...answer, imported: takes.length };
  },
  readFile: async ({ production, query, request }) => {
    const productionId = production.id;
    const [bodies, lenses] = await Promise.all([
      db.getRepository(Bodies).findBy({ productionId }),
      db.getRepository(Lenses).findBy({ productionId }),
    ]);
    const take = query.takeId ? await db.getRepository(Takes).findOneBy({ productionId, id: query.takeId }) : null;
    const clock = take ? await takeClock(db, take) : { offsetS: 0, zone: null };
    return uploads.all(request, async ([{ name, received }]) => {
      const facts = await decoder.run('fileFacts', received.path, name);
      return cellsFromFile(facts, name, bodies, lenses, clock);
    });
  },
});
