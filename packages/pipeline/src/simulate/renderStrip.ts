import { latlongRays, renderRows, toWorld, type SetPoint } from '@tawny/simset';
import { createScene, type SetSpec } from './set';
import { plateRays, type PlateView } from './plateView';

export interface RenderStripInput {
  spec: SetSpec;
  origin: SetPoint;
  width: number;
  height: number;
  /** A plate camera's view; left out for a panorama. */
  plate?: PlateView;
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
      pixelAngle: plate ? plate.gateWidthMm / plate.focalLengthMm / width : (2 * Math.PI) / width,
    },
    y0,
    y1,
    input.pixels.subarray(3 * y0 * width, 3 * y1 * width),
  );
}
