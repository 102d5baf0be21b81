import { DateTime } from 'luxon';
import type { EntitySchema } from 'typeorm';
import type { Queries } from '../db/dataSource';
import { In } from 'typeorm';
import { sunLeaves, sunPosition } from '@tawny/core';
import type { Location, Setup, SetupGaps, ShootDay } from '@tawny/contract';
import {
  Calibrations,
  Days,
  EyeLines,
  Frames,
  Handoffs,
  Lamps,
  Lenses,
  Locations,
  Panoramas,
  Readings,
  References,
  Rounds,
  Setups,
  Stations,
  Takes,
  type Owned,
} from '../db/entities';
import { gapsOf, type RoundFacts, type SetupFacts } from './gapRules';

const groupBy = <T>(rows: readonly T[], key: (row: T) => string): Map<string, T[]> => {
  const out = new Map<string, T[]>();
  for (const row of rows) out.set(key(row), [...(out.get(key(row)) ?? []), row]);
  return out;
};

/** When the light of a setup goes, seen from an instant: the condition ends or the sun leaves the set. */
function lightEnds(setup: Setup, location: Location, now: Date): Date | null {
  const current = setup.lightConditions.find((c) => c.name === setup.lightCondition);
  if (current?.to) return new Date(current.to);
  if (setup.kind === 'interior' || sunPosition(location, now).elevationDeg < 0) return null;
  return sunLeaves(location, now, location.skyline);
}

/** "Now" on the shoot day; seen from another day, the time at which the setup's light is wanted. */
function reference(setup: Setup, day: ShootDay, location: Location, now: Date): Date {
  const local = DateTime.fromJSDate(now, { zone: location.zone });
  if (local.toISODate() === day.date) return now;
  return setup.lightAt
    ? new Date(setup.lightAt)
    : DateTime.fromISO(`${day.date}T${day.callLocal}`, { zone: location.zone }).toJSDate();
}

/** Gathers the facts of every setup of a production in a fixed number of queries and asks the rules. */
export async function productionGaps(db: Queries, productionId: string, now: Date): Promise<SetupGaps[]> {
  const mine = { where: { productionId } };
  const all = <T extends object>(entity: EntitySchema<T>) => db.getRepository(entity).find(mine as never);
  const [setups, days, locations, takes, stations, rounds, lenses, lamps, readings, references, eyeLines, handoffs] =
    await Promise.all([
      db.getRepository(Setups).find({ where: { productionId }, order: { slate: 'ASC', id: 'ASC' } }),
      all(Days),
      all(Locations),
      all(Takes),
      all(Stations),
      all(Rounds),
      all(Lenses),
      all(Lamps),
      all(Readings),
      all(References),
      all(EyeLines),
      all(Handoffs),
    ]);
  const panoramas = await db.getRepository(Panoramas).find({ where: { productionId }, order: { number: 'ASC' } });
  const calibrations =
    panoramas.length === 0
      ? []
      : await db
          .getRepository(Calibrations)
          .find({ where: { productionId, panoramaId: In(panoramas.map((p) => p.id)) }, order: { number: 'ASC' } });
  const counts: { round_id: string; n: string }[] = await db
    .getRepository(Frames)
    .createQueryBuilder('f')
    .select('f.round_id', 'round_id')
    .addSelect('count(*)', 'n')
    .where('f.production_id = :productionId', { productionId })
    .groupBy('f.round_id')
    .getRawMany();
  const stale: { result_id: string; names: string[] }[] = await db.query(
    'SELECT result_id, array_agg(DISTINCT name ORDER BY name) AS names FROM stale_results WHERE production_id = $1 GROUP BY result_id',
    [productionId],
  );
  const staleOf = new Map(stale.map((s) => [s.result_id, s.names]));
  const framesOf = new Map(counts.map((c) => [c.round_id, Number(c.n)]));
  const latestPanorama = new Map(panoramas.map((p) => [p.roundId, p]));
  const latestCalibration = new Map(calibrations.map((c) => [c.panoramaId, c]));
  const [takesOf, stationsOf, roundsOf] = [
    groupBy(takes, (t) => t.setupId),
    groupBy(stations, (s) => s.setupId),
    groupBy(rounds, (r) => r.stationId),
  ];
  const gridLenses = new Set(references.filter((r) => r.kind === 'lensGrid' && r.lensId).map((r) => r.lensId!));
  return setups.map((setup: Owned<Setup>) => {
    const day = days.find((d) => d.id === setup.dayId)!;
    const location = locations.find((l) => l.id === day.locationId)!;
    const at = reference(setup, day, location, now);
    const ofRounds = (stationsOf.get(setup.id) ?? []).flatMap((s) => roundsOf.get(s.id) ?? []);
    const facts: SetupFacts = {
      setup,
      location,
      lenses,
      gridLenses,
      now: at,
      takes: takesOf.get(setup.id) ?? [],
      rounds: ofRounds.map((round): RoundFacts => {
        const panorama = latestPanorama.get(round.id) ?? null;
        const calibration = panorama && latestCalibration.get(panorama.id);
        return {
          round,
          frames: framesOf.get(round.id) ?? 0,
          panorama,
          north: Boolean(calibration?.orientation),
          gain: Boolean(calibration?.scale),
          stale: {
            panorama: staleOf.get(panorama?.id ?? '') ?? [],
            calibration: staleOf.get(calibration?.id ?? '') ?? [],
          },
        };
      }),
      references: references.filter((r) => r.setupId === setup.id),
      lamps: lamps.filter((l) => l.setupId === setup.id),
      readings: readings.filter((r) => r.setupId === setup.id),
      eyeLines: eyeLines.filter((e) => e.setupId === setup.id),
      handoffs: handoffs.filter((h) => h.setupId === setup.id),
      lightEnds: lightEnds(setup, location, at),
      wrap: DateTime.fromISO(`${day.date}T${day.wrapLocal}`, { zone: location.zone }).toJSDate(),
    };
    const newest = [...ofRounds].sort((a, b) => Date.parse(b.shotAt) - Date.parse(a.shotAt))[0];
    return { setupId: setup.id, gaps: gapsOf(facts), roundId: newest?.id ?? null };
  });
}
