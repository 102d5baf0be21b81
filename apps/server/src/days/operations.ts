import { dayInput, type DayMark, type ShootDay } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { Bodies, CameraClocks, Days, Lenses, Locations, Rigs, Setups } from '../db/entities';
import type { Handlers } from '../http/handler';
import { findOwned } from '../records/find';
import { writtenHandlers } from '../records/recordHandlers';
import { cameraReport } from '../takes/cameraReport';
import { inputOf } from '../takes/operations';
import { takePages } from '../takes/takePages';
import { takesCsv } from '../takes/takesCsv';

/** A shoot day with what its papers state, but for its takes. */
async function dayOf(db: Queries, productionId: string, id: string) {
  const day = await findOwned(db, Days, productionId, id, 'shoot day');
  const [location, setups, bodies, lenses, clocks, rigs] = await Promise.all([
    db.getRepository(Locations).findOneByOrFail({ productionId, id: day.locationId }),
    db.getRepository(Setups).find({ where: { productionId, dayId: id }, order: { slate: 'ASC', id: 'ASC' } }),
    db.getRepository(Bodies).findBy({ productionId }),
    db.getRepository(Lenses).findBy({ productionId }),
    db.getRepository(CameraClocks).findBy({ productionId, dayId: id }),
    db.getRepository(Rigs).findBy({ productionId }),
  ]);
  return { day, location, setups, bodies, lenses, clocks, rigs };
}

/** Takes of a day in the order of their times, page by page. */
const takesOf = (db: Queries, productionId: string, setups: readonly { id: string }[]) =>
  takePages(
    db,
    productionId,
    setups.map((s) => s.id),
  );

/** Marks of a day's line, oldest first: at most one of a kind for every minute. */
async function marksOf(db: Queries, productionId: string, dayId: string): Promise<DayMark[]> {
  const rows: { kind: DayMark['kind']; at: Date }[] = await db.query(
    `WITH mine AS (SELECT id FROM setups WHERE production_id = $1 AND day_id = $2 AND removed_at IS NULL)
     SELECT 'take' AS kind, date_trunc('minute', shot_at) AS at FROM takes
       WHERE production_id = $1 AND setup_id IN (SELECT id FROM mine) AND removed_at IS NULL
     UNION SELECT 'round', date_trunc('minute', r.shot_at) FROM rounds r JOIN stations s ON s.id = r.station_id
       WHERE s.setup_id IN (SELECT id FROM mine) AND s.removed_at IS NULL AND r.removed_at IS NULL
     ORDER BY at`,
    [productionId, dayId],
  );
  return rows.map(({ kind, at }) => ({ kind, at: at.toISOString() }));
}

/** Shoot days, and the takes of a whole day, out. */
export const dayOperations: Handlers<'days'> = {
  ...writtenHandlers<'days', ShootDay>({
    entity: Days,
    noun: 'shoot day',
    input: dayInput,
    order: { by: ['date', 'number'], direction: 'DESC' },
  }),
  marks: async ({ tx, production, params }) => {
    const day = await findOwned(tx, Days, production.id, params.id, 'shoot day');
    return { items: await marksOf(tx, production.id, day.id), next: null };
  },
  takesCsv: async ({ tx, production, params }) => {
    const { day, location, setups, bodies, lenses } = await dayOf(tx, production.id, params.id);
    async function* lines() {
      yield takesCsv([], location, bodies, lenses, null);
      for await (const takes of takesOf(tx, production.id, setups))
        yield takesCsv(takes, location, bodies, lenses, null, false);
    }
    return {
      content: { parts: lines() },
      type: 'text/csv',
      name: `${production.code.toLowerCase()}_day-${day.number}_takes.csv`,
    };
  },
  takesJson: async ({ tx, production, params }) => {
    const { day, setups } = await dayOf(tx, production.id, params.id);
    async function* text() {
      yield JSON.stringify({ production: production.code, day: day.date, takes: [] }).slice(0, -2);
      let first = true;
      for await (const takes of takesOf(tx, production.id, setups)) {
        yield `${first ? '' : ','}${takes.map((t) => JSON.stringify(inputOf(t))).join(',')}`;
        first = false;
      }
      yield ']}';
    }
    return {
      content: { parts: text() },
      type: 'application/json',
      name: `${production.code.toLowerCase()}_day-${day.number}_takes.json`,
    };
  },
  report: async ({ tx, production, params }) => {
    const facts = await dayOf(tx, production.id, params.id);
    const takes = (setupId: string) => takePages(tx, production.id, [setupId]);
    return {
      content: { bytes: await cameraReport({ ...facts, production, takes }) },
      type: 'application/pdf',
      name: `${production.code.toLowerCase()}_day-${facts.day.number}_camera-report.pdf`,
    };
  },
};
