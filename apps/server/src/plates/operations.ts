import type { PlateCorners } from '@tawny/contract';
import { PlateCameras, Plates, Takes, type StoredPlate } from '../db/entities';
import type { Handlers } from '../http/handler';
import { enqueue } from '../jobs/enqueue';
import { bare } from '../records/bare';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';
import type { Services } from '../services';
import { carry, measureCamera, publicPlateCamera } from './measureCamera';
import { publicPlate, publicPlates, readPlate, recordPlate } from './addPlate';
import { statedDecodingOf } from '../decodings/stated';
import { assertStated, withDecodings } from '../decodings/withDecodings';
import { changeVersion, type RecordKind } from '../records/recordHandlers';

const KIND: RecordKind<StoredPlate> = {
  entity: Plates,
  noun: 'plate',
  order: { by: ['createdAt'], direction: 'DESC' },
  show: publicPlates,
};

export const plateOperations = ({ db, files, decoder, uploads }: Services): Handlers<'plates'> => ({
  list: async ({ tx, production, query: { takeId, ...page } }) => {
    const { items, next } = await listPage(tx, Plates, KIND.order, production.id, { takeId }, page);
    return { items: await publicPlates(tx, production.id, items), next };
  },
  upload: async ({ production, params, request }) => {
    const take = await findOwned(db, Takes, production.id, params.id, 'take');
    return uploads.each(request, async ({ name, received }) =>
      recordPlate(db, await readPlate(files, decoder, take, received, name)),
    );
  },
  change: async ({ tx, production, params, body: { version, decoding } }) => {
    const fields = { enteredDecoding: decoding };
    const plate = await changeVersion(tx, KIND, production.id, params.id, version, fields);
    return publicPlate(plate, await statedDecodingOf(tx, plate));
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
  camera: async ({ tx, production, params }) => {
    const { pictureCamera } = await findOwned(tx, Takes, production.id, params.id, 'take');
    if (!pictureCamera) return { camera: null };
    const stored = await findOwned(tx, PlateCameras, production.id, pictureCamera.plateCameraId, 'measured camera');
    return { camera: await publicPlateCamera(tx, stored) };
  },
  measureCamera: async ({ tx, production, params, body }) =>
    measureCamera(tx, await findOwned(tx, Plates, production.id, params.id, 'plate'), body),
  dropCamera: async ({ tx, production, params }) => {
    const take = await findOwned(tx, Takes, production.id, params.id, 'take');
    await carry(tx, take, null);
    return bare(await findOwned(tx, Takes, production.id, take.id, 'take'));
  },
  measureCharacter: async ({ tx, production, params }) => {
    const plate = await findOwned(tx, Plates, production.id, params.id, 'plate');
    const stated = await statedDecodingOf(tx, plate);
    const character = await withDecodings(tx, files, production.id, [{ ...plate, decoding: stated }], ([picture]) =>
      decoder.run('characterOfPlate', picture),
    );
    const measuredCharacter = { character, decoding: assertStated(stated, plate.name) };
    await tx.getRepository(Plates).update({ id: plate.id }, { measuredCharacter } as never);
    return publicPlate({ ...plate, measuredCharacter }, stated);
  },
  findChart: async ({ tx, production, params }) => {
    const plate = await findOwned(tx, Plates, production.id, params.id, 'plate');
    const decoding = await statedDecodingOf(tx, plate);
    const found = await withDecodings(tx, files, production.id, [{ ...plate, decoding }], ([picture]) =>
      decoder.run('chartOnPlate', picture),
    );
    return { found: found && { ...found, corners: found.corners as unknown as PlateCorners } };
  },
  preview: async ({ tx, production, params }) => {
    const { previewHash } = await findOwned(tx, Plates, production.id, params.id, 'plate');
    return { content: { hash: previewHash }, type: 'image/jpeg', lasting: true };
  },
  float: async ({ tx, production, params }) => {
    const plate = await findOwned(tx, Plates, production.id, params.id, 'plate');
    const decoding = await statedDecodingOf(tx, plate);
    const bytes = await withDecodings(tx, files, production.id, [{ ...plate, decoding }], ([picture]) =>
      decoder.run('lightOfPlate', picture),
    );
    // What its codes mean may be said anew: then it is another picture.
    return { content: { bytes }, type: 'application/octet-stream', lasting: false };
  },
});
