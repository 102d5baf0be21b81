import type { EntityManager } from 'typeorm';
import type { Calibration } from '@tawny/contract';
import { Calibrations } from '../db/entities';
import { ApiProblem } from '../problems';
import { cardsOf, type AsidePart } from './cards';
import { latestCalibration } from './latest';
import { publicCalibration, storeCalibration } from './store';

/** The plate that a part of a calibration was measured in. */
const MEASURED_IN = {
  scale: `(c.scale->'card'->>'plateId')::uuid`,
  colour: `(c.colour->>'plateId')::uuid`,
} as const;

/**
 * Sets one card, chart or surface of a panorama aside, and what was measured before it in the same take: the others count on. Where it was the panorama's
 * own, the newest of the others is that now. Going back to it makes it count again.
 * @throws ApiProblem when there is no such measurement, or it was set aside before
 */
export async function setCardAside(
  tx: EntityManager,
  productionId: string,
  panoramaId: string,
  { part, number, reason }: { part: AsidePart; number: number; reason: string },
): Promise<Calibration> {
  await tx.query('SELECT 1 FROM panoramas WHERE id = $1 FOR UPDATE', [panoramaId]);
  const counted = (await cardsOf(tx, productionId, [panoramaId])).filter((c) => c.part === part);
  const card = counted.find((c) => c.calibration.number === number);
  if (!card)
    throw new ApiProblem(422, 'not-counted', `Measurement ${number} of this panorama holds no card that counts`, {
      errors: [{ field: 'number', message: 'holds no card that counts' }],
    });
  // Parts are kept by later calibrations: all that hold a card of this take up to this one.
  await tx.query(
    `UPDATE calibrations c SET aside = c.aside || jsonb_build_object($3::text, $4::text), version = version + 1
      WHERE c.production_id = $1 AND c.panorama_id = $2 AND c.number <= $5 AND NOT c.aside ? $3
        AND ${MEASURED_IN[part]} IN (SELECT id FROM plates WHERE production_id = $1 AND take_id = $6)`,
    [productionId, panoramaId, part, reason, number, card.take.id],
  );
  const current = (await latestCalibration(tx, productionId, panoramaId))!;
  if (!current.aside[part]) return publicCalibration(tx, current);
  const next = counted.find((c) => c.take.id !== card.take.id);
  if (!next) return storeCalibration(tx, productionId, panoramaId, part, null, null, reason);
  const { id, [part]: found } = await tx.getRepository(Calibrations).findOneByOrFail({ id: next.calibration.id });
  return storeCalibration(tx, productionId, panoramaId, part, found, { as: id }, reason);
}
