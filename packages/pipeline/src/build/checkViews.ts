import {
  compareLooks,
  repeatedViews,
  withinCells,
  LIMITS,
  NOTABLE_CLIPPED_SR,
  SUN_SOLID_ANGLE,
  type Bracket,
} from '@tawny/core';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import type { CheckViewOutput, IdleFrames } from './checkView';
import type { SourceFrame } from './frames';
import { gatherFrames, type RoundFrames } from './gatherFrames';
import { steadied } from './steadied';

/** What a view turned out to be while one could still shoot it again. */
export interface CheckedView {
  /** Paths of its frames, longest exposure first. */
  paths: string[];
  verdict: 'good' | 'doubtful' | 'again';
  /** What is wrong with it and what to do, in words. */
  findings: string[];
  clippedSr: number;
  starvedShare: number;
  movedShare: number;
  shakePx: number;
  idle: IdleFrames;
}

interface Finding {
  again: boolean;
  words: string;
}

interface Seen {
  bracket: Bracket<SourceFrame>;
  facts: CheckViewOutput;
  others: readonly Bracket<SourceFrame>[];
  /** How many stops each frame is brighter than it should be, see `frameDepartures`. */
  departures: readonly (number | null)[];
  /** Which view before it shows the same, by index. */
  repeats: number | null;
}

const yes = (again: boolean, words: string): Finding[] => [{ again, words }];
const percent = (share: number) => `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`;

/** Each rule looks at a view and says what it finds. */
const RULES: readonly ((seen: Seen) => Finding[])[] = [
  ({ bracket }) => bracket.notes.map((words) => ({ again: true, words })),
  ({ facts }) =>
    facts.starvedFraction > 0.998
      ? yes(true, 'is black: lens cap, or far too short')
      : facts.clippedFraction > 0.998
        ? yes(true, 'is white all over: even the shortest frame is clipped')
        : [],
  ({ facts }) =>
    facts.clippedSr > NOTABLE_CLIPPED_SR && facts.clippedFraction <= 0.998
      ? yes(
          false,
          `is cut off over ${facts.clippedSr.toExponential(1)} sr (${(facts.clippedSr / SUN_SOLID_ANGLE).toFixed(1)} × the sun's disc) even in its shortest frame: add shorter frames, or ND`,
        )
      : [],
  ({ facts }) =>
    facts.darkShare > LIMITS.dark.good && facts.starvedFraction <= 0.998
      ? yes(false, `is noise only over ${percent(facts.darkShare)} even in its longest frame: add longer frames`)
      : [],
  ({ facts }) =>
    facts.movedFraction > LIMITS.movedInView.lost!
      ? yes(true, `moved over ${percent(facts.movedFraction)} between its frames`)
      : facts.movedFraction > LIMITS.movedInView.good
        ? yes(false, `moved over ${percent(facts.movedFraction)}: taken from single frames when built`)
        : [],
  ({ facts, bracket }) => {
    const share = facts.shakePx / Math.max(bracket.frames[0].width, bracket.frames[0].height);
    return facts.shakePx < LIMITS.shake.good
      ? []
      : yes(
          share > 0.01,
          `was bumped: its frames are shifted by up to ${facts.shakePx.toFixed(1)} px${share > 0.01 ? '' : ', brought together when built'}`,
        );
  },
  ({ bracket, others }) =>
    changed(
      'aperture',
      bracket,
      others,
      (f) => f.metadata.fNumber,
      (v) => `f/${v}`,
    ),
  ({ bracket, others }) => changed('ISO', bracket, others, (f) => f.metadata.iso, String),
  ({ bracket, others }) =>
    changed(
      'focal length',
      bracket,
      others,
      (f) => f.metadata.focalLengthMm,
      (v) => `${v} mm`,
    ),
  ({ bracket, others }) =>
    changed(
      'white balance',
      bracket,
      others,
      (f) => f.metadata.asShotNeutral?.[0] ?? null,
      (v) => v.toFixed(3),
    ).map((f) => ({ ...f, again: false })),
  ({ bracket, departures }) =>
    bracket.frames.flatMap((f, i) => {
      const off = departures[i];
      return off !== null && Math.abs(off) > LIMITS.unsteady.good
        ? yes(
            false,
            `${f.name} is ${Math.abs(off).toFixed(2)} stop ${off > 0 ? 'brighter' : 'darker'} against its neighbours than in the other views: flicker, a cloud, or an exposure that was not held`,
          )
        : [];
    }),
  ({ bracket, departures }) =>
    bracket.frames.slice(1).flatMap((f, i) => {
      if (departures[i + 1] !== null) return [];
      const before = bracket.frames[i];
      const seen = f.look && before.look && f.exposure > 0 ? compareLooks(f.look, before.look) : null;
      const off = seen ? seen.stops - Math.log2(f.exposure / before.exposure) : 0;
      return seen?.sameView && Math.abs(off) > LIMITS.unsteadyAlone.good + withinCells(seen.spread, seen.cells)
        ? yes(
            false,
            `${f.name} is ${Math.abs(off).toFixed(1)} stop ${off > 0 ? 'brighter' : 'darker'} against ${before.name} than its exposure says: flicker, a cloud, or an exposure that was not held`,
          )
        : [];
    }),
  ({ repeats }) => (repeats === null ? [] : yes(true, `shows what view ${repeats + 1} shows: was the rig turned?`)),
];

/** A setting that is not what most frames of the round have. */
function changed(
  what: string,
  bracket: Bracket<SourceFrame>,
  all: readonly Bracket<SourceFrame>[],
  of: (f: SourceFrame) => number | null,
  text: (v: number) => string,
): Finding[] {
  const values = all.flatMap((b) => b.frames.map(of)).filter((v) => v !== null);
  const usual = [...new Set(values)].sort(
    (a, b) => values.filter((v) => v === b).length - values.filter((v) => v === a).length,
  )[0];
  const odd = bracket.frames.find((f) => of(f) !== null && of(f) !== usual);
  return odd ? yes(true, `${odd.name} has another ${what} (${text(of(odd)!)}) than the round (${text(usual)})`) : [];
}

/**
 * Looks at every bracket of a round as it stands: range, clipping in solid angle, noise, changed settings, motion, bumps, flicker, a view shot twice. Frames are only read.
 * @throws FileProblem or RangeError naming the file
 */
export async function checkViews(input: RoundFrames, control: RunControl = {}): Promise<CheckedView[]> {
  const { grouping } = await gatherFrames(input, control);
  const { brackets } = grouping;
  const { factors, departures } = await steadied(brackets, control);
  let finished = 0;
  const facts = await mapLimited(brackets, THREADS, control, async (bracket, i) => {
    const { width, height } = bracket.frames[0];
    const seen = await runInThread(
      'checkView',
      {
        frames: bracket.frames.map(({ path, name, exposure }, f) => ({
          path,
          name,
          exposure: exposure * factors[i][f],
        })),
        width,
        height,
        rig: input.rig,
        curve: bracket.frames[0].curve,
      },
      control,
    );
    finished++;
    control.onProgress?.({
      stage: `Checked view ${finished} of ${brackets.length}`,
      fraction: finished / brackets.length,
    });
    return seen;
  });
  const repeats = repeatedViews(facts.map((f) => f.detail));
  return brackets.map((bracket, i) =>
    judge({ bracket, others: brackets, facts: facts[i], departures: departures[i], repeats: repeats[i] }),
  );
}

function judge(seen: Seen): CheckedView {
  const findings = RULES.flatMap((rule) => rule(seen));
  const { facts } = seen;
  return {
    paths: seen.bracket.frames.map((f) => f.path),
    verdict: findings.some((f) => f.again) ? 'again' : findings.length > 0 ? 'doubtful' : 'good',
    findings: findings.map((f) => f.words),
    clippedSr: facts.clippedSr,
    starvedShare: facts.darkShare,
    movedShare: facts.movedFraction,
    shakePx: facts.shakePx,
    idle: facts.idle,
  };
}
