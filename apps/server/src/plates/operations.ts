import type { Plate } from '@tawny/contract';
import { Plates, Takes } from '../db/entities';
import { receiveUpload } from '../files/receiveUpload';
import type { Handlers } from '../http/handler';
import { enqueue } from '../jobs/enqueue';
import { ApiProblem } from '../problems';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';
import type { Services } from '../services';
import { publicPlate, readPlate, recordPlate } from './addPlate';

export const plateOperations = ({ db, files }: Services): Handlers<'plates'> => ({
  list: async ({ tx, production, query: { takeId, ...page } }) => {
    const order = { by: ['createdAt'], direction: 'DESC' } as const;
    const { items, next } = await listPage(tx, Plates, order, production.id, { takeId }, page);
    return { items: items.map(publicPlate), next };
  },
  upload: async ({ production, params, request }) => {
    const take = await findOwned(db, Takes, production.id, params.id, 'take');
    const items: Plate[] = [];
    await receiveUpload(request, files, async ({ name, received }) => {
      items.push(await recordPlate(db, await readPlate(files, take, received, name)));
    });
    if (items.length === 0) throw new ApiProblem(422, 'no-files', 'The upload held no files');
    return { items, next: null };
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
