import { Router } from 'express';
import type { DataSource, EntitySchema } from 'typeorm';
import { z } from 'zod';
import { changeOf } from '@tawny/contract';
import type { Owned } from '../db/entities';
import { ApiProblem, notFound } from '../problems';

const PAGE = 200;
const pageSize = z.coerce.number().int().min(1).max(PAGE).default(PAGE);

export interface RecordKind<T extends { id: string }> {
  entity: EntitySchema<Owned<T>>;
  /** What one of them is called in messages. */
  noun: string;
  input: z.ZodObject;
  /** Property that lists may be filtered by, and its query name. */
  filter?: keyof T & string;
  /** Order of lists; the id breaks ties. */
  order: { by: keyof T & string; direction: 'ASC' | 'DESC' };
  /** Fills what a new record may leave to us. */
  complete?: (record: T) => T;
  /** Completes and checks a record before it is stored; throws ApiProblem. */
  check?: (record: T, productionId: string, db: DataSource) => Promise<T>;
}

interface Stored {
  id: string;
  productionId: string;
  version: number;
}

/** What leaves the server: everything but the owner. */
export function bare<T extends { productionId?: string; removedAt?: unknown }>(
  record: T,
): Omit<T, 'productionId' | 'removedAt'> {
  const { productionId: _owner, removedAt: _removed, ...rest } = record;
  return rest;
}

const cursorSchema = z.object({ value: z.union([z.string(), z.number()]), id: z.uuid() });

/** List (paged, filtered), read, create, change, remove and restore of one kind of record, always inside the production of the route. */
export function recordRoutes<T extends { id: string }>(db: DataSource, kind: RecordKind<T>): Router {
  const router = Router({ mergeParams: true });
  const repository = () => db.getRepository<Stored>(kind.entity as unknown as EntitySchema<Stored>);
  const change = changeOf(kind.input);

  router.get('/', async (req, res) => {
    const { by, direction } = kind.order;
    const limit = pageSize.parse(req.query.limit);
    const query = repository().createQueryBuilder('r').where('r.productionId = :p', { p: req.production.id });
    if (kind.filter && typeof req.query[kind.filter] === 'string')
      query.andWhere(`r.${kind.filter} = :f`, { f: z.uuid().parse(req.query[kind.filter]) });
    if (typeof req.query.after === 'string') {
      let cursor;
      try {
        cursor = cursorSchema.parse(JSON.parse(Buffer.from(req.query.after, 'base64url').toString('utf8')));
      } catch {
        throw new ApiProblem(400, 'bad-cursor', 'The page marker "after" is not one that this list gave');
      }
      query.andWhere(`(r.${by}, r.id) ${direction === 'ASC' ? '>' : '<'} (:v, :i)`, { v: cursor.value, i: cursor.id });
    }
    const rows = await query
      .orderBy(`r.${by}`, direction)
      .addOrderBy('r.id', direction)
      .take(limit + 1)
      .getMany();
    const items = rows.slice(0, limit);
    const last = items[items.length - 1] as (Stored & Record<string, unknown>) | undefined;
    const next =
      rows.length > limit && last
        ? Buffer.from(JSON.stringify({ value: last[by], id: last.id })).toString('base64url')
        : null;
    res.json({ items: items.map(bare), next });
  });

  router.get('/:id', async (req, res) => {
    const found = await repository().findOneBy({ productionId: req.production.id, id: req.params.id });
    if (!found) throw notFound(kind.noun);
    res.json(bare(found));
  });

  router.post('/', async (req, res) => {
    const parsed = kind.input.parse(req.body) as unknown as T;
    const input = kind.complete ? kind.complete(parsed) : parsed;
    const record = kind.check ? await kind.check(input, req.production.id, db) : input;
    await repository().insert({ ...record, productionId: req.production.id, version: 1 } as unknown as Stored);
    res.status(201).json(bare(await repository().findOneByOrFail({ id: record.id })));
  });

  router.patch('/:id', async (req, res) => {
    const { version, ...fields } = change.parse(req.body) as { version: number } & Partial<T>;
    const seen = await repository().findOneBy({ productionId: req.production.id, id: req.params.id });
    if (!seen) throw notFound(kind.noun);
    // The whole record is checked again: rules that bind several fields hold after a change, too.
    const merged = kind.input.parse(JSON.parse(JSON.stringify({ ...seen, ...fields }))) as unknown as T;
    const checked = kind.check ? await kind.check(merged, req.production.id, db) : merged;
    const values = Object.fromEntries(Object.keys(fields).map((k) => [k, (checked as Record<string, unknown>)[k]]));
    const result = await repository().update({ productionId: req.production.id, id: req.params.id, version }, {
      ...values,
      version: version + 1,
    } as never);
    const current = await repository().findOneByOrFail({ id: req.params.id });
    if (result.affected === 0) {
      throw new ApiProblem(
        409,
        'changed-meanwhile',
        `This ${kind.noun} was changed by someone else: compare and save again`,
        { current: bare(current) },
      );
    }
    res.json(bare(current));
  });

  router.delete('/:id', async (req, res) => {
    const version = z.coerce.number().int().positive('State the version that was seen').parse(req.query.version);
    const seen = await repository().findOneBy({ productionId: req.production.id, id: req.params.id });
    if (!seen) throw notFound(kind.noun);
    const result = await repository().softDelete({
      productionId: req.production.id,
      id: req.params.id,
      version,
    } as never);
    if (result.affected === 0) {
      throw new ApiProblem(
        409,
        'changed-meanwhile',
        `This ${kind.noun} was changed by someone else: look at it again before removing it`,
        { current: bare(seen) },
      );
    }
    res.json(bare(seen));
  });

  router.post('/:id/restore', async (req, res) => {
    const result = await repository().restore({ productionId: req.production.id, id: req.params.id } as never);
    const found = result.affected
      ? await repository().findOneBy({ productionId: req.production.id, id: req.params.id })
      : null;
    if (!found) throw notFound(kind.noun);
    res.json(bare(found));
  });
  return router;
}
