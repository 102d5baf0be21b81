import type { GroupingResult, ViewCheck } from '@tawny/contract';

/** One sentence for a round's views: what to do, and of a single view why; `said` is the reason that it states. */
export function roundSentence(
  found: readonly (ViewCheck | null)[],
  built: boolean,
): {
  state: 'lost' | 'doubtful' | 'complete';
  words: string;
  said?: { view: number; finding: string };
} {
  const again = found.flatMap((c, i) => (c?.verdict === 'again' ? [{ number: i + 1, check: c }] : []));
  if (again.length > 0) {
    const numbers = again.map((a) => a.number);
    const named = numbers.length === 1 ? `view ${numbers[0]}` : `views ${numbers.slice(0, -1).join(', ')} and ${numbers[numbers.length - 1]}`; // prettier-ignore
    const finding = again[0].check.findings[0];
    return again.length > 1
      ? { state: 'lost', words: `Shoot ${named} again` }
      : { state: 'lost', words: `Shoot ${named} again: ${finding}`, said: { view: numbers[0], finding } };
  }
  if (found.some((c) => c === null)) return { state: 'doubtful', words: 'Views are being looked at' };
  return found.every((c) => c!.verdict === 'good')
    ? { state: 'complete', words: built ? 'Every view holds' : 'Build it: every view holds' }
    : {
        state: 'doubtful',
        words: built ? 'No view needs to be shot again' : 'Build it; no view needs to be shot again',
      };
}

/** A finding without its numbers and files: what different views have in common. */
const kindOf = (words: string) => words.replace(/\S+\.\w{3,4}\b/g, '#').replace(/[−+-]?\d[\d.e+-]*/g, '#');
const firstNumber = (words: string) => Number(/\d[\d.]*/.exec(words)?.[0] ?? 0);

/** What every view of a round has is said once, as of the view that has most of it; the rest stays with its view. */
export function findingsOf(found: readonly (ViewCheck | null)[]): { common: string[]; own: string[][] } {
  const lists = found.map((c) => c?.findings ?? []);
  const shared = (words: string) => lists.length > 1 && lists.every((l) => l.some((w) => kindOf(w) === kindOf(words)));
  const kinds = [...new Set((lists[0] ?? []).filter(shared).map(kindOf))];
  const worst = (kind: string) =>
    lists
      .flatMap((l) => l.filter((w) => kindOf(w) === kind))
      .reduce((a, b) => (firstNumber(b) > firstNumber(a) ? b : a));
  return {
    common: kinds.map((k) => `Every view ${worst(k)}`),
    own: lists.map((l) => l.filter((w) => !kinds.includes(kindOf(w)))),
  };
}

/** A frame in reserve is prudence; more add nothing. */
const RESERVE = 1;

/** Frames that add nothing in any view of a round, in one sentence; null when all do, or not every view was looked at. */
export function idleSentence(found: readonly (ViewCheck | null)[]): string | null {
  if (found.length === 0 || found.some((c) => c === null)) return null;
  const least = (of: (c: ViewCheck) => number) => Math.min(...found.map((c) => of(c!)));
  const [shortest, longest] = [least((c) => c.idle?.shortest ?? 0) - RESERVE, least((c) => c.idle?.longest ?? 0)];
  const named = (n: number, which: string) => (n === 1 ? `the ${which} frame` : `the ${n} ${which} frames`);
  const said = [
    ...(shortest > 0 ? [`${named(shortest, 'shortest')} (every light is held without)`] : []),
    ...(longest > 0 ? [`${named(longest, 'longest')} (white all over)`] : []),
  ];
  const one = said.length === 1 && shortest + longest === 1;
  return said.length === 0 ? null : `${said.join(' and ').replace(/^t/, 'T')} add${one ? 's' : ''} nothing here`;
}

/** What was found in a view, by the number that it has now; a view whose frames have changed since was not looked at. */
export function checksByView(grouping: GroupingResult, checks: readonly ViewCheck[]): (ViewCheck | null)[] {
  const key = (ids: readonly string[]) => [...ids].sort().join();
  const known = new Map(checks.map((c) => [key(c.frames), c]));
  return grouping.views.map((v) => known.get(key(v.frames.map((f) => f.id))) ?? null);
}
