import { DateTime } from 'luxon';

/** Where a file's zone was taken from: its own offset, or the place where it was photographed. */
export type ZoneFrom = 'file' | 'location';

/**
 * The instant that a camera's clock showed. A file that states no offset to UTC is read in the zone of the place; the clock itself may
 * be off. Null when the file says nothing; its time in the file system says nothing either.
 */
export function fileTime(
  said: { takenAtMs: number | null; hasUtcOffset: boolean },
  zone: string,
): { at: Date; zoneFrom: ZoneFrom } | null {
  if (said.takenAtMs === null) return null;
  if (said.hasUtcOffset) return { at: new Date(said.takenAtMs), zoneFrom: 'file' };
  const local = DateTime.fromMillis(said.takenAtMs, { zone: 'utc' }).setZone(zone, { keepLocalTime: true });
  return { at: local.toJSDate(), zoneFrom: 'location' };
}
