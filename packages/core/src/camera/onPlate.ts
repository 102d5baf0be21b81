import type { Distortion } from './distortion';
import type { PlateCamera, PlateOptics } from './plateCamera';

/** How a plate's picture lies on its recording format: all of it, all of it on more pixels than it has, brought back to its width, on its side, or a part of it. */
export type PlateFit = 'whole' | 'enlarged' | 'desqueezed' | 'portrait' | 'cropped';

/** A camera on the pixels of one of its plates. */
export interface PlateOnFormat {
  optics: PlateOptics;
  widthPx: number;
  heightPx: number;
  fit: PlateFit;
  /** What of the gate the plate shows, upright. */
  gateWidthMm: number;
  gateHeightMm: number;
  /** How much wider than its pixels the plate is to be shown. */
  squeeze: number;
}

/** Ratios of sides that are the same. */
const SAME_ASPECT = 0.01;

const same = (a: number, b: number) => Math.abs(Math.log(a / b)) < SAME_ASPECT;

/** Distortion of a camera on its side, as far as it is the same in all directions. */
const onItsSide = (d: Distortion | null): Distortion | null => d && [d[0], d[1], 0, 0, d[4]];

/**
 * A camera as one of its plates shows it. The plate's proportions tell whether all of the format is there, squeezed or brought back to its
 * width, or the camera lay on its side; else the middle of the format is meant, of its full width or its full height. A flopped plate is
 * mirrored left to right: its horizontal focal length is negative, so that projecting and unprojecting keep to the world's own left and right.
 * @param plate upright pixels
 */
export function onPlate(
  camera: PlateCamera,
  plate: { widthPx: number; heightPx: number },
  flopped = false,
): PlateOnFormat {
  const { widthPx, heightPx } = plate;
  const [aspect, own] = [widthPx / heightPx, camera.widthPx / camera.heightPx];
  const more = widthPx > camera.widthPx * (1 + SAME_ASPECT);
  const fit: PlateFit = same(aspect, own)
    ? more
      ? 'enlarged'
      : 'whole'
    : camera.squeeze !== 1 && same(aspect, own * camera.squeeze)
      ? 'desqueezed'
      : same(aspect, 1 / own)
        ? 'portrait'
        : 'cropped';
  const turned = fit === 'portrait';
  const from = turned
    ? { w: camera.heightPx, h: camera.widthPx, fx: camera.focalYPx, fy: camera.focalXPx, gw: camera.gateHeightMm, gh: camera.gateWidthMm } // prettier-ignore
    : { w: camera.widthPx, h: camera.heightPx, fx: camera.focalXPx, fy: camera.focalYPx, gw: camera.gateWidthMm, gh: camera.gateHeightMm }; // prettier-ignore
  // A part is as large as fits: of its full width when it is wider, of its full height when it is narrower.
  const part = Math.min(from.w / widthPx, from.h / heightPx);
  const [sx, sy] = fit === 'cropped' ? [1 / part, 1 / part] : [widthPx / from.w, heightPx / from.h];
  const [focalXPx, focalYPx] = [from.fx * sx, from.fy * sy];
  return {
    optics: {
      focalXPx: flopped ? -focalXPx : focalXPx,
      focalYPx,
      centreXPx: widthPx / 2,
      centreYPx: heightPx / 2,
      distortion: turned ? onItsSide(camera.distortion) : camera.distortion,
    },
    widthPx,
    heightPx,
    fit,
    gateWidthMm: (from.gw * widthPx) / (from.w * sx),
    gateHeightMm: (from.gh * heightPx) / (from.h * sy),
    squeeze: focalYPx / focalXPx,
  };
}
