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

export const MEASURED_WORDS = {
  card: 'grey card',
  chart: 'chart',
  regions: 'regions',
  surface: 'ball or plane',
} as const;

/** Parts of a calibration that hold a card. */
export type AsidePart = keyof StoredCalibration['aside'];

/** A card, a chart, things that both pictures show, or a surface in the plate alone, as they were measured: the gain, and what its plate was exposed with. */
export interface MeasuredCard {
  kind: keyof typeof MEASURED_WORDS;
  part: AsidePart;
  calibration: Owned<StoredCalibration>;
  take: Owned<Take>;
  gainStops: number;
  uncertaintyStops: number;
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

/** Parts of a calibration that hold a gain, where each says in which plate, and which of them are meant. */
const GAIN_PARTS = {
  card: ['scale', `c.scale->'card'->>'plateId'`, `c.scale->'card'->>'surface' IS NULL`],
  surface: ['scale', `c.scale->'card'->>'plateId'`, `c.scale->'card'->>'surface' IS NOT NULL`],
  chart: ['colour', `c.colour->>'plateId'`, 'true'],
} as const;

/** The newest of each kind in each take's plate that was not set aside, of some panoramas, since all were: newest first, those of the plate alone behind what both pictures show. */
export async function cardsOf(
  db: Queries,
  productionId: string,
  panoramaIds: readonly string[],
): Promise<MeasuredCard[]> {
  if (panoramaIds.length === 0) return [];
  const newest = (Object.keys(GAIN_PARTS) as (keyof typeof GAIN_PARTS)[]).map((kind) => {
    const [part, plateId, meant] = GAIN_PARTS[kind];
    return `SELECT * FROM (SELECT DISTINCT ON (c.panorama_id, p.take_id) c.id, '${kind}' AS kind, p.id AS plate FROM calibrations c
       JOIN plates p ON p.production_id = c.production_id AND p.id = (${plateId})::uuid
     WHERE c.production_id = $1 AND c.panorama_id = ANY($2) AND c.removed_at IS NULL AND c.${part} IS NOT NULL AND ${meant}
       AND NOT c.aside ? '${part}'
       AND c.number > coalesce((SELECT max(aside.number) FROM calibrations aside
         WHERE aside.panorama_id = c.panorama_id AND aside.${part} IS NULL), 0)
     ORDER BY c.panorama_id, p.take_id, c.number DESC) ${kind}`;
  });
  const found: { id: string; kind: keyof typeof GAIN_PARTS; plate: string }[] = await db.query(
    newest.join(' UNION ALL '),
    [productionId, panoramaIds],
  );
  const cards = await Promise.all(
    found.map(async ({ id, kind, plate: plateId }): Promise<MeasuredCard> => {
      const calibration = await db.getRepository(Calibrations).findOneByOrFail({ id });
      const plate = await stored<StoredPlate>(db, Plates, productionId, plateId);
      const take = await stored<Take>(db, Takes, productionId, plate.takeId);
      const measured = kind === 'chart' && calibration.colour!.regions?.length > 0 ? 'regions' : kind;
      return {
        kind: measured,
        part: GAIN_PARTS[kind][0],
        calibration,
        take,
        ...gainOf(kind, calibration),
        settings: settingsOf(take, plate),
      };
    }),
  );
  const alone = ({ kind }: MeasuredCard) => Number(kind === 'surface');
  return cards.sort(
    (a, b) => alone(a) - alone(b) || String(b.calibration.createdAt).localeCompare(String(a.calibration.createdAt)),
  );
}

/** What the pictures themselves told, without what metadata promise and without the light that changed between them. */
function gainOf(kind: keyof typeof GAIN_PARTS, { scale, colour }: StoredCalibration) {
  const still = (within: number, driftStops: number | undefined) => Math.sqrt(within ** 2 - (driftStops ?? 0) ** 2);
  if (kind === 'chart')
    return { gainStops: colour!.gainStops, uncertaintyStops: still(colour!.uncertaintyStops, colour!.driftStops) };
  const own = scale!.sources.find((s) => s.provenance.kind === 'measured') ?? scale!.sources[0];
  return { gainStops: own.value, uncertaintyStops: still(own.uncertainty, scale!.card.driftStops) };
}

/** What was measured stays true of a record that was removed since. */
const stored = <T extends { id: string }>(
  db: Queries,
  entity: EntitySchema<Owned<T>>,
  productionId: string,
  id: string,
): Promise<Owned<T>> =>
  db.getRepository(entity).findOneOrFail({ where: { productionId, id } as never, withDeleted: true });
