import { compareLooks, withinCells, LIMITS, NOTABLE_CLIPPED_SR, SUN_SOLID_ANGLE, type Bracket } from '@tawny/core';
import type { CheckViewOutput } from './checkView';
import type { SourceFrame } from './frames';

export interface Finding {
  /** Whether it has to be shot again, or is only doubtful. */
  again: boolean;
  words: string;
}

/** What the look at a view found, and what it is held against. */
export interface Seen {
  bracket: Bracket<SourceFrame>;
  facts: CheckViewOutput;
  others: readonly Bracket<SourceFrame>[];
  /** How many stops each frame is brighter than it should be, see `frameDepartures`. */
  departures: readonly (number | null)[];
  /** Which view before it shows the same, by index. */
  repeats: number | null;
  strangers: readonly Stranger[];
  /** Whether every view of several moved between its frames. */
  allMoved: boolean;
}

/** A frame that shows another view, and which, by index. */
export interface Stranger {
  name: string;
  view: number;
}

const yes = (again: boolean, words: string): Finding[] => [{ again, words }];
const percent = (share: number) => `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`;

type Rule = (seen: Seen) => Finding[];

/** Says nothing where a frame of another view is what moved or flickered. */
const ofOneView =
  (rule: Rule): Rule =>
  (seen) =>
    seen.strangers.length > 0 ? [] : rule(seen);

/** What moves everywhere is rather a camera that lifts shadows and holds lights place by place, in every frame otherwise: shot again it is the same again. */
const WORKED_ON = ': does the camera work on its pictures (local contrast, an HDR mode)? Switch that off first';

/** Each rule looks at a view and says what it finds. */
const RULES: readonly Rule[] = [
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
  ofOneView(({ facts, allMoved }) =>
    facts.movedFraction > LIMITS.movedInView.lost
      ? yes(true, `moved over ${percent(facts.movedFraction)} between its frames${allMoved ? WORKED_ON : ''}`)
      : facts.movedFraction > LIMITS.movedInView.good
        ? yes(false, `moved over ${percent(facts.movedFraction)}: taken from single frames when built`)
        : [],
  ),
  ofOneView(({ facts, bracket }) => {
    const share = facts.shakePx / Math.max(bracket.frames[0].width, bracket.frames[0].height);
    return facts.shakePx < LIMITS.shake.good
      ? []
      : yes(
          share > 0.01,
          `was bumped: its frames are shifted by up to ${facts.shakePx.toFixed(1)} px${share > 0.01 ? '' : ', brought together when built'}`,
        );
  }),
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
  ofOneView(({ bracket, departures }) =>
    bracket.frames.flatMap((f, i) => {
      const off = departures[i];
      return off !== null && Math.abs(off) > LIMITS.unsteady.good
        ? yes(
            false,
            `${f.name} is ${Math.abs(off).toFixed(2)} stop ${off > 0 ? 'brighter' : 'darker'} against its neighbours than in the other views: flicker, a cloud, or an exposure that was not held`,
          )
        : [];
    }),
  ),
  ofOneView(({ bracket, departures }) =>
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
  ),
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

/** What is wrong with a view, in words. What else is said of a frame that belongs elsewhere follows from that, and is not said. */
export function findingsOf(seen: Seen): Finding[] {
  const { strangers } = seen;
  return [
    ...strangers.flatMap(({ name, view }) =>
      yes(true, `${name} shows what view ${view + 1} shows: does it belong there?`),
    ),
    ...RULES.flatMap((rule) => rule(seen)).filter(({ words }) => !strangers.some(({ name }) => words.includes(name))),
  ];
}
