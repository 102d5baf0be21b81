import type { Location, Setup, ShootDay } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { Days, Locations, Setups, type Owned } from '../db/entities';

export interface SetPlace {
  setup: Owned<Setup>;
  day: Owned<ShootDay>;
  location: Owned<Location>;
}

/** Setup, shoot day and location that a setup's id stands for. */
export async function setPlace(db: Queries, productionId: string, setupId: string): Promise<SetPlace> {
  const setup = await db.getRepository(Setups).findOneByOrFail({ productionId, id: setupId });
  const day = await db.getRepository(Days).findOneByOrFail({ productionId, id: setup.dayId });
  const location = await db.getRepository(Locations).findOneByOrFail({ productionId, id: day.locationId });
  return { setup, day, location };
}
