import { router, useLocalSearchParams } from 'expo-router';
import type { LightRound, Panorama, Setup } from '@tawny/contract';
import { useAllRounds, usePanoramas, useStations } from '../../data/queries';

/** A panorama with the round that it was built from. */
export interface ShotPanorama {
  panorama: Panorama;
  round: LightRound;
}

/**
 * What the day suggests among the panoramas of a setup, newest first: the newest in the light that the setup is worked in now, else the
 * newest of all.
 */
export function suggested(shot: readonly ShotPanorama[], light: string): ShotPanorama | undefined {
  return shot.find((s) => s.round.lightCondition === light) ?? shot[0];
}

/** The panoramas of a setup, and the one that is looked at: in the address (`?panorama=`), else what the day suggests. */
export function useChosenPanorama(setup: Setup | undefined) {
  const { panorama: wanted } = useLocalSearchParams<{ panorama?: string }>();
  const stations = useStations(setup?.id);
  const rounds = useAllRounds();
  const panoramas = usePanoramas();
  const ready = Boolean(stations.data && rounds.data && panoramas.data);
  const mine = rounds.data?.filter((r) => stations.data?.some((s) => s.id === r.stationId)) ?? [];
  const shot = (panoramas.data ?? []).flatMap((panorama) => {
    const round = mine.find((r) => r.id === panorama.roundId);
    return round ? [{ panorama, round }] : [];
  });
  const chosen = shot.find((s) => s.panorama.id === wanted) ?? suggested(shot, setup?.lightCondition ?? '');
  return {
    ready,
    shot,
    panorama: chosen?.panorama,
    round: chosen?.round,
    choose: (id: string) => router.setParams({ panorama: id }),
    error: stations.error ?? rounds.error ?? panoramas.error,
  };
}
