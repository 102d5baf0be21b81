import { latlongRays, renderRows, toWorld, type SetPoint } from '@tawny/simset';
import { createScene, type SetSpec } from './set';
import type { PlateCamera } from '@tawny/core';
import { plateRays } from './plateView';

export interface RenderStripInput {
  spec: SetSpec;
  origin: SetPoint;
  width: number;
  height: number;
  /** A plate's camera; left out for a panorama. */
  plate?: PlateCamera;
  y0: number;
  y1: number;
  /** The whole picture's shared floats. */
  pixels: Float32Array;
}

/** Renders rows of the set into the shared picture. */
export function renderStripTask(input: RenderStripInput): void {
  const { width, height, y0, y1, plate } = input;
  renderRows(
    {
      scene: createScene(input.spec),
      origin: toWorld(input.origin),
      width,
      height,
      ray: plate ? plateRays(plate) : latlongRays(width, height),
      pixelAngle: plate ? 1 / Math.max(plate.focalXPx, plate.focalYPx) : (2 * Math.PI) / width,
    },
    y0,
    y1,
    input.pixels.subarray(3 * y0 * width, 3 * y1 * width),
  );
}
