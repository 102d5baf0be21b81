import { DateTime } from 'luxon';
import type { EntitySchema } from 'typeorm';
import { hoursOf, isBeingShot, type Location, type Setup, type SetupGaps, type ShootDay } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import {
  Days,
  EyeLines,
  Handoffs,
  Lamps,
  Lenses,
  Locations,
  Readings,
  References,
  Setups,
  type Owned,
} from '../db/entities';
import { decidingTakes, roundFacts } from './gapFacts';
import { gapsOf, newestIn, type SetupFacts } from './gapRules';
import { lightEnds } from './lightEnds';

function groupBy<T extends { setupId: string }>(rows: readonly T[]): Map<string, T[]> {
  const out = new Map<string, T[]>();
  for (const row of rows) {
    const group = out.get(row.setupId);
    if (group) group.push(row);
    else out.set(row.setupId, [row]);
  }
  return out;
}

/** A shoot day as its setups look at it: worked out once for all of them. */
function dayAsSeen(day: ShootDay, location: Location, now: Date) {
  const itsDate = DateTime.fromJSDate(now, { zone: location.zone }).toISODate() === day.date;
  return {
    location,
    /** Null on another day, unless its night is still being shot. */
    now: itsDate || isBeingShot(day, location.zone, now) ? now : null,
    ...hoursOf(day, location.zone),
  };
}

/** Gathers the facts of every setup of a production in a fixed number of queries and asks the rules. */
export async function productionGaps(db: Queries, productionId: string, now: Date): Promise<SetupGaps[]> {
  const all = <T extends object>(entity: EntitySchema<T>) =>
    db.getRepository(entity).find({ where: { productionId } as never });
  const [setups, days, locations, lenses] = await Promise.all([
    db.getRepository(Setups).find({ where: { productionId }, order: { slate: 'ASC', id: 'ASC' } }),
    all(Days),
    all(Locations),
    all(Lenses),
  ]);
  const [takes, rounds, references, lamps, readings, eyeLines, handoffs] = await Promise.all([
    decidingTakes(db, productionId),
    roundFacts(db, productionId),
    all(References),
    all(Lamps),
    all(Readings),
    all(EyeLines),
    db.getRepository(Handoffs).find({ where: { productionId }, select: { id: true, setupId: true } }),
  ]);
  const bySetup = {
    takes: groupBy(takes),
    rounds: groupBy(rounds),
    references: groupBy(references),
    lamps: groupBy(lamps),
    readings: groupBy(readings),
    eyeLines: groupBy(eyeLines),
    handoffs: groupBy(handoffs),
  };
  const gridLenses = new Set(references.filter((r) => r.kind === 'lensGrid' && r.lensId).map((r) => r.lensId!));
  const hours = new Map(
    [...new Set(setups.map((s) => s.dayId))].map((id) => {
      const day = days.find((d) => d.id === id)!;
      return [
        id,
        dayAsSeen(
          day,
          locations.find((l) => l.id === day.locationId)!,
          now,
        ),
      ];
    }),
  );
  return setups.map((setup: Owned<Setup>) => {
    const { location, call, wrap, ...day } = hours.get(setup.dayId)!;
    // Seen from another day, the time at which the setup's light is wanted.
    const at = day.now ?? (setup.lightAt ? new Date(setup.lightAt) : call);
    const rounds = bySetup.rounds.get(setup.id) ?? [];
    const taken = bySetup.takes.get(setup.id) ?? [];
    const facts: SetupFacts = {
      setup,
      location,
      lenses,
      gridLenses,
      now: at,
      rounds,
      takes: taken,
      references: bySetup.references.get(setup.id) ?? [],
      lamps: bySetup.lamps.get(setup.id) ?? [],
      readings: bySetup.readings.get(setup.id) ?? [],
      eyeLines: bySetup.eyeLines.get(setup.id) ?? [],
      handoffs: bySetup.handoffs.get(setup.id) ?? [],
      lightEnds: (condition) =>
        lightEnds(setup, condition, location, at, newestIn({ setup, takes: taken, rounds }, condition)),
      wrap,
    };
    return { setupId: setup.id, gaps: gapsOf(facts), roundId: rounds.at(-1)?.round.id ?? null };
  });
}
