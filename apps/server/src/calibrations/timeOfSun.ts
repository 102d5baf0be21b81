import type { EntityManager } from 'typeorm';
import type { LightRound, Location, Sight } from '@tawny/contract';
import { UNKNOWN_LEVEL_DEG, type Provenance, type ProvenanceKind } from '@tawny/core';
import { Frames, Locations, Panoramas, Rounds, type Owned, type StoredPanorama } from '../db/entities';
import { useFact, type UsedFact } from '../records/facts';
import { rigClock, trueMiddleMs } from '../rounds/roundTime';

const from = (kind: ProvenanceKind, source: string, at: Date | null = null): Provenance => ({
  kind,
  source,
  at: at?.toISOString() ?? null,
});

/** Where a round's time comes from, as provenance. */
const TIME_KINDS: Record<LightRound['shotAtFrom'], ProvenanceKind> = {
  planned: 'predicted',
  files: 'fromFile',
  entered: 'logged',
};

/**
 * When the sun's disc was photographed: the middle of the exposure that it was taken from, its camera's clock corrected; of a round whose
 * files do not tell, the time of the round, which may be as far off as the round was long.
 */
export async function timeOfSun(
  tx: EntityManager,
  panorama: Owned<StoredPanorama>,
  round: Owned<LightRound>,
  statedS: number | undefined,
): Promise<{ utc: Date; clockS: number | null; source: string }> {
  const known = statedS ?? round.shotAtUncertaintyS;
  const { productionId } = panorama;
  const middle = { utc: new Date(round.shotAt), clockS: known, source: round.shotAtSource };
  if (round.shotAtFrom !== 'files') return middle;
  const clock = await rigClock(tx, productionId, round);
  const frames = (await tx.getRepository(Frames).findBy({ productionId, roundId: round.id })).filter((f) => f.takenAt);
  const own = frames.find((f) => f.id === panorama.sunFrameId);
  if (own)
    return {
      utc: new Date(trueMiddleMs(own, clock)),
      clockS: known,
      source: `${round.shotAtSource}; the sun's own frame ${own.name}`,
    };
  const times = frames.map((f) => trueMiddleMs(f, clock));
  const half = times.length > 0 ? (Math.max(...times) - Math.min(...times)) / 2000 : 0;
  return { ...middle, clockS: known === null ? null : Math.hypot(known, half) };
}

/** Where the sun stands in a panorama, and how that was told. */
export interface SeenSun {
  azimuthDeg: number;
  elevationDeg: number;
  /** 95 % half width. */
  uncertaintyDeg: number;
  byHand: boolean;
  how: string;
}

/** The middle of a ring that fits the whole disc, and of one whose disc is partly hidden: 95 % half widths, degrees. */
const RING_DEG = { whole: 0.15, partly: 0.45 } as const;

/** The sun under a ring that somebody laid on it, else the one that was found; null when there is neither. */
export function seenSun(
  { sun, widthPx }: Pick<StoredPanorama, 'sun' | 'widthPx'>,
  at: Sight['sunAt'] = null,
): SeenSun | null {
  if (at)
    return {
      azimuthDeg: at.panoramaAzimuthDeg,
      elevationDeg: at.panoramaElevationDeg,
      // No better than the panorama's pixels and the tap.
      uncertaintyDeg: Math.hypot(at.partly ? RING_DEG.partly : RING_DEG.whole, 180 / widthPx, at.withinDeg ?? 0),
      byHand: true,
      how: at.partly ? 'a ring laid on its disc, which is partly hidden' : 'a ring laid on its disc',
    };
  return sun && { ...sun, byHand: false, how: sun.clipped ? 'its clipped disc' : 'its disc' };
}

/** What north by the sun rests on. */
export async function sunFacts(
  tx: EntityManager,
  found: Owned<StoredPanorama>,
  round: Owned<LightRound>,
  location: Owned<Location>,
  time: Awaited<ReturnType<typeof timeOfSun>>,
  sun: SeenSun,
  statedLevelDeg?: number,
): Promise<UsedFact[]> {
  const { utc, clockS, source } = time;
  const levelDeg = statedLevelDeg ?? found.levelDeg;
  return [
    await useFact(tx, Rounds, round, ['shotAt'], {
      name: 'time of the round',
      provenance: from(TIME_KINDS[round.shotAtFrom], source, utc),
      uncertainty: clockS,
      unit: 's',
    }),
    await useFact(tx, Locations, location, ['latitudeDeg', 'longitudeDeg', 'altitudeM'], {
      name: 'place',
      provenance: from('logged', location.name),
    }),
    await useFact(tx, Panoramas, found, ['levelDeg'], {
      name: 'level',
      provenance: statedLevelDeg
        ? from('logged', 'stated for this measurement')
        : found.levelDeg === null
          ? from('assumed', 'nobody looked: rigs lean as much as that')
          : from('measured', 'upright edges in the picture'),
      uncertainty: levelDeg ?? UNKNOWN_LEVEL_DEG,
      unit: '°',
    }),
    await useFact(tx, Panoramas, found, [sun.byHand ? 'exrHash' : 'sun'], {
      name: 'sun in the picture',
      provenance: from('measured', sun.how),
      uncertainty: sun.uncertaintyDeg,
      unit: '°',
    }),
  ];
}
