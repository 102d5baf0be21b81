import { DataSource } from 'typeorm';
import type { EntityManager } from 'typeorm';
import { ENTITIES } from './entities';
import { FirstSlice1700000000001 } from './migrations/0001-first-slice';
import { TheLog1700000000002 } from './migrations/0002-the-log';
import { CheckSheets1700000000003 } from './migrations/0003-check-sheets';
import { HoldUp1700000000004 } from './migrations/0004-hold-up';
import { MovedThings1700000000005 } from './migrations/0005-moved-things';
import { LevelKnown1700000000006 } from './migrations/0006-level-known';
import { Leases1700000000007 } from './migrations/0007-leases';
import { Spaces1700000000008 } from './migrations/0008-spaces';
import { Facts1700000000009 } from './migrations/0009-facts';
import { Holds1700000000010 } from './migrations/0010-holds';
import { GapIndexes1700000000011 } from './migrations/0011-gap-indexes';
import { Times1700000000012 } from './migrations/0012-times';
import { Decodings1700000000013 } from './migrations/0013-decodings';
import { Learned1700000000014 } from './migrations/0014-learned';
import { MeasuredBefore1700000000015 } from './migrations/0015-measured-before';
import { PlateCameras1700000000016 } from './migrations/0016-plate-cameras';
import { CameraPlaces1700000000017 } from './migrations/0017-camera-places';
import { ClipStarts1700000000018 } from './migrations/0018-clip-starts';
import { Corners1700000000019 } from './migrations/0019-corners';
import { Character1700000000020 } from './migrations/0020-character';
import { CardsAside1700000000021 } from './migrations/0021-cards-aside';
import { PlatesOfReferences1700000000022 } from './migrations/0022-plates-of-references';
import { RigClocks1700000000023 } from './migrations/0023-rig-clocks';
import { TakeTimes1700000000024 } from './migrations/0024-take-times';
import { ReadingTimes1700000000025 } from './migrations/0025-reading-times';
import { Transmissions1700000000026 } from './migrations/0026-transmissions';

export type Db = DataSource;
/** The database, or a transaction on it. */
export type Queries = Pick<EntityManager, 'getRepository' | 'query'>;

const MIGRATIONS = [
  FirstSlice1700000000001,
  TheLog1700000000002,
  CheckSheets1700000000003,
  HoldUp1700000000004,
  MovedThings1700000000005,
  LevelKnown1700000000006,
  Leases1700000000007,
  Spaces1700000000008,
  Facts1700000000009,
  Holds1700000000010,
  GapIndexes1700000000011,
  Times1700000000012,
  Decodings1700000000013,
  Learned1700000000014,
  MeasuredBefore1700000000015,
  PlateCameras1700000000016,
  CameraPlaces1700000000017,
  ClipStarts1700000000018,
  Corners1700000000019,
  Character1700000000020,
  CardsAside1700000000021,
  PlatesOfReferences1700000000022,
  RigClocks1700000000023,
  TakeTimes1700000000024,
  ReadingTimes1700000000025,
  Transmissions1700000000026,
];

/**
 * Connects and brings the schema up to date; a lock lets several processes start at once.
 * @param upTo name of the last step to do: records of an older backup are put into the layout that they had
 * @throws Error when there is no such step
 */
export async function openDatabase(url: string, upTo?: string): Promise<DataSource> {
  const last = upTo === undefined ? MIGRATIONS.length - 1 : MIGRATIONS.findIndex((m) => m.name === upTo);
  if (last < 0) throw new Error(`the layout ${upTo} is not known here: it was made by a newer version`);
  const source = new DataSource({
    type: 'postgres',
    url,
    entities: ENTITIES,
    migrations: MIGRATIONS.slice(0, last + 1),
    synchronize: false,
    logging: false,
  });
  await source.initialize();
  const runner = source.createQueryRunner();
  try {
    await runner.query('SELECT pg_advisory_lock(72911)');
    await source.runMigrations({ transaction: 'all' });
  } finally {
    await runner.query('SELECT pg_advisory_unlock(72911)');
    await runner.release();
  }
  return source;
}
