import type { Setup, ShootDay, Take, TakeInput } from '@tawny/contract';
import { hoursOf, isBeingShot } from '@tawny/contract/dayHours';

/** The day that a take belongs to. */
export interface DayOfTake {
  setup: Setup;
  day: ShootDay;
  zone: string;
}

type TakeTime = Pick<TakeInput, 'shotAt' | 'shotAtFrom'>;

/** Takes run on past the planned wrap: within so long of the last one it is still now. */
const GOING_ON_MS = 2 * 3600000;
const AFTER_LAST_MS = 180000;

/** Time of a new take until it is saved or somebody says it: three minutes after the last, else when the setup's light is planned, else the day's call. */
export function guessedTime(last: Pick<Take, 'shotAt'> | undefined, { setup, day, zone }: DayOfTake): TakeTime {
  const at = last
    ? new Date(Date.parse(last.shotAt) + AFTER_LAST_MS)
    : setup.lightAt
      ? new Date(setup.lightAt)
      : hoursOf(day, zone).call;
  return { shotAt: at.toISOString(), shotAtFrom: 'assumed' };
}

/** Whether a take that is logged now runs now: its day is being shot, and the last take is not yet to come. */
export function runsNow(last: Pick<Take, 'shotAt'> | undefined, { day, zone }: DayOfTake, now = new Date()): boolean {
  const sinceMs = last ? now.getTime() - Date.parse(last.shotAt) : 0;
  return sinceMs >= 0 && (isBeingShot(day, zone, now) || (last !== undefined && sinceMs < GOING_ON_MS));
}

/** A draft as it is saved: what runs now and has no stated time is logged at this moment. */
export function timedAtSaving(
  draft: TakeInput,
  last: Pick<Take, 'shotAt'> | undefined,
  of: DayOfTake,
  now = new Date(),
): TakeInput {
  return draft.shotAtFrom === 'assumed' && runsNow(last, of, now)
    ? { ...draft, shotAt: now.toISOString(), shotAtFrom: 'logged' }
    : draft;
}
