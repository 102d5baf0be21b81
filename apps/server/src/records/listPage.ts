import { In, type EntitySchema } from 'typeorm';
import { z } from 'zod';
import type { Queries } from '../db/dataSource';
import { columnName, type Owned } from '../db/entities';
import { ApiProblem } from '../problems';

export interface Order<T> {
  /** Properties; the id breaks ties. */
  by: readonly (keyof T & string)[];
  direction: 'ASC' | 'DESC';
}

const marker = z.uuid();

/** What an empty column counts as in an order: after everything. */
const LAST: Record<string, string> = {
  timestamptz: "'infinity'::timestamptz",
  text: "'\uffff'",
  uuid: "'ffffffff-ffff-ffff-ffff-ffffffffffff'::uuid",
};

/**
 * A page of a production's records of one kind. The marker of the next page is the last record's id, so that no precision
 * of a time is lost on the way; records that come or go meanwhile neither repeat nor hide others.
 * @param where columns that must hold values; undefined ones are left out
 * @throws ApiProblem when the marker is none of this list's
 */
export async function listPage<T extends { id: string }>(
  db: Queries,
  entity: EntitySchema<Owned<T>>,
  order: Order<T>,
  productionId: string,
  where: Partial<Record<keyof T & string, unknown>>,
  { limit, after }: { limit: number; after?: string },
): Promise<{ items: Owned<T>[]; next: string | null }> {
  const { tableName, columns } = entity.options;
  const sortKey = (alias: string) => (property: string) => {
    const column = columns[property as keyof typeof columns];
    const name = `${alias}.${columnName(property)}`;
    return column?.nullable ? `coalesce(${name}, ${LAST[String(column.type)]})` : name;
  };
  const keys = (alias: string) => [...order.by.map(sortKey(alias)), `${alias}.id`];
  const values: unknown[] = [productionId];
  const place = (value: unknown) => `$${values.push(value)}`;
  const conditions = ['r.production_id = $1'];
  if ('removedAt' in columns) conditions.push('r.removed_at IS NULL');
  for (const [property, value] of Object.entries(where)) {
    if (value !== undefined) conditions.push(`r.${columnName(property)} = ${place(value)}`);
  }
  if (after !== undefined) {
    const id = marker.safeParse(Buffer.from(after, 'base64url').toString('utf8'));
    const known: unknown[] = id.success
      ? await db.query(`SELECT 1 FROM ${tableName} WHERE production_id = $1 AND id = $2`, [productionId, id.data])
      : [];
    if (known.length === 0)
      throw new ApiProblem(400, 'bad-cursor', 'The page marker "after" is not one that this list gave');
    conditions.push(
      `(${keys('r').join(', ')}) ${order.direction === 'ASC' ? '>' : '<'} (SELECT ${keys('c').join(', ')} FROM ${tableName} c WHERE c.id = ${place(id.data)})`,
    );
  }
  const rows: { id: string }[] = await db.query(
    `SELECT r.id FROM ${tableName} r WHERE ${conditions.join(' AND ')} ORDER BY ${keys('r')
      .map((k) => `${k} ${order.direction}`)
      .join(', ')} LIMIT ${limit + 1}`,
    values,
  );
  const ids = rows.slice(0, limit).map((r) => r.id);
  const repository = db.getRepository<{ id: string }>(entity as unknown as EntitySchema<{ id: string }>);
  const found = ids.length === 0 ? [] : await repository.findBy({ id: In(ids) });
  const byId = new Map(found.map((r) => [r.id, r as Owned<T>]));
  return {
    items: ids.flatMap((id) => byId.get(id) ?? []),
    next: rows.length > limit ? Buffer.from(ids[ids.length - 1]).toString('base64url') : null,
  };
}
