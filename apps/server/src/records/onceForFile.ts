import type { EntityManager } from 'typeorm';
import type { Db } from '../db/dataSource';

/** Does what records a file, while nobody else records the same file in the same place: two who send it at once get one record. */
export function onceForFile<T>(
  db: Db | EntityManager,
  place: readonly string[],
  record: (tx: EntityManager) => Promise<T>,
): Promise<T> {
  return db.transaction(async (tx) => {
    await tx.query('SELECT pg_advisory_xact_lock(hashtextextended($1, 0))', [place.join('/')]);
    return record(tx);
  });
}
