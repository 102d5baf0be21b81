import { matchViews, type BlendMap, type Matched, type View, type WholeRegion } from '@tawny/core';
import { sharedFloats } from '../threads/shared';

export interface MatchInput {
  views: View[];
  regions: WholeRegion[];
  seamStops: number;
}

/** How views give way to each other, in a thread; the maps come in shared memory, for every strip wants them. */
export function matchTask({ views, regions, seamStops }: MatchInput): Matched {
  const { blends, moved } = matchViews(views, regions, seamStops);
  return {
    moved,
    blends: blends.map((b): BlendMap => {
      const data = sharedFloats(b.data.length);
      data.set(b.data);
      return { ...b, data };
    }),
  };
}
