import type { RgbImage } from '../image/image';
import type { Lens } from '../optics/lens';
import type { Quaternion } from '../orient/quaternion';

/** Natural logarithm of relative illumination as `a2 t^2 + a4 t^4 + a6 t^6`, t in radians from the axis. */
export type Vignetting = readonly [number, number, number];

/** Smooth map over the panorama (latitude-longitude, width twice the height), four numbers a cell: factors for R, G and B, and how much the view counts (0 to 1). */
export interface BlendMap {
  readonly width: number;
  readonly height: number;
  readonly data: Float32Array;
}

/** One merged view with everything needed to place it on the sphere. */
export interface View {
  readonly image: RgbImage;
  /** 1 where no frame holds the light; one byte a pixel. */
  readonly clipped: Uint8Array;
  /** Relative standard uncertainty of every pixel, see `encodeUncertainty`. */
  readonly uncertainty?: Uint8Array;
  readonly lens: Lens;
  /** Camera-to-panorama rotation. */
  readonly attitude: Quaternion;
  /** Natural logarithm of this view's gain against the round's mean. */
  readonly logGain: number;
  readonly vignetting: Vignetting;
  /** 1 where one frame of the bracket stands alone because others contradicted it; one byte a pixel. */
  readonly moved?: Uint8Array;
  /** How this view gives way to the others, see `matchViews`. */
  readonly blend?: BlendMap;
  /** Entrance pupil ahead of the rotation axis as a share of the axis's height above the ground; 0 when left out. */
  readonly pupilShare?: number;
}

/**
 * Where a view whose pupil sits ahead of the rotation axis must look to see what the axis sees in a direction: level ground is near below the
 * horizon (its distance in heights is 1 / sin of the depression), everything else counts as far. Writes an unnormalised direction.
 */
export function throughPupil(
  share: number,
  forward: readonly [number, number, number],
  dx: number,
  dy: number,
  dz: number,
  out: Float64Array,
): void {
  const near = dy < 0 ? -dy * share : 0;
  out[0] = dx - near * forward[0];
  out[1] = dy - near * forward[1];
  out[2] = dz - near * forward[2];
}

export function logVignetting(v: Vignetting, theta: number): number {
  const t = theta * theta;
  return t * (v[0] + t * (v[1] + t * v[2]));
}
