import { Handoffs, Panoramas, Setups, Takes } from '../db/entities';
import type { Handlers } from '../http/handler';
import { enqueue } from '../jobs/enqueue';
import { bare } from '../records/bare';
import { basisOf } from '../records/facts';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';

export const handoffOperations: Handlers<'handoffs'> = {
  list: async ({ tx, production, query: { setupId, ...page } }) => {
    const order = { by: ['createdAt'], direction: 'DESC' } as const;
    const { items, next } = await listPage(tx, Handoffs, order, production.id, { setupId }, page);
    const basis = await basisOf(
      tx,
      'handoffs',
      items.map((h) => h.id),
    );
    return { items: items.map((h) => ({ ...bare(h), basis: basis.get(h.id)! })), next };
  },
  /** The number of a package is given here, by the database: it stands in the names of its files. */
  create: async ({ tx, production, body, background }) => {
    const productionId = production.id;
    await findOwned(tx, Setups, productionId, body.setupId, 'setup');
    await findOwned(tx, Panoramas, productionId, body.panoramaId, 'panorama');
    await findOwned(tx, Takes, productionId, body.takeId, 'take');
    await tx.query('SELECT 1 FROM setups WHERE id = $1 FOR UPDATE', [body.setupId]);
    const [{ number }]: { number: number }[] = await tx.query(
      `SELECT greatest((SELECT coalesce(max(number), 0) FROM handoffs WHERE setup_id = $1),
         (SELECT coalesce(max((input->>'number')::int), 0) FROM jobs WHERE kind = 'handoff' AND subject_id = $1 AND state IN ('queued', 'running'))) + 1 AS number`,
      [body.setupId],
    );
    const input = { ...body, number };
    return enqueue(tx, { productionId, kind: 'handoff', subjectId: body.setupId, input, background });
  },
  download: async ({ tx, production, params }) => {
    const found = await findOwned(tx, Handoffs, production.id, params.id, 'handoff');
    return { content: { hash: found.hash }, type: 'application/zip', name: found.fileName };
  },
};
