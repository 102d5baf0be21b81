import { randomUUID } from 'node:crypto';
import { isDeepStrictEqual } from 'node:util';
import type { EntityManager, EntitySchema } from 'typeorm';
import type { Plate, StatedDecoding, Take } from '@tawny/contract';
import { photometricExposure, shutterSeconds } from '@tawny/core';
import type { Db, Queries } from '../db/dataSource';
import { Plates, type Owned, type StoredPlate } from '../db/entities';
import type { Decoder } from '../decode/tasks';
import { fromFile, statedDecodingOf, statedDecodings, type KnownMeaning } from '../decodings/stated';
import type { FileStore, Received } from '../files/store';
import { bare } from '../records/bare';
import { onceForFile } from '../records/onceForFile';

const PREVIEW_WIDTH = 1280;

/** A plate that was read and whose file is kept, before it is recorded. */
export type ReadPlate = Omit<Owned<StoredPlate>, 'createdAt' | 'updatedAt'>;

export function publicPlate(plate: Owned<StoredPlate>, decoding: StatedDecoding): Plate {
  const { previewHash: _hash, shutterS: _shutter, iso: _iso, ...rest } = bare(plate);
  const {
    fileDecoding: _file,
    fileDecodingSource: _source,
    enteredDecoding: _entered,
    measuredCharacter,
    ...shown
  } = rest;
  return { ...shown, decoding, character: characterNow(measuredCharacter, decoding) };
}

/** What was measured of a plate, while its code values mean what they meant then. */
export function characterNow(
  measured: StoredPlate['measuredCharacter'],
  { decoding }: StatedDecoding,
): Plate['character'] {
  return measured && isDeepStrictEqual(measured.decoding, decoding) ? measured.character : null;
}

/** Plates as the API shows them. */
export async function publicPlates(db: Queries, productionId: string, plates: readonly Owned<StoredPlate>[]) {
  const decodings = await statedDecodings(db, productionId, plates);
  return plates.map((p) => publicPlate(p, decodings.get(p)!));
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
 * (files hold f-numbers at best, and never filters). `known` is what is known of its code values by other means, as of a clip's frame. A refused file leaves nothing behind. @throws FileProblem naming the file
 */
export async function readPlate(
  files: FileStore,
  decoder: Decoder,
  take: Owned<Take>,
  received: Received,
  name: string,
  known?: KnownMeaning,
): Promise<ReadPlate> {
  try {
    const { head, preview } = await decoder.run('look', received.path, name, PREVIEW_WIDTH);
    const { metadata } = head;
    const told = metadata.shutterS !== null && metadata.iso !== null;
    // A cine shutter is an exact fraction, not an engraved mark.
    const stated = told ? { shutterS: metadata.shutterTagS!, iso: metadata.iso! } : { shutterS: null, iso: null };
    const exposure = plateExposure({ ...stated, exposure: 0, exposureSource: told ? 'file' : 'log' }, take);
    const previewHash = await files.put(preview);
    await received.keep();
    return {
      id: randomUUID(),
      productionId: take.productionId,
      takeId: take.id,
      referenceId: null,
      name,
      hash: received.hash,
      previewHash,
      widthPx: head.width,
      heightPx: head.height,
      bits: head.bits,
      ...stated,
      exposure,
      exposureSource: told ? 'file' : 'log',
      ...fromFile(known ?? head.meaning),
      measuredCharacter: null,
      version: 1,
    };
  } finally {
    await received.discard();
  }
}

/** Records a plate that was read; the same file twice in a take is one plate. */
export async function recordPlate(db: Db | EntityManager, plate: ReadPlate): Promise<Plate> {
  const { productionId, takeId, hash } = plate;
  return onceForFile(db, [takeId, hash], async (tx) => {
    const repository = tx.getRepository(Plates as EntitySchema<Owned<StoredPlate>>);
    const there = await repository.findOneBy({ productionId, takeId, hash });
    if (!there) await repository.insert(plate as never);
    const stored = there ?? (await repository.findOneByOrFail({ id: plate.id }));
    return publicPlate(stored, await statedDecodingOf(tx, stored));
  });
}
