import type { RgbImage } from '../image/image';
import type { Lens } from '../optics/lens';
import type { Quaternion } from '../orient/quaternion';

/** Natural logarithm of relative illumination as `a2 t^2 + a4 t^4 + a6 t^6`, t in radians from the axis. */
export type Vignetting = readonly [number, number, number];

/** One merged view with everything needed to place it on the sphere. */
export interface View {
  readonly image: RgbImage;
  /** 1 where no frame holds the light; one byte a pixel. */
  readonly clipped: Uint8Array;
  readonly lens: Lens;
  /** Camera-to-panorama rotation. */
  readonly attitude: Quaternion;
  /** Natural logarithm of this view's gain against the round's mean. */
  readonly logGain: number;
  readonly vignetting: Vignetting;
}

export function logVignetting(v: Vignetting, theta: number): number {
  const t = theta * theta;
  return t * (v[0] + t * (v[1] + t * v[2]));
}
