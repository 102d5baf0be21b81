import { randomUUID } from 'node:crypto';
import fs from 'node:fs/promises';
import { QueryFailedError, type DataSource } from 'typeorm';
import type { Frame } from '@tawny/contract';
import { readSourceFrame } from '@tawny/pipeline';
import { bare } from '../http/records';
import { Frames, Rounds, type Owned } from '../db/entities';
import type { Received } from '../files/store';
import type { LightRound } from '@tawny/contract';

export type Added = { frame: Frame } | { duplicate: string };

/**
 * The one way by which frames enter a round, whoever photographed them: checked, read, then kept.
 * A refused file leaves nothing behind. @throws FileProblem naming the file
 */
export async function addFrame(
  db: DataSource,
  round: Owned<LightRound>,
  received: Received,
  name: string,
): Promise<Added> {
  try {
    const source = await readSourceFrame(received.path, name, round.rig);
    const repository = db.getRepository(Frames);
    if (await repository.existsBy({ roundId: round.id, hash: received.hash })) {
      await received.discard();
      return { duplicate: name };
    }
    await received.keep();
    const id = randomUUID();
    const stored = await repository
      .insert({
        id,
        productionId: round.productionId,
        roundId: round.id,
        name,
        hash: received.hash,
        widthPx: source.width,
        heightPx: source.height,
        bits: source.bits,
        shutterS: source.metadata.shutterS,
        fNumber: source.metadata.fNumber,
        iso: source.metadata.iso,
        exposure: source.exposure,
        takenAt: source.takenAtMs === null ? null : new Date(source.takenAtMs).toISOString(),
        look: source.look,
        headingDeg: source.metadata.attitude?.headingDeg ?? null,
        tiltDeg: source.metadata.attitude?.tiltDeg ?? null,
        rollDeg: source.metadata.attitude?.rollDeg ?? null,
      } as never)
      .then(
        () => true,
        (error: unknown) => {
          // The same file twice in one upload: the other one was quicker.
          if (error instanceof QueryFailedError && (error.driverError as { code?: string }).code === '23505')
            return false;
          throw error;
        },
      );
    return stored ? { frame: bare(await repository.findOneByOrFail({ id })) } : { duplicate: name };
  } catch (error) {
    await fs.rm(received.path, { force: true });
    throw error;
  }
}

export async function findRound(db: DataSource, productionId: string, id: string): Promise<Owned<LightRound> | null> {
  return db.getRepository(Rounds).findOneBy({ productionId, id });
}
