import type { Gap } from './gaps';

/** In the order of what is lost first; what can be done at any time, and then what is gone, after it. Ties stay as they are. */
export function firstLostFirst(gaps: readonly Gap[]): Gap[] {
  const when = (g: Gap) => (g.lostAt ? Date.parse(g.lostAt) : Number.MAX_VALUE);
  const gone = (g: Gap) => Number(g.urgency === 'gone');
  return [...gaps].sort((a, b) => gone(a) - gone(b) || when(a) - when(b));
}
