/** What grouping needs to know of a frame. */
export interface FrameFacts {
  name: string;
  /** Milliseconds since the epoch on the camera's clock, sub-seconds included; null when the file has none. */
  takenAtMs: number | null;
  /** Photometric exposure X (CONVENTIONS.md section 3). */
  exposure: number;
  width: number;
  height: number;
}

export interface Bracket<F extends FrameFacts> {
  /** Longest exposure first. */
  frames: F[];
  /** What is wrong or doubtful with this bracket, in words; empty when it matches the ladder. */
  notes: string[];
}

export interface Grouping<F extends FrameFacts> {
  brackets: Bracket<F>[];
  /** Exposures X of the usual bracket, longest first. */
  ladder: number[];
  /** False when anything should be looked at before building. */
  certain: boolean;
}

/** Exposures closer than this (stops) are the same rung of a ladder. */
const SAME_RUNG = 0.25;

const sameRung = (a: number, b: number) => Math.abs(Math.log2(a / b)) < SAME_RUNG;

const collator = new Intl.Collator('en', { numeric: true });

function order<F extends FrameFacts>(frames: readonly F[]): F[] {
  const timed = frames.every((f) => f.takenAtMs !== null);
  return [...frames].sort(
    (a, b) => (timed ? a.takenAtMs! - b.takenAtMs! : 0) || collator.compare(a.name, b.name),
  );
}

/** The exposures that at least half of the groups hold, longest first. */
function usualLadder(groups: readonly FrameFacts[][]): number[] {
  const rungs: { exposure: number; count: number }[] = [];
  for (const f of groups.flat()) {
    const rung = rungs.find((r) => sameRung(r.exposure, f.exposure));
    if (rung) rung.count++;
    else rungs.push({ exposure: f.exposure, count: 1 });
  }
  return rungs
    .filter((r) => r.count * 2 >= groups.length)
    .map((r) => r.exposure)
    .sort((a, b) => b - a);
}

/**
 * Sorts the frames of a round into brackets by their own metadata: in order of time (of name when a time is missing),
 * a new bracket starts whenever an exposure comes that the current one already holds. Missing or surplus rungs and pauses
 * inside a bracket are named, never mended in silence.
 *
 * @throws RangeError without frames or when frames differ in size (the odd one is named)
 */
export function groupBrackets<F extends FrameFacts>(frames: readonly F[]): Grouping<F> {
  if (frames.length === 0) throw new RangeError('there are no frames to group');
  const odd = frames.find((f) => f.width !== frames[0].width || f.height !== frames[0].height);
  if (odd) {
    throw new RangeError(
      `${odd.name} is ${odd.width} x ${odd.height} pixels, ${frames[0].name} ${frames[0].width} x ${frames[0].height}: frames of one round have one size`,
    );
  }
  const groups: F[][] = [];
  for (const f of order(frames)) {
    const current = groups[groups.length - 1];
    if (!current || current.some((g) => sameRung(g.exposure, f.exposure))) groups.push([f]);
    else current.push(f);
  }
  const ladder = usualLadder(groups);
  const steps = groups.flatMap((g) => g.slice(1).map((f, i) => pauseMs(g[i], f)));
  const usualPause = median(steps.filter((s) => s !== null) as number[]);
  const brackets = groups.map((group) => {
    const sorted = [...group].sort((a, b) => b.exposure - a.exposure);
    const notes: string[] = [];
    for (const rung of ladder) {
      if (!sorted.some((f) => sameRung(f.exposure, rung))) {
        notes.push(`lacks the frame at ${describeExposure(rung, sorted[0].exposure)}`);
      }
    }
    for (const f of sorted) {
      if (!ladder.some((r) => sameRung(r, f.exposure))) notes.push(`${f.name} has an exposure that the other views do not have`);
    }
    group.slice(1).forEach((f, i) => {
      const pause = pauseMs(group[i], f);
      if (pause !== null && usualPause !== null && pause > 10 * usualPause + 10000) {
        notes.push(`${(pause / 1000).toFixed(0)} s passed before ${f.name}: does it belong to this view?`);
      }
    });
    return { frames: sorted, notes };
  });
  return { brackets, ladder, certain: brackets.every((b) => b.notes.length === 0) };
}

function describeExposure(x: number, reference: number): string {
  const stops = Math.log2(x / reference);
  return stops === 0 ? 'the longest exposure' : `${stops > 0 ? '+' : '-'}${Math.abs(stops).toFixed(1)} stops from its longest`;
}

function pauseMs(a: FrameFacts, b: FrameFacts): number | null {
  return a.takenAtMs === null || b.takenAtMs === null ? null : b.takenAtMs - a.takenAtMs;
}

function median(values: number[]): number | null {
  if (values.length === 0) return null;
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[sorted.length >> 1];
}
