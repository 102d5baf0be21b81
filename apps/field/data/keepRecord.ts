import type { Api } from '@tawny/contract';
import { ApiError, call } from './api';

/** Resources whose records people write. */
export type WrittenKind = {
  [R in keyof Api]: Api[R] extends { create: unknown; change: unknown } ? R : never;
}[keyof Api];

export interface Versioned {
  id: string;
  version?: number;
}

/** What a record is of when it has just been made: whoever changed it since is not overwritten. */
const FIRST_VERSION = 1;

/**
 * Keeps a record: it is made under the client's own id, and changed from the version that was seen when it has one.
 * What was sent before without an answer may have arrived: what is said now under the same id is then a change of that.
 * @throws ApiError also when somebody else has changed it meanwhile
 */
export async function keepRecord<T extends Versioned>(
  kind: WrittenKind,
  production: string,
  record: T,
  change?: Partial<T>,
): Promise<T> {
  const params = { production, id: record.id };
  const send = (name: string, asked: object) => call(name as 'takes.create', asked as never) as Promise<unknown>;
  const changed = (from: Partial<T>, version: number) =>
    send(`${kind}.change`, { params, body: { ...from, id: undefined, version } }) as Promise<T>;
  if (record.version) return changed(change ?? record, record.version);
  try {
    // A new record's own id is its key: however often it is sent, it is made once.
    return (await send(`${kind}.create`, { params, body: record, key: record.id })) as T;
  } catch (error) {
    if (!(error instanceof ApiError && error.problem.code === 'idempotency-key-reused')) throw error;
    return changed(record, FIRST_VERSION);
  }
}
