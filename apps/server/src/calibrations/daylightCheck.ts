import type { Exposures } from '@tawny/contract';
import { daylightStopsPerHour, expectedDaylight, sunPosition, type Network } from '@tawny/core';
import type { Queries } from '../db/dataSource';
import type { Owned, StoredPanorama } from '../db/entities';
import { setPlace } from '../records/place';
import { originOf } from './latest';
import { PANORAMA_STOPS } from './meters';

/**
 * What a panorama throws on the level by its scale, against what sun and sky would: a check that wants no card and no meter. Null indoors, by night,
 * and where the panorama cannot tell.
 */
export async function daylightOf(
  db: Queries,
  panorama: Owned<StoredPanorama>,
  absolute: Network['absolute'],
): Promise<Exposures['daylight']> {
  const { round, station } = await originOf(db, panorama);
  const { setup, location } = await setPlace(db, panorama.productionId, station.setupId);
  if (absolute === null || (setup.kind !== 'exterior' && setup.kind !== 'driving')) return null;
  const at = new Date(round.shotAt);
  const sunDeg = sunPosition(location, at).elevationDeg;
  const expected = expectedDaylight(sunDeg, panorama.sun !== null);
  if (expected === null) return null;
  if (panorama.clippedSr > 0 || !(panorama.illuminanceHorizontal > 0)) return null;
  const lux = panorama.illuminanceHorizontal * absolute.whiteLuminance;
  const within = Math.hypot(PANORAMA_STOPS, absolute.uncertaintyStops);
  const byTime = (daylightStopsPerHour(location, at) * (round.shotAtUncertaintyS ?? 0)) / 3600;
  const withinStops = Math.hypot(expected.withinStops, byTime);
  const apartStops = Math.log2(lux / expected.lux);
  return {
    lux,
    uncertaintyStops: within,
    expectedLux: expected.lux,
    withinStops,
    sunDeg,
    agrees: Math.abs(apartStops) <= Math.hypot(within, withinStops),
  };
}
