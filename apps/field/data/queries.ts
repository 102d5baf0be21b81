import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useLocalSearchParams } from 'expo-router';
import type {
  Calibration,
  CameraBody,
  CameraClock,
  Clip,
  EyeLine,
  FilterRecord,
  GroupingResult,
  Handoff,
  InstrumentRecord,
  Job,
  LampRecord,
  LensRecord,
  LightRound,
  Location,
  Panorama,
  PanoramaRig,
  PlanMark,
  PlanMeasure,
  Plate,
  Production,
  Reading,
  Reference,
  ReferenceObject,
  Setup,
  SetupGaps,
  ShootDay,
  Station,
  Take,
} from '@tawny/contract';
import { get, listProductions, patch, post, remove } from './api';

interface List<T> {
  items: T[];
  next: string | null;
}

export function useProductionCode(): string {
  const { production } = useLocalSearchParams<{ production: string }>();
  return production;
}

export const useProductions = () =>
  useQuery({ queryKey: ['productions'], queryFn: () => listProductions<List<Production>>().then((r) => r.items) });

/** Every page of a list, one after the other. */
async function allPages<T>(code: string, path: string): Promise<T[]> {
  const items: T[] = [];
  let after: string | null = null;
  do {
    const page: List<T> = await get<List<T>>(
      code,
      after ? `${path}${path.includes('?') ? '&' : '?'}after=${after}` : path,
    );
    items.push(...page.items);
    after = page.next;
  } while (after);
  return items;
}

/** A list of records of the production in the address. */
function useList<T>(path: string, enabled = true) {
  const code = useProductionCode();
  return useQuery({ queryKey: [code, path], queryFn: () => allPages<T>(code, path), enabled });
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
export const useRigs = () => useList<PanoramaRig>('/rigs');
export const useFilters = () => useList<FilterRecord>('/filters');
export const useInstruments = () => useList<InstrumentRecord>('/instruments');
export const useObjects = () => useList<ReferenceObject>('/objects');
export const useClocks = (dayId: string | undefined) => useList<CameraClock>(`/clocks?dayId=${dayId}`, Boolean(dayId));
export const useReadings = (setupId: string | undefined) =>
  useList<Reading>(`/readings?setupId=${setupId}`, Boolean(setupId));
export const useReferences = (setupId: string | undefined) =>
  useList<Reference>(`/references?setupId=${setupId}`, Boolean(setupId));
export const useLamps = (setupId: string | undefined) =>
  useList<LampRecord>(`/lamps?setupId=${setupId}`, Boolean(setupId));
export const useEyeLines = (setupId: string | undefined) =>
  useList<EyeLine>(`/eyelines?setupId=${setupId}`, Boolean(setupId));
export const useMarks = (setupId: string | undefined) =>
  useList<PlanMark>(`/marks?setupId=${setupId}`, Boolean(setupId));
export const useMeasures = (setupId: string | undefined) =>
  useList<PlanMeasure>(`/measures?setupId=${setupId}`, Boolean(setupId));
export const useClips = (takeId: string | undefined) => useList<Clip>(`/clips?takeId=${takeId}`, Boolean(takeId));
export const useTakes = (setupId: string | undefined) => useList<Take>(`/takes?setupId=${setupId}`, Boolean(setupId));
export const useAllTakes = () => useList<Take>('/takes');
export const useStations = (setupId: string | undefined) =>
  useList<Station>(`/stations?setupId=${setupId}`, Boolean(setupId));
export const useAllRounds = () => useList<LightRound>('/rounds');
export const usePanoramas = (roundId?: string) =>
  useList<Panorama>(roundId ? `/panoramas?roundId=${roundId}` : '/panoramas');
export const usePlates = (takeId: string | undefined) => useList<Plate>(`/plates?takeId=${takeId}`, Boolean(takeId));
export const useHandoffs = (setupId: string | undefined) =>
  useList<Handoff>(`/handoffs?setupId=${setupId}`, Boolean(setupId));

export function useRound(id: string) {
  const code = useProductionCode();
  return useQuery({ queryKey: [code, '/rounds', id], queryFn: () => get<LightRound>(code, `/rounds/${id}`) });
}

export function useGrouping(roundId: string) {
  const code = useProductionCode();
  return useQuery({
    queryKey: [code, '/rounds', roundId, 'grouping'],
    queryFn: () => get<GroupingResult>(code, `/rounds/${roundId}/grouping`),
  });
}

export function useCalibration(panoramaId: string | undefined) {
  const code = useProductionCode();
  return useQuery({
    queryKey: [code, '/panoramas', panoramaId, 'calibration'],
    queryFn: () =>
      get<{ calibration: Calibration | null }>(code, `/panoramas/${panoramaId}/calibration`).then((r) => r.calibration),
    enabled: Boolean(panoramaId),
  });
}

const running = (job: Job | undefined) => job !== undefined && (job.state === 'queued' || job.state === 'running');

/** The newest job about a record (of one kind: others may work on it too), asked again while it runs; everything else is read anew when it ends. */
export function useJob(subjectId: string | undefined, kind?: Job['kind']) {
  const code = useProductionCode();
  const client = useQueryClient();
  return useQuery({
    queryKey: [code, 'jobs', subjectId, kind],
    enabled: Boolean(subjectId),
    queryFn: async () => {
      const before = client.getQueryData<Job | null>([code, 'jobs', subjectId, kind]);
      const { items } = await get<List<Job>>(code, `/jobs?subjectId=${subjectId}${kind ? `&kind=${kind}` : ''}`);
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

interface Versioned {
  id: string;
  version?: number;
}

/** Saves a record of a kind: a new one is created under the client's own id, one that has a version is changed. */
export function useSave<T extends Versioned>(kind: string) {
  const code = useProductionCode();
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ record, change }: { record: T; change?: Partial<T> }) =>
      record.version
        ? patch<T>(code, `/${kind}/${record.id}`, { ...(change ?? record), id: undefined, version: record.version })
        : post<T>(code, `/${kind}`, record, record.id),
    onSuccess: () => client.invalidateQueries({ predicate: (q) => q.queryKey[0] === code }),
  });
}

/** Removes a record; `restore` takes it back. */
export function useRemove(kind: string) {
  const code = useProductionCode();
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries({ predicate: (q) => q.queryKey[0] === code });
  const removal = useMutation({
    mutationFn: ({ id, version }: { id: string; version: number }) => remove(code, `/${kind}/${id}?version=${version}`),
    onSuccess,
  });
  const restoring = useMutation({ mutationFn: (id: string) => post(code, `/${kind}/${id}/restore`, {}), onSuccess });
  return {
    remove: removal.mutate,
    removeAsync: removal.mutateAsync,
    restore: restoring.mutate,
    error: removal.error ?? restoring.error,
  };
}
