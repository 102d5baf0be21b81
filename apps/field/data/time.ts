import { DateTime } from 'luxon';

/** Knows the abbreviations of European zones (BST, CET), which the American locale writes as offsets. */
const LOCALE = 'en-GB';

/** Local clock time of an instant with the zone's abbreviation: "15:42 GMT". */
export function clock(instant: string | Date, zone: string): string {
  return DateTime.fromJSDate(new Date(instant), { zone }).setLocale(LOCALE).toFormat('HH:mm ZZZZ');
}

/** The same with seconds, where they matter. */
export function clockSeconds(instant: string | Date, zone: string): string {
  return DateTime.fromJSDate(new Date(instant), { zone }).setLocale(LOCALE).toFormat('HH:mm:ss ZZZZ');
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

/** Now, on the date of a shoot day: what is planned of a day is planned for its light, whenever that is done. */
export function nowOnDay(date: string, zone: string, now = new Date()): Date {
  const { hour, minute, second } = DateTime.fromJSDate(now, { zone });
  return DateTime.fromISO(date, { zone }).set({ hour, minute, second }).toJSDate();
}
