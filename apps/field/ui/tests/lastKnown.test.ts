import { QueryClient } from '@tanstack/react-query';
import { keepLastKnown } from '../../data/lastKnown';

/** A device's storage with room for so many characters. */
function device(room = Infinity) {
  const kept = new Map<string, string>();
  return {
    kept,
    getItem: (k: string) => kept.get(k) ?? null,
    removeItem: (k: string) => void kept.delete(k),
    setItem: (k: string, v: string) => {
      if (v.length > room) throw new Error('full');
      kept.set(k, v);
    },
  };
}
const setups = ['HERN', 'setups.list', {}];
const takes = ['HERN', 'takes.list', {}];

beforeEach(() => jest.useFakeTimers({ now: new Date('2026-10-14T15:00:00Z') }));
afterEach(() => jest.useRealTimers());

/** A page on a device: what it knows at its start, and how it hears of something. */
function open(store: ReturnType<typeof device>): QueryClient {
  const client = new QueryClient({ defaultOptions: { queries: { gcTime: Infinity } } });
  keepLastKnown(client, store);
  return client;
}

test('the next start knows the day with its time, and nothing that is large', () => {
  const store = device();
  const first = open(store);
  first.setQueryData(setups, [{ name: 'Quay' }]);
  first.setQueryData(takes, [{ take: 1 }]);
  jest.advanceTimersByTime(1500);
  jest.setSystemTime(new Date('2026-10-15T06:00:00Z'));
  const second = open(store);
  expect(second.getQueryData(setups)).toEqual([{ name: 'Quay' }]);
  expect(new Date(second.getQueryState(setups)!.dataUpdatedAt).toISOString()).toBe('2026-10-14T15:00:00.000Z');
  expect(second.getQueryData(takes)).toBeUndefined();
});

test('a week old, damaged, or without room: an empty start, and no error', () => {
  const store = device();
  open(store).setQueryData(setups, ['old']);
  jest.advanceTimersByTime(1500);
  jest.setSystemTime(new Date('2026-10-22T16:00:00Z'));
  expect(open(store).getQueryData(setups)).toBeUndefined();
  for (const key of store.kept.keys()) store.kept.set(key, '{"at": 17');
  expect(open(store).getQueryData(setups)).toBeUndefined();
  expect(store.kept.size).toBe(0);
  const full = device(10);
  open(full).setQueryData(setups, ['new']);
  jest.advanceTimersByTime(1500);
  expect(full.kept.size).toBe(0);
});
