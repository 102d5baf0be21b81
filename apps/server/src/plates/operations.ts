import { Plates, Takes } from '../db/entities';
import type { Handlers } from '../http/handler';
import { enqueue } from '../jobs/enqueue';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';
import type { Services } from '../services';
import { publicPlate, readPlate, recordPlate } from './addPlate';

export const plateOperations = ({ db, files, decoder, uploads }: Services): Handlers<'plates'> => ({
  list: async ({ tx, production, query: { takeId, ...page } }) => {
    const order = { by: ['createdAt'], direction: 'DESC' } as const;
    const { items, next } = await listPage(tx, Plates, order, production.id, { takeId }, page);
    return { items: items.map(publicPlate), next };
  },
  upload: async ({ production, params, request }) => {
    const take = await findOwned(db, Takes, production.id, params.id, 'take');
    return uploads.each(request, async ({ name, received }) =>
      recordPlate(db, await readPlate(files, decoder, take, received, name)),
    );
  },
  simulate: async ({ tx, production, params, background }) => {
    const take = await findOwned(tx, Takes, production.id, params.id, 'take');
    return enqueue(tx, {
      productionId: production.id,
      kind: 'simulatePlate',
      subjectId: take.id,
      input: {},
      background,
    });
  },
  preview: async ({ tx, production, params }) => {
    const { previewHash } = await findOwned(tx, Plates, production.id, params.id, 'plate');
    return { content: { hash: previewHash }, type: 'image/jpeg', lasting: true };
  },
});
