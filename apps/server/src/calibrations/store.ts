import { randomUUID } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import type { Calibration } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { Calibrations, type Owned, type StoredCalibration } from '../db/entities';
import { bare } from '../records/bare';
import { basisOfOne, inheritFacts, recordFacts, type UsedFact } from '../records/facts';
import { latestCalibration } from './latest';

/** Parts of a calibration, and the facts that each rests on by their names (% is anything). */
const PARTS = {
  orientation: [
    'time of the round',
    'place',
    'level',
    'sun in the picture',
    'panorama in the sight',
    'camera in the sight',
    'station in the sight',
    'turn that was taken over',
    'mark %',
    'mark: %',
    'compass %',
    'horizon: %',
  ],
  scale: [
    'card in the panorama',
    'card in the plate',
    'light of the panorama',
    'surface in the plate',
    'reflectance of the surface',
    'decoding of the plate',
    'recording format',
    'exposure of the take',
    'reflectance of the card',
  ],
  colour: [
    'chart in the panorama',
    'chart in the plate',
    'decoding of the chart',
    'recording format of the chart',
    'reflectances of the chart',
    'regions in the panorama',
    'regions in the plate',
    'decoding of the regions',
    'recording format of the regions',
  ],
} as const;

/**
 * Calibrations are versioned: each measurement makes a new one that keeps the other parts of the last, and what they rest on. A part rests on facts of its
 * own, or on what the calibration rested on that it is taken `as` from; one that was set aside on nothing.
 */
export async function storeCalibration<P extends keyof typeof PARTS>(
  tx: EntityManager,
  productionId: string,
  panoramaId: string,
  part: P,
  found: StoredCalibration[P],
  rests: { facts: UsedFact[] } | { as: string } | null,
  reason = '',
): Promise<Calibration> {
  // Two measurements at once wait for each other here: neither part is lost.
  await tx.query('SELECT 1 FROM panoramas WHERE id = $1 FOR UPDATE', [panoramaId]);
  const last = await latestCalibration(tx, productionId, panoramaId);
  const id = randomUUID();
  await tx.getRepository(Calibrations).insert({
    id,
    productionId,
    panoramaId,
    number: (last?.number ?? 0) + 1,
    orientation: last?.orientation ?? null,
    scale: last?.scale ?? null,
    colour: last?.colour ?? null,
    version: 1,
    reason,
    // What was set aside stays so in a part that is kept; what is measured or gone back to counts.
    aside: Object.fromEntries(Object.entries(last?.aside ?? {}).filter(([kept]) => kept !== part)),
    [part]: found,
  } as never);
  if (last) await inheritFacts(tx, 'calibrations', last.id, id, { except: PARTS[part] });
  if (rests && 'as' in rests) await inheritFacts(tx, 'calibrations', rests.as, id, { only: PARTS[part] });
  else if (rests) await recordFacts(tx, productionId, 'calibrations', id, rests.facts);
  return publicCalibration(tx, await tx.getRepository(Calibrations).findOneByOrFail({ id }));
}

export const publicCalibration = async (db: Queries, stored: Owned<StoredCalibration>): Promise<Calibration> => ({
  ...bare(stored),
  basis: await basisOfOne(db, 'calibrations', stored.id),
});
