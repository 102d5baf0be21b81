import type { PatchMatch } from './matchPatches';

/** Neighbours lie within this share of the picture's width. */
const NEAR_SHARE = 0.3;
/** Two that belong together are shifted alike: to this many pixels, and this much more for every pixel that they lie apart, for near things shift more. */
const ALIKE_PX = 1.5;
const ALIKE_SHARE = 0.08;
/** Each wants so many that are shifted like it. */
const LEAST_NEIGHBOURS = 2;

/**
 * Matches that hang together: each is shifted as others around it are, and the largest such crowd is kept. A camera beside the station shifts near
 * things more than far ones, but neighbours mostly alike; a chance match stands alone.
 */
export function agreeing(matches: readonly PatchMatch[], widthPx: number): PatchMatch[] {
  const alike = (a: PatchMatch, b: PatchMatch) => {
    const apart = Math.hypot(a.x - b.x, a.y - b.y);
    const differ = Math.hypot(a.u - a.x - (b.u - b.x), a.v - a.y - (b.v - b.y));
    return apart < NEAR_SHARE * widthPx && differ < ALIKE_PX + ALIKE_SHARE * apart;
  };
  const friends = matches.map((a, i) => matches.flatMap((b, k) => (k !== i && alike(a, b) ? [k] : [])));
  let largest: number[] = [];
  const seen = new Set<number>();
  for (let start = 0; start < matches.length; start++) {
    if (seen.has(start) || friends[start].length < LEAST_NEIGHBOURS) continue;
    const crowd: number[] = [];
    const waiting = [start];
    seen.add(start);
    while (waiting.length > 0) {
      const at = waiting.pop()!;
      crowd.push(at);
      for (const next of friends[at])
        if (!seen.has(next) && friends[next].length >= LEAST_NEIGHBOURS) {
          seen.add(next);
          waiting.push(next);
        }
    }
    if (crowd.length > largest.length) largest = crowd;
  }
  return largest.map((k) => matches[k]);
}
