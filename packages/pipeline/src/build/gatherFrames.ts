import { describeGroups, groupBrackets, type Attitude, type Grouping } from '@tawny/core';
import { FileProblem } from '@tawny/formats';
import { mapLimited, type RunControl } from '../progress';
import { readSourceFrame, type SourceFrame } from './frames';
import type { Rig } from './rig';

/** The frames of a round, before any pixel is merged. */
export interface RoundFrames {
  /** Frames on disk; `attitude` is where the camera looked when somebody else than the file knows. */
  files: { path: string; name: string; attitude?: Attitude | null }[];
  rig: Rig;
  /** Paths by view when somebody sorted them; left out, the frames' own metadata decide. */
  views?: string[][];
}

export interface GatheredFrames {
  frames: SourceFrame[];
  grouping: Grouping<SourceFrame>;
  warnings: string[];
}

/** Reads all heads and sorts the frames into views. @throws FileProblem or RangeError naming the file */
export async function gatherFrames(input: RoundFrames, control: RunControl): Promise<GatheredFrames> {
  const { frames, warnings } = await readFrames(input, control);
  const grouping = input.views
    ? describeGroups(
        input.views.map((paths) => frames.filter((f) => paths.includes(f.path))).filter((g) => g.length > 0),
      )
    : groupBrackets(frames);
  return { frames, grouping, warnings };
}

/** Heads of all frames; those that cannot be read are named and left out. @throws the first problem when none can be read, FileProblem for frames of another camera */
async function readFrames(
  input: RoundFrames,
  control: RunControl,
): Promise<{ frames: SourceFrame[]; warnings: string[] }> {
  const problems: FileProblem[] = [];
  const read = await mapLimited(input.files, 4, control, (f) =>
    readSourceFrame(f.path, f.name, input.rig).catch((error: unknown) => {
      if (!(error instanceof FileProblem)) throw error;
      problems.push(error);
      return null;
    }),
  );
  const frames = read.filter((f) => f !== null);
  if (frames.length === 0) throw problems[0] ?? new RangeError('there are no frames to build from');
  const models = frames.map((f) => f.metadata.cameraModel).filter(Boolean);
  // The camera of most frames is the round's.
  const model = [...models].sort(
    (a, b) => models.filter((m) => m === b).length - models.filter((m) => m === a).length,
  )[0];
  const stranger = frames.find((f) => f.metadata.cameraModel && f.metadata.cameraModel !== model);
  if (stranger)
    throw new FileProblem(
      'unsupported',
      stranger.name,
      `comes from a ${stranger.metadata.cameraModel}, other frames from a ${model}: a round is shot with one camera`,
    );
  return {
    frames,
    warnings: [...new Set([...problems.map((p) => `left out: ${p.message}`), ...frames.flatMap((f) => f.notes)])],
  };
}
