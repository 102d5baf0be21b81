import { dehydrate, hydrate, type DehydratedState, type QueryClient } from '@tanstack/react-query';
import type { OperationName } from '@tawny/contract';

/** What the day is shown from before the server has answered: small answers, kept on this device. */
const KEPT: ReadonlySet<string> = new Set<OperationName>([
  'productions.get',
  'locations.list',
  'days.list',
  'days.marks',
  'setups.list',
  'gaps.list',
]);
const KEY = 'tawny.last-known.1';
const KEPT_MS = 7 * 86400000;
const EVERY_MS = 1000;

export const keepsLastKnown = (operation: string): boolean => KEPT.has(operation);

/**
 * Takes up what this device knew last, each answer with the time at which it was given, and goes on keeping it. Everything taken up is
 * asked for again at once; while that fails, the shell says of when it is. Returns whether there was anything.
 */
export function keepLastKnown(
  client: QueryClient,
  store: Pick<Storage, 'getItem' | 'setItem' | 'removeItem'>,
): boolean {
  let found = false;
  try {
    const known = JSON.parse(store.getItem(KEY) ?? 'null') as { at: number; state: DehydratedState } | null;
    if (known && Date.now() - known.at < KEPT_MS) {
      hydrate(client, known.state);
      // However young it is: what was known before a page was opened is asked for again.
      void client.invalidateQueries({ refetchType: 'none' });
      found = known.state.queries.length > 0;
    }
  } catch {
    // Written by an older version, or damaged: the server tells it anew.
    store.removeItem(KEY);
  }
  let timer: ReturnType<typeof setTimeout> | undefined;
  const keep = () => {
    timer = undefined;
    const state = dehydrate(client, {
      shouldDehydrateMutation: () => false,
      shouldDehydrateQuery: ({ queryKey, state }) => state.status === 'success' && keepsLastKnown(String(queryKey[1])),
    });
    try {
      store.setItem(KEY, JSON.stringify({ at: Date.now(), state }));
    } catch {
      // The device is full: drafts of takes need the room more.
      store.removeItem(KEY);
    }
  };
  client.getQueryCache().subscribe(({ type, query }) => {
    if (type === 'updated' && keepsLastKnown(String(query.queryKey[1]))) timer ??= setTimeout(keep, EVERY_MS);
  });
  return found;
}
