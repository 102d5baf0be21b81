import { createHash } from 'node:crypto';
import type { RequestHandler } from 'express';
import type { DataSource } from 'typeorm';
import { ApiProblem } from '../problems';

/**
 * Writes carry an `Idempotency-Key`. The first answer under a key is kept; the same request again gets the same answer,
 * a different one under the same key is refused. Refusals are not kept, so that a mended retry is heard.
 */
export function idempotency(db: DataSource): RequestHandler {
  return async (req, res, next) => {
    const creates = req.method === 'POST' && Boolean(req.is('application/json'));
    if (!creates && req.method !== 'PATCH' && req.method !== 'DELETE') return next();
    const key = req.get('Idempotency-Key');
    // Changes and removals name the version that they saw; a key on them makes a repeat hear the first answer instead of a conflict.
    if (!key && !creates) return next();
    if (!key || key.length > 200)
      throw new ApiProblem(
        400,
        'no-idempotency-key',
        'A write needs an Idempotency-Key header of at most 200 characters',
      );
    const hash = createHash('sha256')
      .update(`${req.method} ${req.originalUrl}\n${JSON.stringify(req.body ?? null)}`)
      .digest('hex');
    const kept: { request_hash: string; status: number; body: unknown }[] = await db.query(
      'SELECT request_hash, status, body FROM idempotency_keys WHERE production_id = $1 AND key = $2',
      [req.production.id, key],
    );
    if (kept.length > 0) {
      if (kept[0].request_hash !== hash)
        throw new ApiProblem(422, 'idempotency-key-reused', 'This Idempotency-Key was used for another request');
      res.status(kept[0].status).set('Idempotency-Replayed', 'true').json(kept[0].body);
      return;
    }
    const send = res.json.bind(res);
    res.json = (body: unknown) => {
      if (res.statusCode >= 400) return send(body);
      db.query(
        'INSERT INTO idempotency_keys (production_id, key, request_hash, status, body) VALUES ($1, $2, $3, $4, $5) ON CONFLICT DO NOTHING',
        [req.production.id, key, hash, res.statusCode, JSON.stringify(body)],
      ).then(
        () => send(body),
        (error: unknown) => next(error),
      );
      return res;
    };
    next();
  };
}
