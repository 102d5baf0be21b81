import { randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import type { DataSource, EntitySchema } from 'typeorm';
import type { Plate, Take } from '@tawny/contract';
import { boxShrink, linearFromCodes, photometricExposure, shutterSeconds } from '@tawny/core';
import { decodeFrame, readFrameHead } from '@tawny/formats';
import { Plates, type Owned, type StoredPlate } from '../db/entities';
import type { FileStore, Received } from '../files/store';
import { bare } from '../http/records';
import { previewJpeg } from '../panoramas/preview';

const PREVIEW_WIDTH = 1280;

export function publicPlate(plate: Owned<StoredPlate>): Plate {
  const { previewHash: _hash, ...rest } = bare(plate);
  return rest;
}

/**
 * A frame of the plate enters a take. Shutter and EI come from the file when it holds them, T-stop and ND always from the log
 * (files hold f-numbers at best, and never filters). A refused file leaves nothing behind. @throws FileProblem naming the file
 */
export async function addPlate(
  db: DataSource,
  files: FileStore,
  take: Owned<Take>,
  received: Received,
  name: string,
): Promise<Plate> {
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
    const id = randomUUID();
    const repository = db.getRepository(Plates as EntitySchema<Owned<StoredPlate>>);
    await repository.insert({
      id,
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
    } as never);
    return publicPlate(await repository.findOneByOrFail({ id }));
  } catch (error) {
    await fs.rm(received.path, { force: true });
    throw error;
  }
}
