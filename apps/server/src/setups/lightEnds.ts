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

/** When the light of a setup goes, seen from an instant: its condition ends or the sun leaves the set within a day; null when nothing takes it away. */
export function lightEnds(
  setup: Pick<Setup, 'kind' | 'lightCondition' | 'lightConditions'>,
  location: Place,
  now: Date,
): Date | null {
  const current = setup.lightConditions.find((c) => c.name === setup.lightCondition);
  if (current?.to) return new Date(current.to);
  if (setup.kind === 'interior' || sunPosition(location, now).elevationDeg < 0) return null;
  const span = onSet(location, now).find((s) => s.to > now);
  return span && span.to.getTime() < now.getTime() + DAY_MS ? span.to : null;
}
