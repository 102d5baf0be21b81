import { describeGroups, groupBrackets, lensFromFov, type FrameFacts } from '@tawny/core';
import type { Frame, GroupingResult, RigStatement } from '@tawny/contract';

interface GroupedFrame extends FrameFacts {
  frame: Frame;
}

/** Frames by view as somebody sorted them; frames that came later stand in a view of their own at the end. */
export function manualGroups<F extends { id: string }>(
  frames: readonly F[],
  manualViews: readonly (readonly string[])[],
): F[][] {
  const byId = new Map(frames.map((f) => [f.id, f]));
  const groups = manualViews.map((ids) => ids.flatMap((id) => byId.get(id) ?? []));
  const sorted = new Set(manualViews.flat());
  const late = frames.filter((f) => !sorted.has(f.id));
  return [...groups, late].filter((g) => g.length > 0);
}

/** How many pixels around the horizon frames of this size show through the rig's lens. */
function detailPx({ widthPx, heightPx }: Frame, rig: RigStatement): number | null {
  try {
    const across = rig.fovAcross ?? (rig.projection === 'rectilinear' ? 'longSide' : 'circle');
    const { focalPx } = lensFromFov(rig.projection, rig.fovDeg, { width: widthPx, height: heightPx }, across);
    return Math.round(2 * Math.PI * focalPx);
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

/** Sorts a round's frames into views and says in words what does not fit. */
export function groupFrames(
  frames: readonly Frame[],
  rig: RigStatement,
  manualViews: readonly (readonly string[])[] | null = null,
): GroupingResult {
  if (frames.length === 0) return { views: [], ladderEv: [], detailPx: null, certain: false, notes: [] };
  const facts: GroupedFrame[] = frames.map((frame) => ({
    frame,
    name: frame.name,
    takenAtMs: frame.takenAt === null ? null : new Date(frame.takenAt).getTime(),
    exposure: frame.exposure,
    width: frame.widthPx,
    height: frame.heightPx,
    look: frame.look,
    attitude:
      frame.headingDeg === null || frame.tiltDeg === null
        ? null
        : { headingDeg: frame.headingDeg, tiltDeg: frame.tiltDeg },
  }));
  const grouping = manualViews
    ? describeGroups(
        manualGroups(
          facts.map((f) => ({ ...f, id: f.frame.id })),
          manualViews,
        ),
      )
    : groupBrackets(facts);
  const notes: string[] = [];
  if (grouping.exposuresFrom === 'pictures')
    notes.push(
      'Some file does not tell its exposure time: views and exposures are taken from the pictures. Look whether every view is whole',
    );
  if (grouping.brackets.length !== rig.views) {
    notes.push(
      `The frames form ${grouping.brackets.length} views, the rig states ${rig.views}: frames are missing or too many, or the number of views is wrong`,
    );
  }
  if (grouping.ladder.length === 1)
    notes.push('A single exposure per view: good for reflections, no measured highlights');
  return {
    views: grouping.brackets.map((b) => ({
      frames: b.frames.map(({ frame, exposure }) => ({
        id: frame.id,
        name: frame.name,
        exposure,
        shutterS: frame.shutterS,
        bits: frame.bits,
      })),
      notes: b.notes,
    })),
    ladderEv: grouping.ladder.map((x) => -Math.log2(x)),
    detailPx: detailPx(frames[0], rig),
    certain: grouping.certain && notes.length === 0,
    notes,
  };
}
