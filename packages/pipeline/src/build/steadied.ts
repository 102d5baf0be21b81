import { frameDepartures, LIMITS, pairsToCompare, signed, type Bracket } from '@tawny/core';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import type { SourceFrame } from './frames';

export interface Steadied {
  /** Per view and frame: what its light or exposure was over what its file says, 1 where nothing shows. */
  factors: number[][];
  /** Per view and frame, see `frameDepartures`. */
  departures: (number | null)[][];
}

/**
 * Frames of which light or exposure changed against their neighbours, as the other views' same frames tell, with the factor that brings them back. A
 * glance at each tells most; pixels are read where it sees too little, or says something. @throws FileProblem naming the file
 */
export async function steadied(brackets: readonly Bracket<SourceFrame>[], control: RunControl): Promise<Steadied> {
  const views = brackets.map((b) => b.frames);
  const asked = pairsToCompare(views);
  const compared = await mapLimited(views, THREADS, control, async (frames, v) => {
    if (!asked[v].includes(true)) return asked[v].map(() => null);
    const { width, height, curve } = frames[0];
    return runInThread(
      'compareFrames',
      {
        frames: frames.map(({ path, name, exposure }) => ({ path, name, exposure })),
        width,
        height,
        curve,
        pairs: asked[v],
      },
      control,
    );
  });
  const departures = frameDepartures(views, compared);
  const factors = departures.map((view) =>
    view.map((d) => (d !== null && Math.abs(d) > LIMITS.unsteady.good ? 2 ** d : 1)),
  );
  return { factors, departures };
}

/** Brackets without frames of which light or exposure changed, as far as two are left: those say nothing of the camera. */
export const steadyOnly = (
  brackets: readonly Bracket<SourceFrame>[],
  { factors }: Steadied,
): readonly Bracket<SourceFrame>[] =>
  brackets.map((b, v) => {
    const frames = b.frames.filter((_, f) => factors[v][f] === 1);
    return frames.length > 1 ? { ...b, frames } : b;
  });

/** Names this many frames at most. */
const NAMED = 4;

/** What was mended, in one sentence; null where nothing was. */
export function mendedWords(
  brackets: readonly Bracket<SourceFrame>[],
  { factors, departures }: Steadied,
): string | null {
  const names = brackets.flatMap((b, v) =>
    b.frames.flatMap((f, k) => (factors[v][k] === 1 ? [] : [`${f.name} ${signed(departures[v][k]!, 2)} stop`])),
  );
  if (names.length === 0) return null;
  const more = names.length > NAMED ? ` and ${names.length - NAMED} more frames` : '';
  return `light or exposure changed against the same frames of the other views: ${names.slice(0, NAMED).join(', ')}${more}; merged as what they were`;
}
