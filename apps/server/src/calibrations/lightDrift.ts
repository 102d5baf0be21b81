import { daylightStopsPerHour, halfWidth95, UNKNOWN_DRIFT_STOPS_PER_HOUR } from '@tawny/core';
import type { LightRound } from '@tawny/contract';
import type { Queries } from '../db/dataSource';
import { setPlace } from '../records/place';

/** One sigma of how the light of a setup drifts about a time, stops an hour: what clouds do, and where daylight comes in, what the sun's height does. */
export async function lightDrift(db: Queries, productionId: string, setupId: string, at: Date): Promise<number> {
  const { setup, location } = await setPlace(db, productionId, setupId);
  const sun = setup.kind === 'greenScreen' ? 0 : daylightStopsPerHour(location, at);
  return Math.hypot(UNKNOWN_DRIFT_STOPS_PER_HOUR, sun);
}

/** 95 % half width of the light's change between a round and another time, stops; how well the round's own time is known is part of it. */
export function driftFrom(perHour: number, round: Pick<LightRound, 'shotAt' | 'shotAtUncertaintyS'>, at: Date): number {
  const apartS = (at.getTime() - new Date(round.shotAt).getTime()) / 1000;
  return (perHour * Math.hypot(halfWidth95(apartS), round.shotAtUncertaintyS ?? 0)) / 3600;
}
