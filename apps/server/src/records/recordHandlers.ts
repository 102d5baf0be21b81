import type { EntitySchema } from 'typeorm';
import type { Api } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import type { Owned } from '../db/entities';
import type { Context, Handlers } from '../http/handler';
import { ApiProblem, notFound } from '../problems';
import { bare } from './bare';
import { findOwned } from './find';
import { listPage, type Order } from './listPage';

/** Resources whose records are listed, read, removed and restored in the same way. */
export type RecordResource = {
  [R in keyof Api]: Api[R] extends { list: unknown; get: unknown; remove: unknown; restore: unknown } ? R : never;
}[keyof Api];
/** Those that people write, too. */
export type WrittenResource = {
  [R in RecordResource]: Api[R] extends { create: unknown; change: unknown } ? R : never;
}[RecordResource];

export interface RecordKind<T extends { id: string }> {
  entity: EntitySchema<Owned<T>>;
  /** What one of them is called in messages. */
  noun: string;
  order: Order<T>;
  /** What the API shows of some; left out, all but what is the server's own. */
  show?: (db: Queries, productionId: string, records: readonly Owned<T>[]) => Promise<unknown[]>;
}

export interface WrittenKind<T extends { id: string }> extends RecordKind<T> {
  /** The whole record as it is checked before it is stored. */
  input: { parse: (value: unknown) => unknown };
  /** Fills what a new record may leave to us. */
  complete?: (record: T) => T;
  /** What a change of some fields says of others, whoever sends it. */
  implied?: (seen: T, fields: Partial<T>) => Partial<T>;
  /** Completes and checks a record before it is stored; throws ApiProblem. */
  check?: (record: T, productionId: string, db: Queries) => Promise<T>;
}

interface Stored {
  id: string;
  productionId: string;
  version: number;
}

type Loose = Pick<Context<'takes.change'>, 'tx' | 'production' | 'params'> & {
  query: Record<string, unknown>;
  body: Record<string, unknown>;
};
const repositoryOf = ({ tx }: Pick<Loose, 'tx'>, kind: RecordKind<never>) =>
  tx.getRepository<Stored>(kind.entity as unknown as EntitySchema<Stored>);

/** One record as the API shows it. */
const shown =
  <T extends { id: string }>(kind: RecordKind<T>) =>
  async (db: Queries, record: unknown): Promise<never> => {
    const one = record as Owned<T>;
    return (kind.show ? (await kind.show(db, one.productionId, [one]))[0] : bare(one)) as never;
  };

/** List, one, removal and restoring. */
export function recordHandlers<R extends RecordResource, T extends { id: string }>(
  kind: RecordKind<T>,
): Pick<Handlers<R>, 'list' & keyof Handlers<R>> &
  Pick<Handlers<R>, ('get' | 'remove' | 'restore') & keyof Handlers<R>> {
  const show = shown(kind);
  const own = kind as unknown as RecordKind<never>;
  const handlers = {
    list: async ({ tx, production, query }: Loose) => {
      const { limit, after, ...where } = query as { limit: number; after?: string } & Record<string, unknown>;
      const page = await listPage(tx, kind.entity, kind.order, production.id, where as never, { limit, after });
      const items = kind.show ? await kind.show(tx, production.id, page.items) : page.items.map(bare);
      return { items, next: page.next };
    },
    get: async ({ tx, production, params }: Loose) =>
      show(tx, await findOwned(tx, kind.entity, production.id, params.id, kind.noun)),
    remove: async (context: Loose) => {
      const { tx, production, params, query } = context;
      const seen = await findOwned(tx, kind.entity, production.id, params.id, kind.noun);
      const where = { productionId: production.id, id: params.id, version: query.version };
      const { affected } = await repositoryOf(context, own).softDelete(where as never);
      if (affected === 0)
        throw changedMeanwhile(kind.noun, 'look at it again before removing it', await show(tx, seen));
      return show(tx, seen);
    },
    restore: async (context: Loose) => {
      const { tx, production, params } = context;
      const { affected } = await repositoryOf(context, own).restore({
        productionId: production.id,
        id: params.id,
      } as never);
      if (!affected) throw notFound(kind.noun);
      return show(tx, await findOwned(tx, kind.entity, production.id, params.id, kind.noun));
    },
  };
  return handlers as never;
}

/** The same with making and changing. A change is made to the version that was seen, and the whole record is checked again. */
export function writtenHandlers<R extends WrittenResource, T extends { id: string }>(
  kind: WrittenKind<T>,
): Pick<Handlers<R>, ('list' | 'get' | 'create' | 'change' | 'remove' | 'restore') & keyof Handlers<R>> {
  const show = shown(kind);
  const own = kind as unknown as RecordKind<never>;
  const written = {
    create: async (context: Loose) => {
      const { tx, production, body } = context;
      const offered = body as unknown as T;
      const input = kind.complete ? kind.complete(offered) : offered;
      const record = kind.check ? await kind.check(input, production.id, tx) : input;
      await repositoryOf(context, own).insert({ ...record, productionId: production.id, version: 1 } as never);
      return show(tx, await findOwned(tx, kind.entity, production.id, record.id, kind.noun));
    },
    change: async (context: Loose) => {
      const { tx, production, params, body } = context;
      const { version, ...sent } = body as { version: number } & Partial<T>;
      const seen = await findOwned(tx, kind.entity, production.id, params.id, kind.noun);
      const fields = kind.implied ? kind.implied(seen, sent as unknown as Partial<T>) : sent;
      // Rules that bind several fields hold after a change, too.
      const merged = kind.input.parse(JSON.parse(JSON.stringify({ ...seen, ...fields }))) as T;
      const checked = kind.check ? await kind.check(merged, production.id, tx) : merged;
      const values = Object.fromEntries(Object.keys(fields).map((k) => [k, (checked as Record<string, unknown>)[k]]));
      return show(tx, await changeVersion(tx, own, production.id, params.id, version, values));
    },
  };
  return { ...recordHandlers<R, T>(kind), ...written } as never;
}

/** Writes fields of a record whose version was seen. @throws ApiProblem 409 with what stands there now */
export async function changeVersion<T extends { id: string }>(
  db: Queries,
  kind: RecordKind<T>,
  productionId: string,
  id: string,
  version: number,
  fields: object,
): Promise<Owned<T>> {
  const repository = db.getRepository<Stored>(kind.entity as unknown as EntitySchema<Stored>);
  const { affected } = await repository.update({ productionId, id, version }, {
    ...fields,
    version: version + 1,
  } as never);
  const current = await findOwned(db, kind.entity, productionId, id, kind.noun);
  if (affected === 0) throw changedMeanwhile(kind.noun, 'compare and save again', await shown(kind)(db, current));
  return current;
}

const changedMeanwhile = (noun: string, advice: string, current: unknown) =>
  new ApiProblem(409, 'changed-meanwhile', `This ${noun} was changed by someone else: ${advice}`, { current });
