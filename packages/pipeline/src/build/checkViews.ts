import { commonDetail, repeatedViews, showTheSame, LIMITS, type Bracket } from '@tawny/core';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import type { CheckViewOutput, IdleFrames } from './checkView';
import type { SourceFrame } from './frames';
import { gatherFrames, type RoundFrames } from './gatherFrames';
import { steadied } from './steadied';
import { findingsOf, type Seen, type Stranger } from './viewFindings';

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
  const strangers = strangersOf(brackets, facts);
  // A view that holds frames of another shows a part of each; of one that lost its shadows only what is bright is left, which may be alike on two sides of a place.
  const telling = facts.map((f, i) => strangers[i].length === 0 && f.darkShare <= LIMITS.dark.good);
  const repeats = repeatedViews(facts.map(({ detail }, i) => (telling[i] ? detail : detail.map(() => NaN))));
  const allMoved = facts.length > 2 && facts.every((f) => f.movedFraction > LIMITS.movedInView.lost);
  return brackets.map((bracket, i) =>
    judge({
      ...{ bracket, others: brackets, facts: facts[i], allMoved },
      ...{ departures: departures[i], repeats: repeats[i], strangers: strangers[i] },
    }),
  );
}

/** Frames of each view that show another view and nothing of their own, where its frames differ. */
function strangersOf(brackets: readonly Bracket<SourceFrame>[], facts: readonly CheckViewOutput[]): Stranger[][] {
  const common = commonDetail(facts.map((f) => f.detail));
  return facts.map(({ frameDetails }, i) => {
    const frames = frameDetails ?? [];
    return frames.flatMap((detail, f) => {
      if (frames.some((own, k) => k !== f && showTheSame(detail, own, common))) return [];
      const view = facts.findIndex((other, v) => v !== i && showTheSame(detail, other.detail, common));
      return view >= 0 ? [{ name: brackets[i].frames[f].name, view }] : [];
    });
  });
}

function judge(seen: Seen): CheckedView {
  const findings = findingsOf(seen);
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
