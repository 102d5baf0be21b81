import {
  toRec709,
  type Decoding,
  RELATIVE_REC709,
  commonSamples,
  repairSamples,
  standingOut,
  type Bracket,
  type RgbImage,
} from '@tawny/core';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import { sharedBytes, sharedFloats } from '../threads/shared';
import { ladderRung, type CameraFacts } from './camera';
import type { SourceFrame } from './frames';
import type { MergedStore } from './mergedStore';
import type { MergeViewOutput } from './mergeView';
import type { Steadied } from './steadied';

/** A bracket as linear light with what is known of every pixel. */
export interface MergedBracket {
  bracket: Bracket<SourceFrame>;
  image: RgbImage;
  clipped: Uint8Array;
  uncertainty: Uint8Array;
  moved: Uint8Array;
  facts: MergeViewOutput;
}

export interface MergeChoices {
  takeOut: boolean | number;
  align: boolean;
  /** Per view and frame, what its light or exposure was over what its file says; null believes the files. */
  factors: Steadied['factors'] | null;
  /** Where finished views are kept until the build is stored; null keeps none. */
  store: MergedStore | null;
}

/** Merges every bracket in threads; leaking photosites, which stand out at the same place of most views, are replaced from around them. */
export async function mergeViews(
  brackets: readonly Bracket<SourceFrame>[],
  ladder: readonly number[],
  camera: CameraFacts,
  choices: MergeChoices,
  control: RunControl,
  onMerged: (done: number) => void,
): Promise<{ views: MergedBracket[]; hotSamples: number }> {
  const { width, height } = brackets[0].frames[0];
  let done = 0;
  const standing: Uint32Array[] = [];
  const views = await mapLimited(brackets, THREADS, control, async (bracket, index): Promise<MergedBracket> => {
    const image: RgbImage = { ...RELATIVE_REC709, width, height, data: sharedFloats(width * height * 3) };
    const planes = {
      pixels: image.data,
      clipped: sharedBytes(width * height),
      uncertainty: sharedBytes(width * height),
      moved: sharedBytes(width * height),
    };
    const input = {
      frames: bracket.frames.map(({ path, name, exposure }, f) => ({
        path,
        name,
        exposure: exposure * camera.exposureFactors[ladderRung(ladder, exposure)] * (choices.factors?.[index][f] ?? 1),
      })),
      width,
      height,
      curve: bracket.frames[0].curve,
      tables: camera.response?.tables,
      takeOut: choices.takeOut,
      align: choices.align,
    };
    const key = choices.store && (await choices.store.key(input));
    let facts = key && (await choices.store!.take(key, planes));
    const taken = Boolean(facts);
    if (!facts) {
      facts = await runInThread('mergeView', { ...input, ...planes }, control);
      if (key) await choices.store!.put(key, planes, facts);
    }
    standing[index] = standingOut(image, planes.uncertainty);
    onMerged(++done);
    const words = [
      `${(100 * facts.clippedFraction).toFixed(3)} % clipped`,
      facts.movedFraction > 0.001 ? `${(100 * facts.movedFraction).toFixed(1)} % moved` : '',
      facts.shakePx > 0 ? `frames shifted by up to ${facts.shakePx.toFixed(1)} px, brought together` : '',
      taken ? 'taken up from the build that broke off' : '',
    ];
    control.onLog?.(`view ${index + 1}: ${bracket.frames.length} frames, ${words.filter(Boolean).join(', ')}`);
    return { bracket, image, clipped: planes.clipped, uncertainty: planes.uncertainty, moved: planes.moved, facts };
  });
  const hot = commonSamples(standing);
  if (hot.length > 0) {
    views.forEach((v) => repairSamples(v.image, hot));
    control.onLog?.(
      `${hot.length} samples stand out at the same place of most views: taken for leaking photosites and filled from around them`,
    );
  }
  await toColours(views, brackets[0].frames[0].primaries, control);
  return { views, hotSamples: hot.length };
}

/** Raw frames hold the sensor's own values, others those of their primaries: merged, they come to Rec. 709 as their files say. */
export async function toColours(
  views: readonly { image: RgbImage }[],
  primaries: Decoding['primaries'],
  control: RunControl,
): Promise<void> {
  const matrix = toRec709(primaries);
  if (!matrix) return;
  await mapLimited(views, THREADS, control, ({ image }) =>
    runInThread('applyMatrix', { pixels: image.data, matrix }, control),
  );
  control.onLog?.('frames brought from their own colours to Rec. 709 as their files state them');
}
