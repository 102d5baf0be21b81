import { daylightStopsPerHour, halfWidth95, UNKNOWN_DRIFT_STOPS_PER_HOUR } from '@tawny/core';
import type { LightRound, Take } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { setPlace } from '../records/place';
import { takeWithinS } from '../records/timeWithin';

/** One sigma of how the light of a setup drifts about a time, stops an hour: what clouds do, and where daylight comes in, what the sun's height does. */
export async function lightDrift(db: Queries, productionId: string, setupId: string, at: Date): Promise<number> {
  const { setup, location } = await setPlace(db, productionId, setupId);
  const sun = setup.kind === 'greenScreen' ? 0 : daylightStopsPerHour(location, at);
  return Math.hypot(UNKNOWN_DRIFT_STOPS_PER_HOUR, sun);
}

/** 95 % half width of the light's change between a round and a take, stops; how well both times are known is part of it. */
export function driftFrom(
  perHour: number,
  round: Pick<LightRound, 'shotAt' | 'shotAtUncertaintyS'>,
  take: Pick<Take, 'shotAt' | 'shotAtFrom' | 'fromFile'>,
): number {
  const apartS = (new Date(take.shotAt).getTime() - new Date(round.shotAt).getTime()) / 1000;
  return (perHour * Math.hypot(halfWidth95(apartS), round.shotAtUncertaintyS ?? 0, takeWithinS(take))) / 3600;
}
