import { EntitySchema, type EntitySchemaColumnOptions } from 'typeorm';

/** Every record belongs to a production. */
export type Owned<T> = T & { productionId: string };

type Kind = 'text' | 'integer' | 'float8' | 'uuid' | 'timestamptz' | 'date' | 'jsonb' | 'boolean' | 'bigint';
type Columns<T> = { [K in Exclude<keyof T, 'id' | 'version' | 'createdAt' | 'updatedAt'>]: Kind | `${Kind}?` };

/** `heightM` is the column `height_m`. */
export function columnName(property: string): string {
  return property.replace(/[A-Z]/g, (c) => `_${c.toLowerCase()}`);
}

const numberFromText = { to: (v: unknown) => v, from: (v: string | null) => (v === null ? null : Number(v)) };

/** A table of records with their columns: of a production unless `owned` is false, with versions and removal unless `versioned` is. */
export function table<T extends { id: string }>(
  name: string,
  columns: Columns<T>,
  options: { owned?: boolean; versioned?: boolean } = {},
): EntitySchema<Owned<T>> {
  const { owned = true, versioned = true } = options;
  const all: Record<string, EntitySchemaColumnOptions> = { id: { type: 'uuid', primary: true } };
  if (owned) all.productionId = { type: 'uuid', name: 'production_id' };
  for (const [property, kind] of Object.entries(columns) as [string, string][]) {
    const type = kind.replace('?', '') as Kind;
    all[property] = {
      type,
      name: columnName(property),
      nullable: kind.endsWith('?'),
      ...(type === 'bigint' ? { transformer: numberFromText } : {}),
    };
  }
  if (versioned) {
    all.version = { type: 'integer', default: 1 };
    all.updatedAt = { type: 'timestamptz', name: 'updated_at', updateDate: true };
    // Removed records stay: removing can be undone, and what refers to them keeps its meaning.
    all.removedAt = { type: 'timestamptz', name: 'removed_at', nullable: true, deleteDate: true, select: false };
  }
  all.createdAt = { type: 'timestamptz', name: 'created_at', createDate: true };
  return new EntitySchema<Owned<T>>({ name, tableName: name, columns: all as never });
}
