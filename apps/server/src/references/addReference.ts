import { randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import type { z } from 'zod';
import type { Reference, referenceUpload } from '@tawny/contract';
import { boxShrink, linearFromCodes } from '@tawny/core';
import { decodeFrame, readFrameHead } from '@tawny/formats';
import { previewJpeg } from '@tawny/pipeline';
import type { Queries } from '../db/dataSource';
import { References, type Owned, type StoredReference } from '../db/entities';
import type { FileStore, Received } from '../files/store';
import { bare } from '../records/bare';
import { referenceLacks } from './lacks';

const THUMB = 640;

/** A reference that was read and whose file is kept, before it is recorded. */
export type ReadReference = Omit<Owned<StoredReference>, 'createdAt' | 'updatedAt'>;

export function publicReference(stored: Owned<StoredReference>): Reference {
  const { previewHash: _hash, ...rest } = bare(stored);
  return { ...rest, lacks: referenceLacks(stored) };
}

/** A photograph of a reference enters a setup; camera state and time come from its file. A refused file leaves nothing behind. @throws FileProblem naming the file */
export async function readReference(
  files: FileStore,
  productionId: string,
  input: z.infer<typeof referenceUpload>,
  received: Received,
  name: string,
): Promise<ReadReference> {
  try {
    const { metadata } = await readFrameHead(received.path, name);
    const decoded = await decodeFrame(received.path, name);
    const image = linearFromCodes(decoded);
    const previewHash = await files.put(
      await previewJpeg(boxShrink(image, Math.max(1, Math.floor(decoded.width / THUMB)))),
    );
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
      widthPx: decoded.width,
      heightPx: decoded.height,
      shutterS: metadata.shutterS,
      fNumber: metadata.fNumber,
      iso: metadata.iso,
      takenAt: new Date(metadata.takenAtMs ?? (input.takenAt ? Date.parse(input.takenAt) : Date.now())).toISOString(),
      takenAtFrom: metadata.takenAtMs === null ? 'arrival' : 'file',
      version: 1,
    };
  } catch (error) {
    await fs.rm(received.path, { force: true });
    throw error;
  }
}

export async function recordReference(db: Queries, reference: ReadReference): Promise<Reference> {
  await db.getRepository(References).insert(reference as never);
  return publicReference(await db.getRepository(References).findOneByOrFail({ id: reference.id }));
}
