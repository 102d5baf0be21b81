import { DateTime } from 'luxon';
import { sunOnSet, sunPosition, type SunSpan } from '@tawny/core';
import type { Location, Setup } from '@tawny/contract';

type Place = Pick<Location, 'latitudeDeg' | 'longitudeDeg' | 'altitudeM' | 'skyline' | 'zone'>;

const DAY_MS = 86400000;
/** Days of places kept; a shoot looks at a few. */
const KEPT = 64;
const known = new Map<string, SunSpan[]>();

/** When the sun is on the set from a local midnight for two days, computed once for a place and a day. */
function onSet({ latitudeDeg, longitudeDeg, altitudeM, skyline }: Place, midnight: Date): SunSpan[] {
  const key = JSON.stringify([latitudeDeg, longitudeDeg, altitudeM, skyline, midnight.getTime()]);
  const found = known.get(key);
  if (found) return found;
  const end = new Date(midnight.getTime() + 2 * DAY_MS);
  const spans = sunOnSet({ latitudeDeg, longitudeDeg, altitudeM }, midnight, end, skyline);
  if (known.size >= KEPT) known.delete(known.keys().next().value!);
  known.set(key, spans);
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
  const midnight = DateTime.fromJSDate(now, { zone: location.zone }).startOf('day').toJSDate();
  const span = onSet(location, midnight).find((s) => s.to > now);
  return span && span.to.getTime() < now.getTime() + DAY_MS ? span.to : null;
}
