import { randomUUID } from 'node:crypto';
import { Client } from 'pg';

/** SQLSTATE. */
const INSUFFICIENT_PRIVILEGE = '42501';
const url = () => process.env.TAWNY_E2E_DATABASE!;

/** Asks a database directly; the one of the tests unless another is named. */
export async function sql<T extends object>(text: string, values: unknown[] = [], database = url()): Promise<T[]> {
  const client = new Client({ connectionString: database });
  await client.connect();
  try {
    return (await client.query(text, values)).rows as T[];
  } finally {
    await client.end();
  }
}

/** How many rows the database plans for in a table; -1 where it never looked. */
export async function plannedRows(table: string, database = url()): Promise<number> {
  const [{ rows }] = await sql<{ rows: number }>('SELECT reltuples AS rows FROM pg_class WHERE relname = $1', [table], database); // prettier-ignore
  return Number(rows);
}

/** An empty database of its own, gone when the use of it ends. */
export async function trialDatabase(use: (url: string) => Promise<void>): Promise<void> {
  const name = `trial_${randomUUID().replace(/-/g, '')}`;
  await sql(`CREATE DATABASE ${name}`);
  try {
    await use(url().replace(/\/[^/]*$/, `/${name}`));
  } finally {
    await dropped(name);
  }
}

/** Ends what still speaks with a database, and it. Upkeep of the cluster's own may not be ended by us: it is over in a moment. */
async function dropped(name: string, tries = 20): Promise<void> {
  try {
    await sql(`DROP DATABASE ${name} WITH (FORCE)`);
  } catch (error) {
    if ((error as { code?: string }).code !== INSUFFICIENT_PRIVILEGE || tries === 0) throw error;
    await new Promise((r) => setTimeout(r, 250));
    await dropped(name, tries - 1);
  }
}
