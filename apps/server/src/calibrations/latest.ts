import type { LightRound, Station } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import {
  Calibrations,
  Rounds,
  Stations,
  type Owned,
  type StoredCalibration,
  type StoredPanorama,
} from '../db/entities';

/** The newest calibration of a panorama, or null. */
export async function latestCalibration(
  db: Queries,
  productionId: string,
  panoramaId: string,
): Promise<Owned<StoredCalibration> | null> {
  return db.getRepository(Calibrations).findOne({ where: { productionId, panoramaId }, order: { number: 'DESC' } });
}

/** Station and round that a panorama was shot at. */
export async function originOf(
  db: Queries,
  { productionId, roundId }: Owned<StoredPanorama>,
): Promise<{ round: Owned<LightRound>; station: Owned<Station> }> {
  const round = await db.getRepository(Rounds).findOneByOrFail({ productionId, id: roundId });
  return { round, station: await db.getRepository(Stations).findOneByOrFail({ productionId, id: round.stationId }) };
}
