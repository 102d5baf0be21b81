import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useLocalSearchParams } from 'expo-router';
import type {
  Calibration, CameraBody, GroupingResult, Handoff, Job, LensRecord, LightRound, Location, Panorama, Plate, Production, Setup, SetupGaps, ShootDay, Station, Take,
} from '@tawny/contract';
import { get, listProductions, post } from './api';

interface List<T> {
  items: T[];
  next: string | null;
}

export function useProductionCode(): string {
  const { production } = useLocalSearchParams<{ production: string }>();
  return production;
}

export const useProductions = () => useQuery({ queryKey: ['productions'], queryFn: () => listProductions<List<Production>>().then((r) => r.items) });

/** A list of records of the production in the address. */
function useList<T>(path: string, enabled = true) {
  const code = useProductionCode();
  return useQuery({ queryKey: [code, path], queryFn: () => get<List<T>>(code, path).then((r) => r.items), enabled });
}

export function useProduction() {
  const code = useProductionCode();
  return useQuery({ queryKey: [code, 'self'], queryFn: () => get<Production>(code, '/') });
}

export const useDays = () => useList<ShootDay>('/days');
export const useLocations = () => useList<Location>('/locations');
export const useSetups = () => useList<Setup>('/setups');
export const useGaps = () => useList<SetupGaps>('/gaps');
export const useBodies = () => useList<CameraBody>('/bodies');
export const useLenses = () => useList<LensRecord>('/lenses');
export const useTakes = (setupId: string | undefined) => useList<Take>(`/takes?setupId=${setupId}`, Boolean(setupId));
export const useAllTakes = () => useList<Take>('/takes');
export const useStations = (setupId: string | undefined) => useList<Station>(`/stations?setupId=${setupId}`, Boolean(setupId));
export const useAllRounds = () => useList<LightRound>('/rounds');
export const usePanoramas = (roundId?: string) => useList<Panorama>(roundId ? `/panoramas?roundId=${roundId}` : '/panoramas');
export const usePlates = (takeId: string | undefined) => useList<Plate>(`/plates?takeId=${takeId}`, Boolean(takeId));
export const useHandoffs = (setupId: string | undefined) => useList<Handoff>(`/handoffs?setupId=${setupId}`, Boolean(setupId));

export function useRound(id: string) {
  const code = useProductionCode();
  return useQuery({ queryKey: [code, '/rounds', id], queryFn: () => get<LightRound>(code, `/rounds/${id}`) });
}

export function useGrouping(roundId: string) {
  const code = useProductionCode();
  return useQuery({ queryKey: [code, '/rounds', roundId, 'grouping'], queryFn: () => get<GroupingResult>(code, `/rounds/${roundId}/grouping`) });
}

export function useCalibration(panoramaId: string | undefined) {
  const code = useProductionCode();
  return useQuery({
    queryKey: [code, '/panoramas', panoramaId, 'calibration'],
    queryFn: () => get<{ calibration: Calibration | null }>(code, `/panoramas/${panoramaId}/calibration`).then((r) => r.calibration),
    enabled: Boolean(panoramaId),
  });
}

const running = (job: Job | undefined) => job !== undefined && (job.state === 'queued' || job.state === 'running');

/** The newest job about a record, asked again while it runs; everything else is read anew when it ends. */
export function useJob(subjectId: string | undefined) {
  const code = useProductionCode();
  const client = useQueryClient();
  return useQuery({
    queryKey: [code, 'jobs', subjectId],
    enabled: Boolean(subjectId),
    queryFn: async () => {
      const before = client.getQueryData<Job | null>([code, 'jobs', subjectId]);
      const { items } = await get<List<Job>>(code, `/jobs?subjectId=${subjectId}`);
      const job = items[0];
      if (running(before ?? undefined) && !running(job)) {
        await client.invalidateQueries({ predicate: (q) => q.queryKey[0] === code && q.queryKey[1] !== 'jobs' });
      }
      return job ?? null;
    },
    refetchInterval: (query) => (running(query.state.data ?? undefined) ? 500 : false),
  });
}

/** A write; what the production shows is read anew after it. */
export function useWrite<I, O>(path: (input: I) => string, body: (input: I) => unknown = (i) => i) {
  const code = useProductionCode();
  const client = useQueryClient();
  return useMutation({
    mutationFn: (input: I) => post<O>(code, path(input), body(input)),
    onSuccess: () => client.invalidateQueries({ predicate: (q) => q.queryKey[0] === code }),
  });
}
