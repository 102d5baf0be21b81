import { RELATIVE_REC709, type Curve, type RgbImage, type View, type WholeRegion } from '@tawny/core';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import { sharedBytes, sharedFloats } from '../threads/shared';

/** Rows of a strip at least, and pixels: making views ready costs as much as some of their rows. */
const STRIP_ROWS = 64;
const STRIP_PX = 2 ** 18;

/** Merges decoded frames (in shared memory) in bands, one a thread. */
export async function mergeCodes(
  codes: readonly (Uint8Array | Uint16Array)[],
  exposures: readonly number[],
  width: number,
  height: number,
  curve: Curve,
  control: RunControl = {},
): Promise<{ image: RgbImage; clipped: Uint8Array }> {
  const image: RgbImage = { ...RELATIVE_REC709, width, height, data: sharedFloats(width * height * 3) };
  const clipped = sharedBytes(width * height);
  const rows = Math.ceil(height / (THREADS * 2));
  const bands = Array.from({ length: Math.ceil(height / rows) }, (_, i) => i * rows);
  await mapLimited(bands, THREADS, control, (y0) => {
    const y1 = Math.min(height, y0 + rows);
    return runInThread(
      'mergeBand',
      {
        codes: codes.map((c) => c.subarray(3 * y0 * width, 3 * y1 * width)),
        exposures: [...exposures],
        width,
        height: y1 - y0,
        curve,
        pixels: image.data.subarray(3 * y0 * width, 3 * y1 * width),
        clipped: clipped.subarray(y0 * width, y1 * width),
      },
      control,
    );
  });
  return { image, clipped };
}

/**
 * Projects and blends views that stand as they stand, strip by strip.
 * @param rows the first and the one after the last: the others stay empty
 */
export async function composeInThreads(
  views: View[],
  width: number,
  regions: WholeRegion[] = [],
  control: RunControl = {},
  rows: readonly [number, number] = [0, width / 2],
): Promise<{ panorama: RgbImage; mask: Uint8Array; uncertainty: Uint8Array }> {
  const height = width / 2;
  const { space, unit } = views[0].image;
  const panorama: RgbImage = { space, unit, width, height, data: sharedFloats(width * height * 3) };
  const mask = sharedBytes(width * height);
  const uncertainty = sharedBytes(width * height);
  const strips = stripsOf(width, rows);
  let done = 0;
  await mapLimited(strips, THREADS, control, async ({ y0, y1 }) => {
    const part = <T extends Float32Array | Uint8Array>(plane: T, n: number) =>
      plane.subarray(n * y0 * width, n * y1 * width) as T;
    await runInThread(
      'composeStrip',
      {
        views,
        regions,
        width,
        y0,
        y1,
        rgb: part(panorama.data, 3),
        mask: part(mask, 1),
        uncertainty: part(uncertainty, 1),
      },
      control,
    );
    control.onProgress?.({ stage: 'Projecting and blending', fraction: ++done / strips.length });
  });
  return { panorama, mask, uncertainty };
}

export interface ComposedStrip {
  y0: number;
  y1: number;
  rgb: Float32Array;
  mask: Uint8Array;
  uncertainty: Uint8Array;
}

/**
 * The same, handed over strip by strip from the top, so that the panorama is never in memory. As many strips are under way as there are threads; the next
 * ones wait until the consumer has taken theirs.
 */
export async function composeByStrips(
  views: View[],
  width: number,
  regions: WholeRegion[],
  take: (strip: ComposedStrip) => Promise<void>,
  control: RunControl = {},
): Promise<void> {
  const strips = stripsOf(width);
  const compose = async ({ y0, y1 }: { y0: number; y1: number }): Promise<ComposedStrip> => {
    const n = (y1 - y0) * width;
    const strip = { y0, y1, rgb: sharedFloats(3 * n), mask: sharedBytes(n), uncertainty: sharedBytes(n) };
    await runInThread('composeStrip', { views, regions, width, ...strip }, control);
    return strip;
  };
  const started: Promise<ComposedStrip>[] = [];
  try {
    for (let i = 0; i < strips.length; i++) {
      while (started.length < Math.min(strips.length, i + THREADS)) {
        const next = compose(strips[started.length]);
        // Its failure is heard when its turn comes.
        next.catch(() => undefined);
        started.push(next);
      }
      await take(await started[i]);
      started[i] = null as never;
      control.onProgress?.({ stage: 'Writing the full panorama', fraction: (i + 1) / strips.length });
    }
  } finally {
    await Promise.allSettled(started);
  }
}

function stripsOf(width: number, [from, to]: readonly [number, number] = [0, width / 2]): { y0: number; y1: number }[] {
  const rows = Math.max(STRIP_ROWS, Math.ceil(STRIP_PX / width));
  return Array.from({ length: Math.ceil((to - from) / rows) }, (_, i) => ({
    y0: from + i * rows,
    y1: Math.min(to, from + (i + 1) * rows),
  }));
}
