import { DateTime } from 'luxon';
import type { ShootDay } from './days';

export type DayHours = Pick<ShootDay, 'date' | 'callLocal' | 'wrapLocal'>;

/** The instant of a date and an hour of the clock where it was; null for what is neither. */
export function instantAt(date: string, time: string, zone: string): Date | null {
  const at = DateTime.fromISO(`${date}T${time}`, { zone });
  return at.isValid ? at.toJSDate() : null;
}

/** Call and wrap of a shoot day; a wrap that is not after the call is that of the next morning. */
export function hoursOf({ date, callLocal, wrapLocal }: DayHours, zone: string): { call: Date; wrap: Date } {
  const call = instantAt(date, callLocal, zone)!;
  const wrap = DateTime.fromISO(`${date}T${wrapLocal}`, { zone });
  return { call, wrap: (wrap.toJSDate() > call ? wrap : wrap.plus({ days: 1 })).toJSDate() };
}

/** Days begin earlier and end later than was planned, by this much at most. */
const OVER_MS = 3600000;

/** Whether a shoot day is being shot: what is logged then is logged as it happens. */
export function isBeingShot(day: DayHours, zone: string, now = new Date()): boolean {
  const { call, wrap } = hoursOf(day, zone);
  return now.getTime() >= call.getTime() - OVER_MS && now.getTime() <= wrap.getTime() + OVER_MS;
}
