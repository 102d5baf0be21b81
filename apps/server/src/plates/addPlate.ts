import { randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import type { EntitySchema } from 'typeorm';
import type { Plate, Take } from '@tawny/contract';
import { boxShrink, linearFromCodes, photometricExposure, shutterSeconds } from '@tawny/core';
import { decodeFrame, readFrameHead } from '@tawny/formats';
import { previewJpeg } from '@tawny/pipeline';
import type { Queries } from '../db/dataSource';
import { Plates, type Owned, type StoredPlate } from '../db/entities';
import type { FileStore, Received } from '../files/store';
import { bare } from '../records/bare';

const PREVIEW_WIDTH = 1280;

/** A plate that was read and whose file is kept, before it is recorded. */
export type ReadPlate = Omit<Owned<StoredPlate>, 'createdAt' | 'updatedAt'>;

export function publicPlate(plate: Owned<StoredPlate>): Plate {
  const { previewHash: _hash, ...rest } = bare(plate);
  return rest;
}

/**
 * A frame of the plate enters a take. Shutter and EI come from the file when it holds them, T-stop and ND always from the log
 * (files hold f-numbers at best, and never filters). A refused file leaves nothing behind. @throws FileProblem naming the file
 */
export async function readPlate(
  files: FileStore,
  take: Owned<Take>,
  received: Received,
  name: string,
): Promise<ReadPlate> {
  try {
    const { metadata } = await readFrameHead(received.path, name);
    const decoded = await decodeFrame(received.path, name);
    const fromFile = metadata.shutterS !== null && metadata.iso !== null;
    const exposure = photometricExposure({
      // A cine shutter is an exact fraction, not an engraved mark.
      shutterS: fromFile ? metadata.shutterTagS! : shutterSeconds(take.shutterAngleDeg, take.fps),
      iso: fromFile ? metadata.iso! : take.ei,
      tStop: take.tStop,
      ndStops: take.ndStops,
    });
    const full = linearFromCodes(decoded);
    const previewHash = await files.put(
      await previewJpeg(boxShrink(full, Math.max(1, Math.floor(decoded.width / PREVIEW_WIDTH)))),
    );
    await received.keep();
    return {
      id: randomUUID(),
      productionId: take.productionId,
      takeId: take.id,
      name,
      hash: received.hash,
      previewHash,
      widthPx: decoded.width,
      heightPx: decoded.height,
      bits: decoded.bits,
      exposure,
      exposureSource: fromFile ? 'file' : 'log',
      version: 1,
    };
  } catch (error) {
    await fs.rm(received.path, { force: true });
    throw error;
  }
}

export async function recordPlate(db: Queries, plate: ReadPlate): Promise<Plate> {
  const repository = db.getRepository(Plates as EntitySchema<Owned<StoredPlate>>);
  await repository.insert(plate as never);
  return publicPlate(await repository.findOneByOrFail({ id: plate.id }));
}
