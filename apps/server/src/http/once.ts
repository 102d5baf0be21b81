import { createHash } from 'node:crypto';
import type { Request } from 'express';
import type { EntityManager } from 'typeorm';
import { KEY_HEADER } from '@tawny/contract/client';
import type { Db } from '../db/dataSource';
import { ApiProblem } from '../problems';

export interface KeptAnswer {
  status: number;
  body: unknown;
  /** It was given before; nothing was done now. */
  replayed: boolean;
}

/**
 * Does a write at most once for a key. The key is claimed first, inside the transaction of the write: of two that come at the
 * same time the second waits, and hears the first one's answer. A write that fails leaves no claim, so a mended retry is heard.
 * @throws ApiProblem without a key, or when the key stood for another request
 */
export async function once(
  db: Db,
  req: Request,
  productionId: string,
  status: number,
  write: (tx: EntityManager) => Promise<unknown>,
): Promise<KeptAnswer> {
  const key = req.get(KEY_HEADER);
  if (!key || key.length > 200)
    throw new ApiProblem(400, 'no-idempotency-key', `A write needs an ${KEY_HEADER} header of at most 200 characters`);
  const hash = createHash('sha256')
    .update(`${req.method} ${req.originalUrl}\n${JSON.stringify(req.body ?? null)}`)
    .digest('hex');
  return db.transaction(async (tx) => {
    const claimed: unknown[] = await tx.query(
      `INSERT INTO idempotency_keys (production_id, key, request_hash, status, body) VALUES ($1, $2, $3, 0, 'null') ON CONFLICT DO NOTHING RETURNING 1`,
      [productionId, key, hash],
    );
    if (claimed.length === 0) {
      const [kept]: { request_hash: string; status: number; body: unknown }[] = await tx.query(
        'SELECT request_hash, status, body FROM idempotency_keys WHERE production_id = $1 AND key = $2',
        [productionId, key],
      );
      if (kept.request_hash !== hash)
        throw new ApiProblem(422, 'idempotency-key-reused', `This ${KEY_HEADER} was used for another request`);
      return { status: kept.status, body: kept.body, replayed: true };
    }
    const body = await write(tx);
    await tx.query('UPDATE idempotency_keys SET status = $3, body = $4 WHERE production_id = $1 AND key = $2', [
      productionId,
      key,
      status,
      JSON.stringify(body),
    ]);
    return { status, body, replayed: false };
  });
}
