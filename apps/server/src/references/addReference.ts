import { randomUUID } from 'node:crypto';
import type { z } from 'zod';
import type { Reference, referenceUpload } from '@tawny/contract';
import type { EntityManager } from 'typeorm';
import type { Db, Queries } from '../db/dataSource';
import { References, type Owned, type StoredReference } from '../db/entities';
import type { Decoder } from '../decode/tasks';
import { fromFile, statedDecodings } from '../decodings/stated';
import type { FileStore, Received } from '../files/store';
import { bare } from '../records/bare';
import { fileTime } from '../records/fileTime';
import { onceForFile } from '../records/onceForFile';
import { referenceLacks } from './lacks';

const THUMB = 640;

/** A reference that was read and whose file is kept, before it is recorded. */
export type ReadReference = Omit<Owned<StoredReference>, 'createdAt' | 'updatedAt'>;

export async function publicReferences(
  db: Queries,
  productionId: string,
  references: readonly Owned<StoredReference>[],
): Promise<Reference[]> {
  const decodings = await statedDecodings(db, productionId, references);
  return references.map((stored) => {
    const { previewHash: _hash, fileDecoding: _file, fileDecodingSource: _source, ...rest } = bare(stored);
    const { enteredDecoding: _entered, ...shown } = rest;
    return { ...shown, decoding: decodings.get(stored)!, lacks: referenceLacks(stored) };
  });
}

export const publicReference = async (db: Queries, stored: Owned<StoredReference>): Promise<Reference> =>
  (await publicReferences(db, stored.productionId, [stored]))[0];

/** A photograph of a reference enters a setup; camera state and time come from its file. A refused file leaves nothing behind. @throws FileProblem naming the file */
export async function readReference(
  files: FileStore,
  decoder: Decoder,
  productionId: string,
  input: z.infer<typeof referenceUpload>,
  received: Received,
  name: string,
  zone: string,
): Promise<ReadReference> {
  try {
    const { head, preview } = await decoder.run('look', received.path, name, THUMB);
    const { metadata } = head;
    const time = fileTime(metadata, zone);
    const previewHash = await files.put(preview);
    await received.keep();
    return {
      id: randomUUID(),
      productionId,
      setupId: input.setupId,
      takeId: input.takeId ?? null,
      lensId: input.lensId ?? null,
      objectId: input.objectId ?? null,
      kind: input.kind,
      lightCondition: input.lightCondition ?? '',
      name,
      hash: received.hash,
      previewHash,
      widthPx: head.width,
      heightPx: head.height,
      shutterS: metadata.shutterS,
      fNumber: metadata.fNumber,
      iso: metadata.iso,
      takenAt: (time?.at ?? (input.takenAt ? new Date(input.takenAt) : new Date())).toISOString(),
      takenAtFrom: time ? 'file' : 'arrival',
      ...fromFile(head.meaning),
      version: 1,
    };
  } finally {
    await received.discard();
  }
}

/** Records a reference that was read; the same file of the same thing twice in a setup is one record. */
export async function recordReference(db: Db | EntityManager, reference: ReadReference): Promise<Reference> {
  const { productionId, setupId, kind, hash } = reference;
  return onceForFile(db, [setupId, kind, hash], async (tx) => {
    const there = await tx.getRepository(References).findOneBy({ productionId, setupId, kind, hash });
    if (there) return publicReference(tx, there);
    await tx.getRepository(References).insert(reference as never);
    return publicReference(tx, await tx.getRepository(References).findOneByOrFail({ id: reference.id }));
  });
}
