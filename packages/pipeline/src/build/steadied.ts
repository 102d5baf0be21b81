import { frameDepartures, LIMITS, type Bracket } from '@tawny/core';
import type { SourceFrame } from './frames';

export interface Steadied {
  /** Per view and frame: what its light or exposure was over what its file says, 1 where nothing shows. */
  factors: number[][];
  /** Per view and frame, see `frameDepartures`. */
  departures: (number | null)[][];
}

/** Frames of which light or exposure changed against their neighbours, as the other views' same frames tell, with the factor that brings them back. */
export function steadied(brackets: readonly Bracket<SourceFrame>[]): Steadied {
  const departures = frameDepartures(brackets.map((b) => b.frames));
  const factors = departures.map((view) =>
    view.map((d) => (d !== null && Math.abs(d) > LIMITS.unsteady.good ? 2 ** d : 1)),
  );
  return { factors, departures };
}
