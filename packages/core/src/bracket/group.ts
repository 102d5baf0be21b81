import { median } from '../estimate/robust';
import { arcDeg, directionFromAngles } from '../sphere/direction';
import { signed } from '../text/signed';
import { compareLooks, LOOK_SIDE, type FrameLook } from './look';

/** What grouping needs to know of a frame. */
export interface FrameFacts {
  name: string;
  /** Milliseconds since the epoch on the camera's clock, sub-seconds included; null when the file has none. */
  takenAtMs: number | null;
  /** Photometric exposure X (CONVENTIONS.md section 3); 0 when the file does not say. */
  exposure: number;
  width: number;
  height: number;
  /** Where the camera looked, when the file or a sensor says so. */
  attitude?: { headingDeg: number; tiltDeg: number } | null;
  /** The frame at a glance; left out when nobody looked. */
  look?: FrameLook | null;
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
  /** Where the exposures come from: the files, or (relative ones) the pictures because some file does not say. */
  exposuresFrom: 'files' | 'pictures';
}

/** Exposures closer than this (stops) are the same rung of a ladder. */
const SAME_RUNG = 0.25;

const sameRung = (a: number, b: number) => Math.abs(Math.log2(a / b)) < SAME_RUNG;

const collator = new Intl.Collator('en', { numeric: true });

function order<F extends FrameFacts>(frames: readonly F[]): F[] {
  const timed = frames.every((f) => f.takenAtMs !== null);
  return [...frames].sort((a, b) => (timed ? a.takenAtMs! - b.takenAtMs! : 0) || collator.compare(a.name, b.name));
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
    const split = cut(
      frames,
      (current, f) => repeats(current, f) || (place(f) >= 0 && current.some((g) => place(g) > place(f))),
    );
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
 * inside a bracket are named, never mended in silence. Where frames were looked at, their pictures must agree with that; where files do not tell their exposure, the
 * pictures alone decide, which is never called certain.
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
  const ordered = order(frames);
  const grouping = describeGroups(
    ordered.every((f) => f.attitude)
      ? splitByAttitude(ordered)
      : ordered.every((f) => f.exposure > 0)
        ? splitByOrder(ordered)
        : splitByLooks(ordered),
  );
  const backwards = clockAgainstNumbers(ordered);
  for (const f of backwards)
    grouping.brackets
      .find((b) => b.frames.some((g) => g.name === f.name))!
      .notes.push(`the camera's clock and its file numbers disagree at ${f.name}: does it belong to this view?`);
  return backwards.length > 0 ? { ...grouping, certain: false } : grouping;
}

/** Frames of one view look the same way within this; views of a round lie much farther apart. */
const SAME_LOOK_DEG = 3;

/** Where every frame tells where it looked, a new view begins with a new direction. */
function splitByAttitude<F extends FrameFacts>(frames: readonly F[]): F[][] {
  const direction = (f: F) => directionFromAngles(f.attitude!.headingDeg, f.attitude!.tiltDeg);
  return cut(frames, (current, next) => arcDeg(direction(current[0]), direction(next)) > SAME_LOOK_DEG);
}

/**
 * Frames at which the file numbers run back although the clock runs on: a clock that was set during the round mixes views. Numbers that start again once, as they do after
 * 9999, are no sign; nor are names of several patterns.
 */
function clockAgainstNumbers<F extends FrameFacts>(ordered: readonly F[]): F[] {
  const pattern = (f: F) => f.name.replace(/\d+/g, '#');
  if (ordered.some((f) => f.takenAtMs === null || pattern(f) !== pattern(ordered[0]))) return [];
  const back = ordered.filter((f, i) => i > 0 && collator.compare(f.name, ordered[i - 1].name) < 0);
  const startsAgain = back.length === 1 && collator.compare(ordered[ordered.length - 1].name, ordered[0].name) < 0;
  return startsAgain ? [] : back;
}

/**
 * Frames whose files do not tell their exposure, cut by what they show: a new view begins where the picture is another one, or where an exposure comes again.
 * @throws RangeError naming the frame when nobody looked at it
 */
function splitByLooks<F extends FrameFacts>(frames: readonly F[]): F[][] {
  const blind = frames.find((f) => !f.look);
  if (blind)
    throw new RangeError(
      `${blind.name} does not tell its exposure and its picture was not looked at: it cannot be sorted`,
    );
  return cut(frames, (current, next) => {
    const seen = current.map((f) => compareLooks(f.look!, next.look!)).filter((c) => c !== null);
    // Nothing in common with any: steps of a bracket are small, so a leap from light to dark or back is the next one's beginning.
    if (seen.length === 0)
      return Math.abs(Math.log2(levelOf(next) / levelOf(current[current.length - 1]))) > LEAP_STOPS;
    const nearest = seen.reduce((a, b) => (Math.abs(b.stops) < Math.abs(a.stops) ? b : a));
    return !nearest.sameView || Math.abs(nearest.stops) < SAME_RUNG;
  });
}

/**
 * Relative exposures within each group from what its frames show: neighbours are chained by the ratio of the light that both hold; groups are set against each other so
 * that their longest exposures fit the fullest group's ladder. Frames come back with those exposures (1 is the longest of the fullest group).
 */
function exposuresFromLooks<F extends FrameFacts>(groups: readonly (readonly F[])[]): F[][] {
  const relative = groups.map((group) => {
    const stops = [0];
    for (let i = 1; i < group.length; i++) {
      // The nearest earlier frame that shares light: the chain may have to step over one.
      let found: number | null = null;
      for (let j = i - 1; j >= 0 && found === null; j--) {
        const c = group[i].look && group[j].look ? compareLooks(group[i].look!, group[j].look!) : null;
        if (c) found = stops[j] + c.stops;
      }
      // Nothing in common with any: it lies beyond, on the side that its mean level tells.
      stops.push(found ?? stops[i - 1] + Math.sign(meanLevel(group[i]) - meanLevel(group[i - 1])) * 3);
    }
    const longest = Math.max(...stops);
    return stops.map((s) => s - longest);
  });
  const fullest = relative.reduce((a, b) => (b.length > a.length ? b : a));
  return groups.map((group, g) => {
    // A group whose longest frame is lost begins at a later rung of the fullest ladder: the shift that lets most rungs coincide, the least one among equals.
    const shifts = [...fullest].sort((a, b) => b - a);
    const misfit = (shift: number) =>
      relative[g].reduce((sum, s) => sum + Math.min(1, ...fullest.map((r) => Math.abs(s + shift - r))), 0);
    const shift = shifts.reduce((best, s) => (misfit(s) < misfit(best) - 1e-6 ? s : best), 0);
    return group.map((f, i) => ({ ...f, exposure: 2 ** (relative[g][i] + shift) }));
  });
}

/** Brackets step by less than this. */
const LEAP_STOPS = 4;
/** Mean level that is never nothing: a black frame is a deep step, not an infinite one. */
const levelOf = (f: FrameFacts) => Math.max(1e-6, meanLevel(f) / LOOK_SIDE ** 2);

const meanLevel = (f: FrameFacts) => (f.look ?? []).reduce((s, v) => s + v, 0);

/** A few cells at the edge of what both frames hold say nothing against either. */
const ACCUSING_CELLS = 32;
/** Tags may differ from the pictures by this much (stops) before somebody has to look. */
const LIE_STOPS = 1;

/** What the pictures of a view say against its metadata: another view, or another exposure than stated. */
function contradictions(group: readonly FrameFacts[]): string[] {
  const notes: string[] = [];
  group.slice(1).forEach((f, i) => {
    const before = group[i];
    const c = f.look && before.look ? compareLooks(f.look, before.look) : null;
    if (!c) return;
    if (!c.sameView) {
      if (c.cells < ACCUSING_CELLS) return;
      notes.push(`${f.name} does not show what ${before.name} shows: does it belong to this view?`);
    } else {
      const stated = Math.log2(f.exposure / before.exposure);
      if (Math.abs(c.stops - stated) > LIE_STOPS)
        notes.push(
          `${f.name} says ${signed(stated, 1)} stops against ${before.name}, the pictures say ${signed(c.stops, 1)}`,
        );
    }
  });
  return notes;
}

/**
 * Brackets, ladder and doubts of groups that are already made: by `groupBrackets`, or by hand on the sheet. Missing or surplus rungs, repeated
 * exposures and pauses are named. @throws RangeError for no groups
 */
export function describeGroups<F extends FrameFacts>(given: readonly (readonly F[])[]): Grouping<F> {
  if (given.length === 0) throw new RangeError('there are no frames to group');
  const stated = given.every((g) => g.every((f) => f.exposure > 0));
  const groups = stated ? given : exposuresFromLooks(given);
  const ladder = usualLadder(groups);
  const steps = groups.flatMap((g) => g.slice(1).map((f, i) => pauseMs(g[i], f)));
  const usualPause = median(steps.filter((s) => s !== null) as number[]);
  const brackets = groups.map((group) => {
    const sorted = [...group].sort((a, b) => b.exposure - a.exposure);
    const notes: string[] = [];
    sorted.slice(1).forEach((f, i) => {
      if (sameRung(f.exposure, sorted[i].exposure))
        notes.push(`${f.name} repeats an exposure that this view has already`);
    });
    for (const rung of ladder) {
      if (!sorted.some((f) => sameRung(f.exposure, rung))) {
        notes.push(`lacks the frame at ${describeExposure(rung, sorted[0].exposure)}`);
      }
    }
    for (const f of sorted) {
      if (!ladder.some((r) => sameRung(r, f.exposure)))
        notes.push(`${f.name} has an exposure that the other views do not have`);
    }
    group.slice(1).forEach((f, i) => {
      const pause = pauseMs(group[i], f);
      if (pause !== null && pause > 10 * usualPause + 10000) {
        notes.push(`${(pause / 1000).toFixed(0)} s passed before ${f.name}: does it belong to this view?`);
      }
    });
    notes.push(...contradictions(sorted));
    return { frames: sorted, notes };
  });
  return {
    brackets,
    ladder,
    certain: stated && brackets.every((b) => b.notes.length === 0),
    exposuresFrom: stated ? 'files' : 'pictures',
  };
}

function describeExposure(x: number, reference: number): string {
  const stops = Math.log2(x / reference);
  return stops === 0
    ? 'the longest exposure'
    : `${stops > 0 ? '+' : '-'}${Math.abs(stops).toFixed(1)} stops from its longest`;
}

function pauseMs(a: FrameFacts, b: FrameFacts): number | null {
  return a.takenAtMs === null || b.takenAtMs === null ? null : b.takenAtMs - a.takenAtMs;
}
