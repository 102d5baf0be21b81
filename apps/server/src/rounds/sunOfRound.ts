import type { LightRound } from '@tawny/contract';
import { expectedHeight, type ExpectedHeight } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import { Stations, type Owned } from '../db/entities';
import { setPlace } from '../records/place';

/** Where the almanac has the sun while a round was shot, as far as its time is known: a witness for what is seen in the panorama. */
export async function sunOfRound(db: Queries, round: Owned<LightRound>): Promise<ExpectedHeight> {
  const { productionId, stationId, shotAt, shotAtUncertaintyS } = round;
  const { setupId } = await db.getRepository(Stations).findOneByOrFail({ productionId, id: stationId });
  const { location } = await setPlace(db, productionId, setupId);
  return expectedHeight({ place: location, utc: new Date(shotAt), levelDeg: null, clockS: shotAtUncertaintyS });
}
