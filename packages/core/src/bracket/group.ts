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

/** Cuts a sequence wherever `starts` says that a frame cannot belong to the bracket so far. */
function cut<F extends FrameFacts>(frames: readonly F[], starts: (current: readonly F[], next: F) => boolean): F[][] {
  const groups: F[][] = [];
  for (const f of frames) {
    const current = groups[groups.length - 1];
    if (!current || starts(current, f)) groups.push([f]);
    else current.push(f);
  }
  return groups;
}

/**
 * First cut where an exposure repeats; the commonest order of exposures among those groups is the camera's own, but for where it starts: a
 * round whose very first frame is missing makes every group begin one late. So every rotation of that order is tried, and of those with
 * the fewest brackets the one that leaves the least waiting inside them (without times: the fewest turns from brighter to darker) decides where brackets begin.
 */
function splitByOrder<F extends FrameFacts>(frames: readonly F[]): F[][] {
  const repeats = (current: readonly F[], f: F) => current.some((g) => sameRung(g.exposure, f.exposure));
  const groups = cut(frames, repeats);
  const orders = new Map<string, { order: number[]; count: number }>();
  for (const g of groups) {
    const key = g.map((f) => Math.round(Math.log2(f.exposure) / SAME_RUNG)).join();
    const seen = orders.get(key) ?? { order: g.map((f) => f.exposure), count: 0 };
    orders.set(key, { ...seen, count: seen.count + 1 });
  }
  const usual = [...orders.values()].sort((a, b) => b.count - a.count || b.order.length - a.order.length)[0].order;
  const candidates = usual.map((_, k) => {
    const order = [...usual.slice(k), ...usual.slice(0, k)];
    const place = (f: F) => order.findIndex((x) => sameRung(x, f.exposure));
    const split = cut(frames, (current, f) => repeats(current, f) || (place(f) >= 0 && current.some((g) => place(g) > place(f))));
    return { split, unrest: split.reduce((sum, g) => sum + unrest(g), 0) };
  });
  return candidates.sort((a, b) => a.split.length - b.split.length || a.unrest - b.unrest)[0].split;
}

/** Seconds of waiting between the frames of a bracket; without times, how often its exposures change direction. */
function unrest(group: readonly FrameFacts[]): number {
  if (group.every((f) => f.takenAtMs !== null)) {
    return group.slice(1).reduce((sum, f, i) => sum + (f.takenAtMs! - group[i].takenAtMs!) / 1000, 0);
  }
  const steps = group.slice(1).map((f, i) => Math.sign(f.exposure - group[i].exposure));
  return steps.slice(1).filter((s, i) => s !== steps[i]).length;
}

/** The exposures that at least half of the groups hold, longest first. */
function usualLadder(groups: readonly (readonly FrameFacts[])[]): number[] {
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
 * a new bracket starts whenever an exposure comes that the current one already holds, or that the camera's usual order puts earlier. Missing or surplus rungs and pauses
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
  return describeGroups(splitByOrder(order(frames)));
}

/**
 * Brackets, ladder and doubts of groups that are already made: by `groupBrackets`, or by hand on the sheet. Missing or surplus rungs, repeated
 * exposures and pauses are named. @throws RangeError for no groups
 */
export function describeGroups<F extends FrameFacts>(groups: readonly (readonly F[])[]): Grouping<F> {
  if (groups.length === 0) throw new RangeError('there are no frames to group');
  const ladder = usualLadder(groups);
  const steps = groups.flatMap((g) => g.slice(1).map((f, i) => pauseMs(g[i], f)));
  const usualPause = median(steps.filter((s) => s !== null) as number[]);
  const brackets = groups.map((group) => {
    const sorted = [...group].sort((a, b) => b.exposure - a.exposure);
    const notes: string[] = [];
    sorted.slice(1).forEach((f, i) => {
      if (sameRung(f.exposure, sorted[i].exposure)) notes.push(`${f.name} repeats an exposure that this view has already`);
    });
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
