import { composeRows, type View, type WholeRegion } from '@tawny/core';

export interface ComposeStripInput {
  views: View[];
  regions: WholeRegion[];
  width: number;
  y0: number;
  y1: number;
  /** Shared memory of the whole panorama. */
  pixels: Float32Array;
  mask: Uint8Array;
  uncertainty?: Uint8Array;
}

/** Fills rows of the shared panorama. */
export function composeStripTask({ views, regions, width, y0, y1, pixels, mask, uncertainty }: ComposeStripInput): void {
  composeRows(views, regions, {
    y0,
    y1,
    width,
    rgb: pixels.subarray(3 * y0 * width, 3 * y1 * width),
    mask: mask.subarray(y0 * width, y1 * width),
    uncertainty: uncertainty?.subarray(y0 * width, y1 * width),
  });
}
