import { daylightStopsPerHour, halfWidth95, UNKNOWN_DRIFT_STOPS_PER_HOUR } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import { setPlace } from '../records/place';

/** One sigma of how the light of a setup drifts about a time, stops an hour: what clouds do, and where daylight comes in, what the sun's height does. */
export async function lightDrift(db: Queries, productionId: string, setupId: string, at: Date): Promise<number> {
  const { setup, location } = await setPlace(db, productionId, setupId);
  const sun = setup.kind === 'greenScreen' ? 0 : daylightStopsPerHour(location, at);
  return Math.hypot(UNKNOWN_DRIFT_STOPS_PER_HOUR, sun);
}

/** 95 % half width of the light's change between two times, stops. */
export const driftBetween = (perHour: number, a: Date, b: Date): number =>
  halfWidth95((perHour * Math.abs(a.getTime() - b.getTime())) / 3600e3);
