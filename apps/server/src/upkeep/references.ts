import type { Queries } from '../db/dataSource';
import { columnName, ENTITIES } from '../db/entities';

const HASH = /^[0-9a-f]{64}$/;

/** Columns that name stored files, from the tables' own definitions. */
const COLUMNS = ENTITIES.flatMap(({ options }) =>
  Object.keys(options.columns)
    .filter((property) => /^hash$|Hash$/.test(property))
    .map((property) => ({ table: options.tableName!, column: columnName(property) })),
);

/** Those that the database has: an older layout lacks some. */
async function columnsHere(db: Queries): Promise<typeof COLUMNS> {
  const there: { at: string }[] = await db.query(
    `SELECT table_name || '.' || column_name AS at FROM information_schema.columns WHERE table_schema = 'public'`,
  );
  const known = new Set(there.map(({ at }) => at));
  return COLUMNS.filter(({ table, column }) => known.has(`${table}.${column}`));
}

/** Every stored file that a record names, removed records included, and those that waiting work was given. */
export async function referencedHashes(db: Queries): Promise<Set<string>> {
  const found = new Set<string>();
  const add = (rows: { hash: string | null }[]) => {
    for (const { hash } of rows) if (hash && HASH.test(hash)) found.add(hash);
  };
  for (const { table, column } of await columnsHere(db))
    add(await db.query(`SELECT DISTINCT ${column} AS hash FROM ${table}`));
  // What a job was given stands in its input, wherever its kind keeps it.
  add(
    await db.query(
      `SELECT DISTINCT v.value #>> '{}' AS hash FROM jobs, LATERAL jsonb_path_query(input, '$.**.hash') AS v(value) WHERE jsonb_typeof(v.value) = 'string'`,
    ),
  );
  return found;
}
