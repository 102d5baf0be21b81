import { useInfiniteQuery, useMutation, useQuery, useQueryClient, type QueryClient } from '@tanstack/react-query';
import { useLocalSearchParams } from 'expo-router';
import { useMemo } from 'react';
import type { Job, Api, OperationName, Answered, Asked, NewProduction, Operation } from '@tawny/contract';
import { operationOf } from '@tawny/contract/api';
import { JOB_KINDS } from '@tawny/contract/jobs';
import { ApiError, call } from './api';
import { keepRecord, type Versioned, type WrittenKind } from './keepRecord';
import { keepsLastKnown } from './lastKnown';

export function useProductionCode(): string {
  const { production } = useLocalSearchParams<{ production: string }>();
  return production;
}

/** What an operation wants to be told, but for the production, which is the one in the address. */
type InProduction<N extends OperationName> = { params?: Record<string, string | number>; query?: Asked<N>['query'] };

const askedFor = <N extends OperationName>(production: string, { params, query }: InProduction<N>) =>
  ({ params: { production, ...params }, query }) as unknown as Asked<N>;

/** Names of operations that give lists. */
type ListName = {
  [N in OperationName]: Answered<N> extends { items: unknown[]; next: string | null } ? N : never;
}[OperationName];
type ItemOf<N extends ListName> = Answered<N> extends { items: (infer T)[] } ? T : never;

/** Every page of a list, one after the other. */
async function allPages<N extends ListName>(name: N, asked: Asked<N>): Promise<ItemOf<N>[]> {
  const items: ItemOf<N>[] = [];
  let after: string | null = null;
  do {
    const query = { ...(asked.query as object), ...(after ? { after } : {}) };
    const answer: unknown = await call(name, { ...asked, query } as Asked<N>);
    const page = answer as { items: ItemOf<N>[]; next: string | null };
    items.push(...page.items);
    after = page.next;
  } while (after);
  return items;
}

/** Answers that the next start is shown from stay as long as the page. */
const kept = (name: OperationName) => (keepsLastKnown(name) ? { gcTime: Infinity } : {});

/** A list as it is known; keys are production, the operation's name, then what it was asked. */
const listQuery = <N extends ListName>(code: string, name: N, asked: InProduction<N>) => ({
  queryKey: [code, name, asked],
  queryFn: () => allPages(name, askedFor(code, asked)),
  ...kept(name),
});

const answerQuery = <N extends OperationName>(code: string, name: N, asked: InProduction<N>) => ({
  queryKey: [code, name, asked],
  queryFn: () => call(name, askedFor(code, asked)),
  ...kept(name),
});

/** Asks for what the day is drawn from while its program still loads: the day is then drawn once, not with each answer anew. */
export function askForDay(client: QueryClient, code: string): void {
  void client.prefetchQuery(answerQuery(code, 'productions.get', {}));
  for (const name of ['setups.list', 'days.list', 'locations.list', 'gaps.list'] as const)
    void client.prefetchQuery(listQuery(code, name, {}));
}

/** A list of the production in the address. */
function useList<N extends ListName>(name: N, asked: InProduction<N> = {}, enabled = true) {
  const code = useProductionCode();
  return useQuery({ ...listQuery(code, name, asked), enabled });
}

/** One answer of an operation that reads. */
export function useAnswer<N extends OperationName>(name: N, asked: InProduction<N> = {}, enabled = true) {
  const code = useProductionCode();
  return useQuery({ ...answerQuery(code, name, asked), enabled });
}

/** Answers that were made of what has changed are read anew. */
function renew(client: QueryClient, code: string, changes: readonly string[]): Promise<void> {
  return client.invalidateQueries({
    predicate: ({ queryKey: [of, name] }) =>
      of === code &&
      (name === 'job'
        ? changes.includes('jobs')
        : typeof name === 'string' &&
          name.includes('.') &&
          operationOf(name as OperationName).reads.some((r: string) => changes.includes(r))),
  });
}

export const useProductions = () =>
  useQuery({ queryKey: ['productions'], queryFn: () => allPages('productions.list', {}) });
/** The production; asked for every ten seconds while the server does not answer. */
export function useProduction() {
  const code = useProductionCode();
  const name = 'productions.get';
  return useQuery({
    queryKey: [code, name, {}],
    queryFn: () => call(name, askedFor<typeof name>(code, {})),
    refetchInterval: (query) => (query.state.status === 'error' ? 10000 : false),
    ...kept(name),
  });
}
export const useDays = () => useList('days.list');
export const useLocations = () => useList('locations.list');
export const useSetups = () => useList('setups.list');
export const useDayMarks = (dayId: string) => useList('days.marks', { params: { id: dayId } });
export const useGaps = () => useList('gaps.list');
export const useBodies = () => useList('bodies.list');
export const useLenses = () => useList('lenses.list');
export const useRigs = () => useList('rigs.list');
export const useCurves = () => useList('curves.list');
export const useFilters = () => useList('filters.list');
export const useInstruments = () => useList('instruments.list');
export const useObjects = () => useList('objects.list');
export const useAllRounds = () => useList('rounds.list');
export const usePanoramas = (roundId?: string) => useList('panoramas.list', { query: { roundId } });
export const useClocks = (dayId: string | undefined) => useList('clocks.list', { query: { dayId } }, Boolean(dayId));

type Id = string | undefined;
export const useReadings = (setupId: Id) => useList('readings.list', { query: { setupId } }, Boolean(setupId));
export const useReferences = (setupId: Id) => useList('references.list', { query: { setupId } }, Boolean(setupId));
export const useLamps = (setupId: Id) => useList('lamps.list', { query: { setupId } }, Boolean(setupId));
export const useEyeLines = (setupId: Id) => useList('eyelines.list', { query: { setupId } }, Boolean(setupId));
export const useMarks = (setupId: Id) => useList('marks.list', { query: { setupId } }, Boolean(setupId));
export const useMeasures = (setupId: Id) => useList('measures.list', { query: { setupId } }, Boolean(setupId));
/** The newest so many takes of a setup. */
export const useNewestTakes = (setupId: string, limit: number) =>
  useAnswer('takes.list', { query: { setupId, limit } });
/** The takes of a setup, newest first, page by page as they are wanted. */
export function useTakePages(setupId: Id) {
  const code = useProductionCode();
  const { data, error, hasNextPage, isFetching, fetchNextPage } = useInfiniteQuery({
    queryKey: [code, 'takes.list', { query: { setupId } }, 'pages'],
    enabled: Boolean(setupId),
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam: after }) => call('takes.list', { params: { production: code }, query: { setupId, after } }),
    getNextPageParam: (last) => last.next,
    // Thousands of takes are not compared one by one with each page that comes.
    structuralSharing: false,
  });
  const takes = useMemo(() => data?.pages.flatMap((p) => p.items), [data]);
  return {
    takes,
    error,
    /** There are older ones that can be read; after a fault they are asked for again with the whole list. */
    more: hasNextPage && !error,
    readMore: () => {
      if (hasNextPage && !isFetching && !error) void fetchNextPage();
    },
  };
}
export const useTakes = (setupId: Id) => useList('takes.list', { query: { setupId } }, Boolean(setupId));
export const useStations = (setupId: Id) => useList('stations.list', { query: { setupId } }, Boolean(setupId));
export const useStation = (id: Id) => useAnswer('stations.get', { params: { id: id! } }, Boolean(id));
export const useHandoffs = (setupId: Id) => useList('handoffs.list', { query: { setupId } }, Boolean(setupId));
export const useClips = (takeId: Id) => useList('clips.list', { query: { takeId: takeId! } }, Boolean(takeId));
export const usePlates = (takeId: Id) => useList('plates.list', { query: { takeId: takeId! } }, Boolean(takeId));

/** The camera that a take carries because its picture told it. */
export const usePlateCamera = (takeId: Id) => useAnswer('plates.camera', { params: { id: takeId! } }, Boolean(takeId));

export const useRound = (id: string) => useAnswer('rounds.get', { params: { id } });
export const useGrouping = (id: string) => useAnswer('rounds.grouping', { params: { id } });
export const useCalibrations = (panoramaId: string) =>
  useList('panoramas.calibrations', { params: { id: panoramaId } });
export const useExposures = (panoramaId: string | undefined) =>
  useAnswer('panoramas.exposures', { params: { id: panoramaId! } }, Boolean(panoramaId));
export function useCalibration(panoramaId: string | undefined) {
  const found = useAnswer('panoramas.calibration', { params: { id: panoramaId! } }, Boolean(panoramaId));
  return { ...found, data: found.data?.calibration };
}

const running = (job: Job | undefined) => job !== undefined && (job.state === 'queued' || job.state === 'running');

/** What a job is at, or its place in the queue. */
export function stageOf(job: Job): string {
  if (job.state !== 'queued') return job.stage;
  return job.ahead === 0 ? 'Next in the queue' : `Waiting: ${job.ahead} ${job.ahead === 1 ? 'job' : 'jobs'} before it`;
}

/** The newest job about a record (of one kind: others may work on it too), asked again while it runs; what it changed is read anew when it ends. */
export function useJob(subjectId: string | undefined, kind?: Job['kind']) {
  const code = useProductionCode();
  const client = useQueryClient();
  const queryKey = [code, 'job', subjectId, kind];
  return useQuery({
    queryKey,
    enabled: Boolean(subjectId),
    queryFn: async () => {
      const before = client.getQueryData<Job | null>(queryKey);
      const asked = { params: { production: code }, query: { subjectId: subjectId!, kind, limit: 1 } };
      const job = (await call('jobs.list', asked)).items[0] as Job | undefined;
      if (running(before ?? undefined) && !running(job)) {
        await renew(client, code, JOB_KINDS[before!.kind].changes);
      }
      return job ?? null;
    },
    refetchInterval: (query) => (running(query.state.data ?? undefined) ? 500 : false),
  });
}

/** What is made under an id of its own is made once, however often it is sent. */
const keyOf = (body: unknown) => {
  const { id } = (body ?? {}) as { id?: unknown };
  return typeof id === 'string' ? { key: id } : {};
};

/** A write of the table with a body; what was made of what it changes is read anew after it. */
export function useOperation<N extends OperationName>(name: N, params: Record<string, string> = {}) {
  const code = useProductionCode();
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Asked<N>['body']): Promise<Answered<N>> =>
      call(name, { params: { production: code, ...params }, body, ...keyOf(body) } as unknown as Asked<N>),
    onSuccess: () => renew(client, code, (operationOf(name) as Operation).changes),
  });
}

/** Begins a production; `fault` is what the server says of a field of it. */
export function useBeginProduction() {
  const client = useQueryClient();
  const begin = useMutation({
    mutationFn: (body: NewProduction) => call('productions.create', { body }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['productions'] }),
  });
  return { ...begin, fault: (name: string) => (begin.error instanceof ApiError ? begin.error.field(name) : undefined) };
}

/** Reads anew what an operation changed that was called by hand, such as an upload. */
export function useRenew() {
  const code = useProductionCode();
  const client = useQueryClient();
  return (name: OperationName) => renew(client, code, (operationOf(name) as Operation).changes);
}

/** Those that can be removed. */
export type RemovableKind = { [R in keyof Api]: Api[R] extends { remove: unknown } ? R : never }[keyof Api];

/** Saves a record of a kind: a new one is created under the client's own id, one that has a version is changed. */
export function useSave<T extends Versioned>(kind: WrittenKind) {
  const code = useProductionCode();
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ record, change }: { record: T; change?: Partial<T> }): Promise<T> =>
      keepRecord(kind, code, record, change),
    onSuccess: () => renew(client, code, [kind]),
  });
}

/** Removes a record; `restore` takes it back. */
export function useRemove(kind: RemovableKind) {
  const code = useProductionCode();
  const client = useQueryClient();
  const onSuccess = () => renew(client, code, [kind]);
  const removal = useMutation({
    mutationFn: ({ id, version }: { id: string; version: number }) =>
      call(`${kind}.remove` as 'takes.remove', { params: { production: code, id }, query: { version } }),
    onSuccess,
  });
  const restoring = useMutation({
    mutationFn: (id: string) => call(`${kind}.restore` as 'takes.restore', { params: { production: code, id } }),
    onSuccess,
  });
  return {
    remove: removal.mutate,
    removeAsync: removal.mutateAsync,
    restore: restoring.mutate,
    error: removal.error ?? restoring.error,
  };
}
