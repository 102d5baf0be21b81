import type { LightRound } from '@tawny/contract';
import { expectedHeight, type ExpectedHeight } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import { Locations, Rounds, Stations, type Owned } from '../db/entities';
import { useFact, type UsedFact } from '../records/facts';
import { setPlace } from '../records/place';

/** A witness for what is seen in a round's panorama. */
export interface SunOfRound {
  expected: ExpectedHeight;
  /** What it rests on; and with it a panorama whose sun nothing else tells. */
  facts: UsedFact[];
}

/** Where the almanac has the sun while a round was shot, as far as its time is known; nobody knows yet how level its panorama is. */
export async function sunOfRound(db: Queries, round: Owned<LightRound>): Promise<SunOfRound> {
  const { productionId, stationId, shotAt, shotAtUncertaintyS, shotAtSource } = round;
  const { setupId } = await db.getRepository(Stations).findOneByOrFail({ productionId, id: stationId });
  const { location } = await setPlace(db, productionId, setupId);
  const how = (what: string, source: string) => ({
    name: `${what} by which the sun was told`,
    provenance: { kind: 'predicted' as const, source, at: null },
  });
  return {
    expected: expectedHeight({ place: location, utc: new Date(shotAt), levelDeg: null, clockS: shotAtUncertaintyS }),
    facts: [
      await useFact(db, Rounds, round, ['shotAt'], how('time', shotAtSource)),
      await useFact(db, Locations, location, ['latitudeDeg', 'longitudeDeg', 'altitudeM'], how('place', location.name)),
    ],
  };
}
