import type { Curve, RgbImage, View, WholeRegion } from '@tawny/core';
import { mapLimited, type RunControl } from '../progress';
import { runInThread, THREADS } from '../threads/pool';
import { sharedBytes, sharedFloats } from '../threads/shared';

const STRIP_ROWS = 64;

/** Merges decoded frames (in shared memory) in bands, one a thread. */
export async function mergeCodes(codes: readonly (Uint8Array | Uint16Array)[], exposures: readonly number[], width: number, height: number, curve: Curve, control: RunControl = {}): Promise<{ image: RgbImage; clipped: Uint8Array }> {
  const image: RgbImage = { width, height, data: sharedFloats(width * height * 3) };
  const clipped = sharedBytes(width * height);
  const rows = Math.ceil(height / (THREADS * 2));
  const bands = Array.from({ length: Math.ceil(height / rows) }, (_, i) => i * rows);
  await mapLimited(bands, THREADS, control, (y0) => {
    const y1 = Math.min(height, y0 + rows);
    return runInThread('mergeBand', { codes: codes.map((c) => c.subarray(3 * y0 * width, 3 * y1 * width)), exposures: [...exposures], width, height: y1 - y0, curve, pixels: image.data.subarray(3 * y0 * width, 3 * y1 * width), clipped: clipped.subarray(y0 * width, y1 * width) }, control);
  });
  return { image, clipped };
}

/** Projects and blends views that stand as they stand, strip by strip. */
export async function composeInThreads(views: View[], width: number, regions: WholeRegion[] = [], control: RunControl = {}): Promise<{ panorama: RgbImage; mask: Uint8Array; uncertainty: Uint8Array }> {
  const height = width / 2;
  const panorama: RgbImage = { width, height, data: sharedFloats(width * height * 3) };
  const mask = sharedBytes(width * height);
  const uncertainty = sharedBytes(width * height);
  const strips = Array.from({ length: Math.ceil(height / STRIP_ROWS) }, (_, i) => i * STRIP_ROWS);
  let done = 0;
  await mapLimited(strips, THREADS, control, async (y0) => {
    await runInThread('composeStrip', { views, regions, width, y0, y1: Math.min(height, y0 + STRIP_ROWS), pixels: panorama.data, mask, uncertainty }, control);
    control.onProgress?.({ stage: 'Projecting and blending', fraction: ++done / strips.length });
  });
  return { panorama, mask, uncertainty };
}
