import type { CameraBody, Take } from '@tawny/contract';
import { carryGain, shutterSeconds, type CarriedGain, type PlateSettings } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import { Plates, Takes, type Owned, type StoredCalibration, type StoredPlate } from '../db/entities';

/** The scale that a package of a take has: measured in that take's own plate, or carried from another's. */
export interface TakeScale extends CarriedGain {
  /** The take whose plate it was measured in. */
  from: Owned<Take>;
  carried: boolean;
}

const nameOf = ({ slate, take, camera }: Pick<Take, 'slate' | 'take' | 'camera'>) => `${slate}/${take}${camera}`;

/** What a take was exposed with; of the take whose plate was measured, the plate's own file knows shutter and EI best. */
function settings(take: Take, plate?: Pick<StoredPlate, 'shutterS' | 'iso'>): PlateSettings {
  return {
    body: take.bodyId,
    lens: take.lensId,
    tStop: take.tStop,
    shutterS: plate?.shutterS ?? shutterSeconds(take.shutterAngleDeg, take.fps),
    ei: plate?.iso ?? take.ei,
    ndStops: take.ndStops,
  };
}

/** The gain of a panorama to a take's plate; null while no gain was measured. */
export async function scaleOfTake(
  db: Queries,
  scale: StoredCalibration['scale'],
  take: Owned<Take>,
): Promise<TakeScale | null> {
  if (!scale) return null;
  const { productionId } = take;
  const plate = await db.getRepository(Plates).findOneOrFail({ where: { productionId, id: scale.card.plateId }, withDeleted: true }); // prettier-ignore
  const from = await db.getRepository(Takes).findOneOrFail({ where: { productionId, id: plate.takeId }, withDeleted: true }); // prettier-ignore
  const { value: gainStops, uncertainty: uncertaintyStops } = scale.adopted;
  if (from.id === take.id) return { gainStops, uncertaintyStops, changed: [], from, carried: false };
  const carried = carryGain({ gainStops, uncertaintyStops }, settings(from, plate), settings(take));
  return { ...carried, from, carried: true };
}

/** How a carried scale is said; null for one that was measured where it is used. */
export function carriedWords(scale: TakeScale | null, bodies: readonly CameraBody[]): string | null {
  if (!scale?.carried) return null;
  const { from, changed, uncertaintyStops } = scale;
  const body = bodies.find((b) => b.id === from.bodyId)?.name ?? 'its body';
  const by = changed.length === 0 ? 'the same exposure' : `what differs: ${changed.join(', ')}`;
  const within = uncertaintyStops === null ? '' : `, ± ${uncertaintyStops.toFixed(2)} stop`;
  return `carried from the card in ${nameOf(from)} (${body}) by ${by}${within}`;
}
