import { Router } from 'express';
import type { DataSource } from 'typeorm';
import type { Setup, SetupGaps } from '@tawny/contract';
import { Frames, Handoffs, Panoramas, Rounds, Setups, Stations, Takes, type Owned } from '../db/entities';
import { latestCalibration } from '../calibrations/routes';

type Lack = SetupGaps['lacks'][number];

/** What a setup still lacks, in the order in which it will be lost. */
export async function setupGaps(db: DataSource, setup: Owned<Setup>): Promise<SetupGaps> {
  const { productionId, id: setupId } = setup;
  const stations = await db.getRepository(Stations).findBy({ productionId, setupId });
  const rounds = stations.length === 0 ? [] : await db.getRepository(Rounds).createQueryBuilder('r').where('r.production_id = :productionId AND r.station_id IN (:...ids)', { productionId, ids: stations.map((s) => s.id) }).orderBy('r.shot_at', 'DESC').getMany();
  const lacks: Lack[] = [];
  const round = rounds[0] ?? null;
  const panorama = round && (await db.getRepository(Panoramas).findOne({ where: { productionId, roundId: round.id }, order: { number: 'DESC' } }));
  if (!round || (await db.getRepository(Frames).countBy({ productionId, roundId: round.id })) === 0) lacks.push({ what: `a round in "${setup.lightCondition}"`, place: 'round' });
  else if (!panorama) lacks.push({ what: 'a built panorama', place: 'round' });
  if ((await db.getRepository(Takes).countBy({ productionId, setupId })) === 0) lacks.push({ what: 'a logged take', place: 'log' });
  if (panorama) {
    if (panorama.sun?.clipped) lacks.push({ what: 'a shorter frame that holds the sun', place: 'round' });
    if (panorama.framesPerView === 1) lacks.push({ what: 'a bracket: highlights are not measured', place: 'round' });
    const calibration = await latestCalibration(db, productionId, panorama.id);
    if (!calibration?.north) lacks.push({ what: 'north', place: 'measure' });
    if (!calibration?.gain) lacks.push({ what: 'exposure by the grey card', place: 'measure' });
    if (calibration?.north && calibration.gain && (await db.getRepository(Handoffs).countBy({ productionId, setupId })) === 0) lacks.push({ what: 'a handoff', place: 'handoff' });
  }
  return { setupId, lacks, roundId: round?.id ?? null };
}

export function gapRoutes(db: DataSource): Router {
  const router = Router({ mergeParams: true });
  router.get('/', async (req, res) => {
    const setups = await db.getRepository(Setups).find({ where: { productionId: req.production.id }, order: { slate: 'ASC', id: 'ASC' } });
    res.json({ items: await Promise.all(setups.map((s) => setupGaps(db, s))), next: null });
  });
  return router;
}
