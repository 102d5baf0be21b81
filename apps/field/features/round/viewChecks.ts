import type { GroupingResult, ViewCheck } from '@tawny/contract';

/** What was found in a view, by the number that it has now; a view whose frames have changed since was not looked at. */
export function checksByView(grouping: GroupingResult, checks: readonly ViewCheck[]): (ViewCheck | null)[] {
  const key = (ids: readonly string[]) => [...ids].sort().join();
  const known = new Map(checks.map((c) => [key(c.frames), c]));
  return grouping.views.map((v) => known.get(key(v.frames.map((f) => f.id))) ?? null);
}
