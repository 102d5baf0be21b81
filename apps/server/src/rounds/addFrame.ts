import { randomUUID } from 'node:crypto';
import type { Frame, LightRound } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { Frames, type Owned, type StoredFrame } from '../db/entities';
import type { Decoder } from '../decode/tasks';
import type { Received } from '../files/store';
import { bare } from '../records/bare';
import { fileTime } from '../records/fileTime';

export type Added = { frame: Frame } | { duplicate: string };

/** A frame that was read and whose file is kept, before it is recorded. */
export type ReadFrame = Omit<Owned<StoredFrame>, 'createdAt'>;

/**
 * The one way by which frames enter a round, whoever photographed them: read and checked, then kept.
 * A refused file leaves nothing behind.
 * @param zone of the place, for files that state no offset to UTC
 * @throws FileProblem naming the file
 */
export async function readFrame(
  decoder: Decoder,
  round: Owned<LightRound>,
  received: Received,
  name: string,
  zone: string,
): Promise<ReadFrame> {
  try {
    const source = await decoder.run('readSourceFrame', received.path, name, round.rig);
    const { metadata } = source;
    const time = fileTime({ takenAtMs: source.takenAtMs, hasUtcOffset: metadata.hasUtcOffset }, zone);
    await received.keep();
    return {
      id: randomUUID(),
      productionId: round.productionId,
      roundId: round.id,
      name,
      hash: received.hash,
      widthPx: source.width,
      heightPx: source.height,
      bits: source.bits,
      shutterS: metadata.shutterS,
      fNumber: metadata.fNumber,
      iso: metadata.iso,
      exposure: source.exposure,
      takenAt: time && time.at.toISOString(),
      zoneFrom: time && time.zoneFrom,
      fileDecoding: source.meaning.decoding,
      fileDecodingSource: source.meaning.source,
      look: source.look && [...source.look],
      headingDeg: metadata.attitude?.headingDeg ?? null,
      tiltDeg: metadata.attitude?.tiltDeg ?? null,
      rollDeg: metadata.attitude?.rollDeg ?? null,
      compassDeg: metadata.compass?.bearingDeg ?? null,
      compassNorth: metadata.compass?.north ?? null,
    };
  } finally {
    await received.discard();
  }
}

/** Records a frame that was read; the same file twice in a round is one frame. */
export async function recordFrame(db: Queries, frame: ReadFrame): Promise<Added> {
  const repository = db.getRepository(Frames);
  await repository
    .createQueryBuilder()
    .insert()
    .values(frame as never)
    .orIgnore()
    .updateEntity(false)
    .execute();
  const stored = await repository.findOneBy({ id: frame.id });
  return stored ? { frame: bare(stored) } : { duplicate: frame.name };
}
