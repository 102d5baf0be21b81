import type { EntitySchema } from 'typeorm';
import type { Take } from '@tawny/contract';
import { shutterSeconds } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import { Calibrations, Plates, Takes, type Owned, type StoredCalibration, type StoredPlate } from '../db/entities';

/** Settings of a plate that its exposure follows from; bodies and lenses by their ids. */
export interface PlateSettings {
  body: string;
  lens: string;
  tStop: number;
  shutterS: number;
  ei: number;
  ndStops: number;
}

const SETTING_WORDS: Record<keyof PlateSettings, string> = {
  tStop: 'T-stop',
  shutterS: 'shutter',
  ei: 'EI',
  ndStops: 'ND',
  lens: 'lens',
  body: 'body',
};

/** Names of the settings in which two plates differ. */
export const differing = (a: PlateSettings, b: PlateSettings): string[] =>
  (Object.keys(SETTING_WORDS) as (keyof PlateSettings)[]).flatMap((k) => {
    const [x, y] = [a[k], b[k]];
    const same = typeof x === 'number' && typeof y === 'number' ? Math.abs(x - y) <= 1e-6 * Math.abs(x) : x === y;
    return same ? [] : [SETTING_WORDS[k]];
  });

/** A card that was measured: its gain, and what its plate was exposed with. */
export interface MeasuredCard {
  calibration: Owned<StoredCalibration>;
  take: Owned<Take>;
  gainStops: number;
  uncertaintyStops: number | null;
  settings: PlateSettings;
}

/** What a take was exposed with; of the take whose plate was measured, the plate's own file knows shutter and EI best. */
export function settingsOf(take: Take, plate?: Pick<StoredPlate, 'shutterS' | 'iso'>): PlateSettings {
  return {
    body: take.bodyId,
    lens: take.lensId,
    tStop: take.tStop,
    shutterS: plate?.shutterS ?? shutterSeconds(take.shutterAngleDeg, take.fps),
    ei: plate?.iso ?? take.ei,
    ndStops: take.ndStops,
  };
}

/** The newest measurement in each take's plate, newest first, of some panoramas: since their gain was last set aside. */
export async function cardsOf(
  db: Queries,
  productionId: string,
  panoramaIds: readonly string[],
): Promise<MeasuredCard[]> {
  if (panoramaIds.length === 0) return [];
  const ids: { id: string }[] = await db.query(
    `SELECT DISTINCT ON (c.panorama_id, p.take_id) c.id FROM calibrations c
       JOIN plates p ON p.production_id = c.production_id AND p.id = (c.scale->'card'->>'plateId')::uuid
     WHERE c.production_id = $1 AND c.panorama_id = ANY($2) AND c.removed_at IS NULL AND c.scale IS NOT NULL
       AND c.number > coalesce((SELECT max(aside.number) FROM calibrations aside WHERE aside.panorama_id = c.panorama_id AND aside.scale IS NULL), 0)
     ORDER BY c.panorama_id, p.take_id, c.number DESC`,
    [productionId, panoramaIds],
  );
  const cards = await Promise.all(
    ids.map(async ({ id }): Promise<MeasuredCard> => {
      const calibration = await db.getRepository(Calibrations).findOneByOrFail({ id });
      const { card, adopted } = calibration.scale!;
      const plate = await stored<StoredPlate>(db, Plates, productionId, card.plateId);
      const take = await stored<Take>(db, Takes, productionId, plate.takeId);
      const { value: gainStops, uncertainty: uncertaintyStops } = adopted;
      return { calibration, take, gainStops, uncertaintyStops, settings: settingsOf(take, plate) };
    }),
  );
  return cards.sort((a, b) => String(b.calibration.createdAt).localeCompare(String(a.calibration.createdAt)));
}

/** What was measured stays true of a record that was removed since. */
const stored = <T extends { id: string }>(
  db: Queries,
  entity: EntitySchema<Owned<T>>,
  productionId: string,
  id: string,
): Promise<Owned<T>> =>
  db.getRepository(entity).findOneOrFail({ where: { productionId, id } as never, withDeleted: true });
