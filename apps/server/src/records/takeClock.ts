import type { Take } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { CameraClocks, type Owned } from '../db/entities';
import { setPlace } from './place';

/** How fast the camera's clock was on the day of a take, seconds (0 where nobody looked at it), and the zone of its place. */
export async function takeClock(db: Queries, take: Owned<Take>): Promise<{ offsetS: number; zone: string }> {
  const { productionId, camera } = take;
  const { day, location } = await setPlace(db, productionId, take.setupId);
  // A camera's clock is known for a day, not for good.
  const clock = await db.getRepository(CameraClocks).findOneBy({ productionId, camera, dayId: day.id });
  return { offsetS: clock?.offsetS ?? 0, zone: location.zone };
}
