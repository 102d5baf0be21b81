import { DateTime } from 'luxon';
import type { Take } from '@tawny/contract';
import { hoursOf, isBeingShot, type DayHours } from '@tawny/contract/dayHours';
import { takeTimeFrom } from '@tawny/contract/takeRules';

/** Knows the abbreviations of European zones (BST, CET), which the American locale writes as offsets. */
const LOCALE = 'en-GB';

const names = new Map<string, string>();
/** Abbreviation of a zone as it is then. To ask for one takes as long as to draw a line of a list: it is asked for once for each offset. */
function zoneName(at: DateTime): string {
  const key = `${at.zoneName} ${at.offset}`;
  const name = names.get(key) ?? at.setLocale(LOCALE).toFormat('ZZZZ');
  names.set(key, name);
  return name;
}

const withZone = (instant: string | Date, zone: string, format: string): string => {
  const at = DateTime.fromJSDate(new Date(instant), { zone });
  return `${at.toFormat(format)} ${zoneName(at)}`;
};

/** Local clock time of an instant with the zone's abbreviation: "15:42 GMT". */
export function clock(instant: string | Date, zone: string): string {
  return withZone(instant, zone, 'HH:mm');
}

/** The same with seconds, where they matter. */
export function clockSeconds(instant: string | Date, zone: string): string {
  return withZone(instant, zone, 'HH:mm:ss');
}

/** When something was, and that nobody said so where it is assumed. */
export const clockKnown = (at: string, assumed: boolean, zone: string, shown = clock): string =>
  `${shown(at, zone)}${assumed ? ', assumed' : ''}`;

/** When a take ran, to the second on request, and that it is assumed where it is. */
export function clockOfTake(
  take: Pick<Take, 'shotAt' | 'shotAtFrom' | 'fromFile'>,
  zone: string,
  shown = clock,
): string {
  return clockKnown(take.shotAt, takeTimeFrom(take).kind === 'assumed', zone, shown);
}

export function clockShort(instant: string | Date, zone: string): string {
  return DateTime.fromJSDate(new Date(instant), { zone }).toFormat('HH:mm');
}

export function longDate(date: string, zone: string): string {
  return DateTime.fromISO(date, { zone }).toFormat('cccc d LLLL yyyy');
}

/** Date of an instant where it was: "2026-10-14". */
export function dateOf(instant: string, zone: string): string {
  return DateTime.fromISO(instant, { zone }).toFormat('yyyy-MM-dd');
}

export function shortDate(date: string): string {
  return DateTime.fromISO(date).toFormat('ccc d LLL');
}

export function dayBounds(date: string, zone: string): { start: Date; end: Date } {
  const start = DateTime.fromISO(date, { zone }).startOf('day');
  return { start: start.toJSDate(), end: start.plus({ days: 1 }).toJSDate() };
}

/** Now while the day is being shot; before and after it the hour of now on its date, held between call and wrap, for what is planned of its light. */
export function nowOnDay(day: DayHours, zone: string, now = new Date()): Date {
  if (isBeingShot(day, zone, now)) return now;
  const { call, wrap } = hoursOf(day, zone);
  const { hour, minute, second } = DateTime.fromJSDate(now, { zone });
  const onDate = DateTime.fromISO(day.date, { zone }).set({ hour, minute, second });
  // Hours after midnight of a night are of its second date.
  const ofMorning = onDate.plus({ days: 1 }).toJSDate();
  const at = ofMorning <= wrap ? ofMorning : onDate.toJSDate();
  return at < call ? call : at > wrap ? wrap : at;
}
