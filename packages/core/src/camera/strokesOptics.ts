import { normalize, type Vec3 } from '../sphere/direction';
import { undistort, type Distortion } from './distortion';

/** A picture, its gate and what is known of its lens. */
export interface OpticsInput {
  widthPx: number;
  heightPx: number;
  gateWidthMm: number;
  gateHeightMm: number;
  squeeze: number;
  /** Exactly known; null: it is asked for. */
  focalLengthMm: number | null;
  /** A measured lens: it gives focal length, centre and distortion. */
  lens: {
    focalXPx: number;
    focalYPx: number;
    centreXPx: number;
    centreYPx: number;
    distortion: Distortion | null;
  } | null;
}

/** The lens as strokes are looked at through it. */
export interface Optics {
  /** Null while the focal length is asked for. */
  focalYPx: number | null;
  /** Horizontal over vertical focal length in pixels. */
  ratio: number;
  centreX: number;
  centreY: number;
  /** Pixels that a log focal length of 0 means. */
  focalUnit: number;
  distortion: Distortion | null;
}

export function opticsOf(input: OpticsInput): Optics {
  const { widthPx, heightPx, gateWidthMm, gateHeightMm, squeeze, lens, focalLengthMm } = input;
  if (lens)
    return {
      focalYPx: lens.focalYPx,
      ratio: lens.focalXPx / lens.focalYPx,
      centreX: lens.centreXPx,
      centreY: lens.centreYPx,
      focalUnit: widthPx,
      distortion: lens.distortion,
    };
  return {
    focalYPx: focalLengthMm === null ? null : (focalLengthMm * heightPx) / gateHeightMm,
    ratio: ((widthPx / (squeeze * gateWidthMm)) * gateHeightMm) / heightPx,
    centreX: widthPx / 2,
    centreY: heightPx / 2,
    focalUnit: widthPx,
    distortion: null,
  };
}

/** Unit direction in the camera's frame of a pixel, at a focal length by its log; null where the lens sends no ray. */
export function rayAt(optics: Optics, logFocal: number, xPx: number, yPx: number): Vec3 | null {
  const focal = Math.exp(logFocal) * optics.focalUnit;
  const seen: [number, number] = [(xPx - optics.centreX) / (focal * optics.ratio), (yPx - optics.centreY) / focal];
  const ideal = optics.distortion ? undistort(optics.distortion, ...seen) : seen;
  return ideal && normalize([ideal[0], -ideal[1], -1]);
}
