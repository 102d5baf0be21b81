import { randomUUID } from 'node:crypto';
import type { KitCurve } from '@tawny/contract';
import { Curves } from '../db/entities';
import type { Handlers } from '../http/handler';
import { bare } from '../records/bare';
import { onceForFile } from '../records/onceForFile';
import { recordHandlers } from '../records/recordHandlers';
import type { Services } from '../services';

/** Curves that the user brings as Common LUT Format files. */
export const curveOperations = ({ db, decoder, uploads }: Services): Handlers<'curves'> => ({
  ...recordHandlers<'curves', KitCurve>({ entity: Curves, noun: 'curve', order: { by: ['name'], direction: 'ASC' } }),
  upload: async ({ production, request }) => {
    const productionId = production.id;
    return uploads.each(request, async ({ name: fileName, received }) => {
      try {
        const { name, input, output } = await decoder.run('readCurve', received.path, fileName);
        await received.keep();
        const { hash } = received;
        return await onceForFile(db, [productionId, hash], async (tx) => {
          const repository = tx.getRepository(Curves);
          const there = await repository.findOneBy({ productionId, hash });
          if (there) return bare(there);
          const id = randomUUID();
          await repository.insert({ id, productionId, name, fileName, hash, input, output, version: 1 } as never);
          return bare(await repository.findOneByOrFail({ id }));
        });
      } finally {
        await received.discard();
      }
    });
  },
});
