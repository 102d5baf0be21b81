import { Readable } from 'node:stream';
import { IsNull, type EntitySchema } from 'typeorm';
import type { Queries } from '../db/dataSource';
import { Plates, References, Setups, Takes, type Owned, type StoredPlate, type StoredReference } from '../db/entities';
import type { Handlers } from '../http/handler';
import { enqueue } from '../jobs/enqueue';
import { ApiProblem } from '../problems';
import { readPlate, recordPlate } from '../plates/addPlate';
import { findOwned } from '../records/find';
import { setPlace } from '../records/place';
import { changeVersion, recordHandlers, type RecordKind } from '../records/recordHandlers';
import type { Services } from '../services';
import { statedDecodingOf } from '../decodings/stated';
import { withDecodings } from '../decodings/withDecodings';
import { publicReference, publicReferences, readReference, recordReference } from './addReference';

const KIND: RecordKind<StoredReference> = {
  entity: References,
  noun: 'reference',
  order: { by: ['takenAt'], direction: 'DESC' },
  show: publicReferences,
};

/** A reference whose take is known. @throws ApiProblem asking for it */
async function ofTake(tx: Queries, productionId: string, id: string, how: string) {
  const reference = await findOwned(tx, References, productionId, id, 'reference');
  const { takeId } = reference;
  if (takeId) return { ...reference, takeId };
  throw new ApiProblem(422, 'no-take', `Say first which take this ${how}`, {
    errors: [{ field: 'takeId', message: 'is empty' }],
  });
}

/** Photographs made to be measured. */
export const referenceOperations = ({ db, files, decoder, uploads }: Services): Handlers<'references'> => ({
  ...recordHandlers<'references', StoredReference>(KIND),
  upload: async ({ production, query, request }) => {
    const productionId = production.id;
    await findOwned(db, Setups, productionId, query.setupId, 'setup');
    const { location } = await setPlace(db, productionId, query.setupId);
    return uploads.each(request, async ({ name, received }) =>
      recordReference(db, await readReference(files, decoder, productionId, query, received, name, location.zone)),
    );
  },
  change: async ({ tx, production, params, body: { version, decoding, ...rest } }) => {
    const fields = decoding === undefined ? rest : { ...rest, enteredDecoding: decoding };
    return publicReference(tx, await changeVersion(tx, KIND, production.id, params.id, version, fields));
  },
  simulate: async ({ tx, production, body, background }) => {
    const take = await findOwned(tx, Takes, production.id, body.takeId, 'take');
    return enqueue(tx, {
      productionId: production.id,
      kind: 'simulateReference',
      subjectId: take.setupId,
      input: body,
      background,
    });
  },
  preview: async ({ tx, production, params }) => {
    const { previewHash } = await findOwned(tx, References, production.id, params.id, 'reference');
    return { content: { hash: previewHash }, type: 'image/jpeg', lasting: true };
  },
  plate: async ({ tx, production, params }) => {
    const { id, hash, name, enteredDecoding, takeId } = await ofTake(tx, production.id, params.id, 'was photographed with'); // prettier-ignore
    const take = await findOwned(tx, Takes, production.id, takeId, 'take');
    const received = await files.receive(Readable.from([await files.read(hash)]));
    const read = await readPlate(files, decoder, take, received, name);
    return recordPlate(tx, { ...read, referenceId: id, enteredDecoding });
  },
  compare: async ({ tx, production, params }) => {
    const reference = await ofTake(tx, production.id, params.id, 'is the clean plate of');
    const plate = await tx.getRepository(Plates as EntitySchema<Owned<StoredPlate>>).findOne({
      where: { productionId: production.id, takeId: reference.takeId, referenceId: IsNull() },
      order: { createdAt: 'DESC' },
    });
    if (!plate)
      throw new ApiProblem(
        422,
        'no-plate',
        'That take has no plate frame yet to compare with: add one under Measure or from its clip',
      );
    const pictures = await Promise.all(
      [plate, reference].map(async (p) => ({ ...p, decoding: await statedDecodingOf(tx, p) })),
    );
    return withDecodings(tx, files, production.id, pictures, ([a, b]) =>
      decoder.run('comparePictures', { ...a, id: plate.id }, b),
    );
  },
});
