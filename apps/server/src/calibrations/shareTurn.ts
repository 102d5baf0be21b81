import type { EntityManager } from 'typeorm';
import type { SharedTurn } from '@tawny/contract';
import { turnApartDeg } from '@tawny/core';
import { Calibrations, Panoramas, Rounds, type Owned, type StoredPanorama } from '../db/entities';
import { ApiProblem } from '../problems';
import { basisOfOne, useFact } from '../records/facts';
import { latestCalibration, originOf } from './latest';
import { storeCalibration } from './store';

/** Of a turn whose interval is not known. */
const ANY_TURN_DEG = 180;
const TAKEN_OVER = 'turn that was taken over';

/**
 * Uses a panorama's turn for the newest panoramas of the other rounds of its station, whose rig somebody says stood as it was. Each rests on this
 * calibration, and on all that it rests on. One that was measured by itself keeps its own turn, and how far that lies from this one is told.
 * @throws ApiProblem when it has no turn of its own
 */
export async function shareTurn(tx: EntityManager, panorama: Owned<StoredPanorama>): Promise<SharedTurn> {
  const { productionId } = panorama;
  const own = await latestCalibration(tx, productionId, panorama.id);
  if (!own?.orientation)
    throw new ApiProblem(422, 'no-turn', 'This panorama has no turn of its own yet: solve one, then it can be used for others'); // prettier-ignore
  const { round, station } = await originOf(tx, panorama);
  const rounds = await tx.getRepository(Rounds).findBy({ productionId, stationId: station.id });
  const { adopted, frame, rotation, tiltUncertaintyDeg } = own.orientation;
  // Somebody says so: it was not measured here.
  const provenance = {
    ...adopted.provenance,
    kind: 'logged' as const,
    source: `the turn of ${round.name}, the rig said to have stood as it was`,
  };
  const out: SharedTurn = { panoramaIds: [], kept: [] };
  for (const other of rounds) {
    if (other.id === round.id) continue;
    const newest = await tx
      .getRepository(Panoramas)
      .findOne({ where: { productionId, roundId: other.id }, order: { number: 'DESC' } });
    if (!newest) continue;
    const before = await latestCalibration(tx, productionId, newest.id);
    if (before?.orientation) {
      const { facts } = await basisOfOne(tx, 'calibrations', before.id);
      if (!facts.some((f) => f.name === TAKEN_OVER)) {
        const apartDeg = turnApartDeg(rotation, before.orientation.rotation);
        out.kept.push({ panoramaId: newest.id, round: other.name, apartDeg });
        continue;
      }
    }
    const orientation = {
      adopted: { ...adopted, provenance },
      verdict: 'cannotTell' as const,
      sources: [
        {
          name: `Turn of ${round.name}`,
          value: adopted.value,
          uncertainty: adopted.uncertainty ?? ANY_TURN_DEG,
          provenance,
          residual: 0,
          weight: 1,
          outlier: false,
          cause: null,
        },
      ],
      frame,
      rotation,
      tiltUncertaintyDeg,
      sight: null,
      plateHeading: null,
      degenerate: null,
      sun: null,
    };
    const fact = await useFact(tx, Calibrations, own, ['orientation'], {
      name: TAKEN_OVER,
      provenance,
      uncertainty: adopted.uncertainty,
      unit: '°',
    });
    await storeCalibration(tx, productionId, newest.id, 'orientation', orientation, { facts: [fact] });
    out.panoramaIds.push(newest.id);
  }
  return out;
}
