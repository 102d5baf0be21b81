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
  const { previewHash: _hash, shutterS: _shutter, iso: _iso, ...rest } = bare(plate);
  return rest;
}

/**
 * Exposure of a plate as its file and the log state it now: a corrected stop or filter is heard. Plates from before files' shutters
 * were kept have the exposure of their arrival.
 */
export function plateExposure(
  plate: Pick<StoredPlate, 'shutterS' | 'iso' | 'exposure' | 'exposureSource'>,
  take: Pick<Take, 'shutterAngleDeg' | 'fps' | 'ei' | 'tStop' | 'ndStops'>,
): number {
  if (plate.exposureSource === 'file' && (plate.shutterS === null || plate.iso === null)) return plate.exposure;
  return photometricExposure({
    shutterS: plate.shutterS ?? shutterSeconds(take.shutterAngleDeg, take.fps),
    iso: plate.iso ?? take.ei,
    tStop: take.tStop,
    ndStops: take.ndStops,
  });
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
    // A cine shutter is an exact fraction, not an engraved mark.
    const stated = fromFile ? { shutterS: metadata.shutterTagS!, iso: metadata.iso! } : { shutterS: null, iso: null };
    const exposure = plateExposure({ ...stated, exposure: 0, exposureSource: fromFile ? 'file' : 'log' }, take);
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
      ...stated,
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
