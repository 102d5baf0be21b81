import { composeRows, type View, type WholeRegion } from '@tawny/core';

export interface ComposeStripInput {
  views: View[];
  regions: WholeRegion[];
  width: number;
  y0: number;
  y1: number;
  /** Shared memory of these rows. */
  rgb: Float32Array;
  mask: Uint8Array;
  uncertainty: Uint8Array;
}

/** Fills rows of a panorama. */
export function composeStripTask({ views, regions, ...strip }: ComposeStripInput): void {
  composeRows(views, regions, strip);
}
