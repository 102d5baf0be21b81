import { DateTime } from 'luxon';
import { sunOnSet, sunPosition, type SunSpan } from '@tawny/core';
import type { Location, Setup } from '@tawny/contract';

type Place = Pick<Location, 'latitudeDeg' | 'longitudeDeg' | 'altitudeM' | 'skyline' | 'zone'>;

const DAY_MS = 86400000;
/** Days of places kept; a shoot looks at a few. */
const KEPT = 64;
interface KnownDay {
  place: string;
  /** From its local midnight to the next, milliseconds. */
  from: number;
  to: number;
  spans: SunSpan[];
}
const known: KnownDay[] = [];

/** When the sun is on the set from the midnight before an instant for two days, computed once for a place and a day. */
function onSet({ latitudeDeg, longitudeDeg, altitudeM, skyline, zone }: Place, now: Date): SunSpan[] {
  const place = JSON.stringify([latitudeDeg, longitudeDeg, altitudeM, zone, skyline]);
  const at = now.getTime();
  const found = known.find((d) => d.from <= at && at < d.to && d.place === place);
  if (found) return found.spans;
  const midnight = DateTime.fromJSDate(now, { zone }).startOf('day');
  const from = midnight.toMillis();
  const end = new Date(from + 2 * DAY_MS);
  const spans = sunOnSet({ latitudeDeg, longitudeDeg, altitudeM }, new Date(from), end, skyline);
  if (known.length >= KEPT) known.shift();
  known.push({ place, from, to: midnight.plus({ days: 1 }).toMillis(), spans });
  return spans;
}

/**
 * When a light of a setup goes or went, seen from an instant: it ends as was said of it, or the sun leaves the set within a day; null when nothing takes it
 * away. After sunset the sun took with it what was shot by it; the light of a night goes on.
 * @param shown the newest instant at which something was shot in this light; null when nothing was
 */
export function lightEnds(
  setup: Pick<Setup, 'kind' | 'lightConditions'>,
  condition: string,
  location: Place,
  now: Date,
  shown: Date | null,
): Date | null {
  const said = setup.lightConditions.find((c) => c.name === condition)?.to;
  // It went on for longer than was said.
  if (said && !(shown && shown > new Date(said))) return new Date(said);
  if (setup.kind === 'interior') return null;
  const isDay = (at: Date) => sunPosition(location, at).elevationDeg >= 0;
  if (isDay(now)) {
    const span = onSet(location, now).find((s) => s.to > now);
    return span && span.to.getTime() < now.getTime() + DAY_MS ? span.to : null;
  }
  if (!shown || !isDay(shown)) return null;
  return onSet(location, shown).findLast((s) => s.to > shown && s.to <= now)?.to ?? null;
}
