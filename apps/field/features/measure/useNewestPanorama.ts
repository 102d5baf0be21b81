import { useAllRounds, usePanoramas, useStations } from '../../data/queries';

/** The newest panorama shot at any station of a setup, with its round. */
export function useNewestPanorama(setupId: string | undefined) {
  const stations = useStations(setupId);
  const rounds = useAllRounds();
  const panoramas = usePanoramas();
  const ready = Boolean(stations.data && rounds.data && panoramas.data);
  const mine = rounds.data?.filter((r) => stations.data?.some((s) => s.id === r.stationId)) ?? [];
  const panorama = panoramas.data?.find((p) => mine.some((r) => r.id === p.roundId));
  return {
    ready,
    panorama,
    round: mine.find((r) => r.id === panorama?.roundId),
    error: stations.error ?? rounds.error ?? panoramas.error,
  };
}
