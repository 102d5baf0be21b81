import type { CameraClock, LightRound } from '@tawny/contract';
import { clockOfRig, RIG_CLOCK } from '@tawny/contract';
import { UNKNOWN_CLOCK_S } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import { CameraClocks, Frames, Rounds, Setups, Stations, type StoredFrame } from '../db/entities';

/** How far a round may be shot from the light that was planned for, and what a time typed to the minute is good for: 95 %, seconds. */
const PLANNED_S = 1200;
const ENTERED_S = 60;

/** When a round was shot, from what, and how well that is known. */
export type RoundTime = Pick<LightRound, 'shotAt' | 'shotAtFrom' | 'shotAtUncertaintyS' | 'shotAtSource'>;
type Clock = Pick<CameraClock, 'offsetS' | 'uncertaintyS'>;

/** The clock in words: what it is off by, or that nobody looked. */
function clockWords(clock: Clock | null): string {
  if (!clock) return `camera clock not checked, taken for right to ± ${UNKNOWN_CLOCK_S} s`;
  const off = Math.abs(clock.offsetS);
  const words = off < 0.05 ? 'right' : `${Number(off.toFixed(1))} s ${clock.offsetS > 0 ? 'fast' : 'slow'}`;
  return `camera clock ${words} ± ${clock.uncertaintyS} s`;
}

/** Middle of a frame's exposure in true time, ms. */
export const trueMiddleMs = (frame: Pick<StoredFrame, 'takenAt' | 'shutterS'>, clock: Clock | null): number =>
  new Date(frame.takenAt!).getTime() + 500 * (frame.shutterS ?? 0) - 1000 * (clock?.offsetS ?? 0);

/** The clock of a round's rig on its day; null when nobody looked at it. */
export async function rigClock(
  db: Queries,
  productionId: string,
  { stationId, rigId }: Pick<LightRound, 'stationId' | 'rigId'>,
): Promise<CameraClock | null> {
  const { setupId } = await db.getRepository(Stations).findOneByOrFail({ productionId, id: stationId });
  const { dayId } = await db.getRepository(Setups).findOneByOrFail({ productionId, id: setupId });
  return clockOfRig(await db.getRepository(CameraClocks).findBy({ productionId, dayId, camera: RIG_CLOCK }), rigId);
}

/** The time of a round as its frames and the rig's clock tell it; a time that somebody entered stays. */
export function timeOf(
  round: RoundTime,
  frames: readonly Pick<StoredFrame, 'takenAt' | 'shutterS'>[],
  clock: Clock | null,
): RoundTime {
  if (round.shotAtFrom === 'entered')
    return { ...round, shotAtUncertaintyS: ENTERED_S, shotAtSource: 'entered by hand' };
  const timed = frames.filter((f) => f.takenAt !== null);
  if (timed.length === 0)
    return {
      shotAt: round.shotAt,
      shotAtFrom: 'planned',
      shotAtUncertaintyS: PLANNED_S,
      shotAtSource: 'planned light time',
    };
  const middles = timed.map((f) => trueMiddleMs(f, clock));
  return {
    shotAt: new Date((Math.min(...middles) + Math.max(...middles)) / 2).toISOString(),
    shotAtFrom: 'files',
    shotAtUncertaintyS: clock?.uncertaintyS ?? UNKNOWN_CLOCK_S,
    shotAtSource: `${timed.length} ${timed.length === 1 ? 'frame' : 'frames'}, ${clockWords(clock)}`,
  };
}

/**
 * Sets a round's time from its frames and the rig's clock; what rests on a time that moved is stale then. In a transaction: of several senders at
 * once the last to settle sees the frames of all.
 */
export async function settleTime(db: Queries, productionId: string, roundId: string): Promise<void> {
  await db.query('SELECT 1 FROM rounds WHERE production_id = $1 AND id = $2 FOR UPDATE', [productionId, roundId]);
  const round = await db.getRepository(Rounds).findOneBy({ productionId, id: roundId });
  if (!round) return;
  const frames = await db.getRepository(Frames).findBy({ productionId, roundId });
  const { shotAt, shotAtFrom, shotAtUncertaintyS, shotAtSource } = timeOf(
    round,
    frames,
    await rigClock(db, productionId, round),
  );
  // Not a change that somebody else made meanwhile: the version that a person saw stays good.
  await db.query(
    `UPDATE rounds SET shot_at = $3, shot_at_from = $4, shot_at_uncertainty_s = $5, shot_at_source = $6
     WHERE production_id = $1 AND id = $2
       AND (shot_at, shot_at_from, shot_at_uncertainty_s, shot_at_source) IS DISTINCT FROM ($3::timestamptz, $4::text, $5::float8, $6::text)`,
    [productionId, roundId, shotAt, shotAtFrom, shotAtUncertaintyS, shotAtSource],
  );
}

/** Rounds of a day or of a setup whose clock may be another now: one that was looked at later sets all of them. */
export async function settleRounds(
  db: Queries,
  productionId: string,
  of: { dayId: string } | { setupId: string },
): Promise<void> {
  const [column, id] = 'dayId' in of ? ['u.day_id', of.dayId] : ['u.id', of.setupId];
  const rounds: { id: string }[] = await db.query(
    `SELECT r.id FROM rounds r JOIN stations s ON s.id = r.station_id JOIN setups u ON u.id = s.setup_id
     WHERE r.production_id = $1 AND ${column} = $2`,
    [productionId, id],
  );
  for (const round of rounds) await settleTime(db, productionId, round.id);
}
