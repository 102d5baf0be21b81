import { randomUUID } from 'node:crypto';
import { Client } from 'pg';

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

/** An empty database of its own, gone when the use of it ends. */
export async function trialDatabase(use: (url: string) => Promise<void>): Promise<void> {
  const name = `trial_${randomUUID().replace(/-/g, '')}`;
  await sql(`CREATE DATABASE ${name}`);
  try {
    await use(url().replace(/\/[^/]*$/, `/${name}`));
  } finally {
    await sql(`DROP DATABASE ${name} WITH (FORCE)`);
  }
}
