import type { RgbImage } from '../image/image';
import { halfWidth95 } from '../estimate/confidence';
import { lensRadius, radiusOfAngle, type Lens, type Projection } from '../optics/lens';
import type { Quaternion } from '../orient/quaternion';

/** Natural logarithm of relative illumination as `a2 t^2 + a4 t^4 + a6 t^6`, t in radians from the axis. */
export type Vignetting = readonly [number, number, number];

/** How well a falloff is known: covariance of its three terms, row by row. */
export type FalloffCovariance = readonly number[];

/** How well a lens's mapping is known: covariance of its focal scale and the two terms of its polynomial, row by row. */
export type LensCovariance = readonly number[];

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
  /** Left out: the falloff was not fitted, and nothing is stated of it. */
  readonly falloffCovariance?: FalloffCovariance;
  /** Left out: the lens was not fitted, and nothing is stated of where it puts things. */
  readonly lensCovariance?: LensCovariance;
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

/**
 * Relative illumination that a projection alone makes of a pupil that every direction sees alike: the sphere's area over the picture's (sin theta / theta of
 * equidistant lenses), times cos theta of the flat pupil of rectilinear ones, which makes cos^4. Logarithm, first three terms. Orthographic lenses would
 * brighten without end: they are built not to, and have none. How far lenses depart from it is `FALLOFF_SIGMA`.
 */
export function naturalFalloff(projection: Projection): Vignetting {
  switch (projection) {
    case 'equidistant':
      return [-1 / 6, -1 / 180, -1 / 2835];
    case 'stereographic':
      return [-1 / 2, -1 / 48, -1 / 720];
    case 'rectilinear':
      return [-2, -1 / 3, -4 / 45];
    case 'equisolid':
    case 'orthographic':
    case 'latlong':
      return [0, 0, 0];
  }
}

/** One-sigma departure of real lenses from their natural falloff in each of the three terms: 0.7 stop at 90 degrees off the axis by the first, 0.3 stop more by its shape. */
export const FALLOFF_SIGMA: Vignetting = [0.2, 0.03, 0.006];

/** Mean of the terms over the half of the sphere that a view of two shows: what a scale common to all of it takes up. */
const MEAN_TERMS = [0, 1, 2].map((k) => {
  const steps = 200;
  const angles = Array.from({ length: steps }, (_, i) => ((i + 0.5) / steps) * (Math.PI / 2));
  const weight = angles.reduce((s, t) => s + Math.sin(t), 0);
  return angles.reduce((s, t) => s + Math.sin(t) * t ** (2 * k + 2), 0) / weight;
});

/** One-sigma distance, in pixels of the picture, by which an unsure lens puts a thing at an angle (radians) off its axis too far out or in. */
export function placementSigma(covariance: LensCovariance, lens: Lens, theta: number): number {
  const t = theta * theta;
  return lens.focalPx * radiusOfAngle(lens.projection, theta) * rootOfForm(covariance, [1, t, t * t]);
}

/** Up to this angle off its axis a view of two is alone. */
const ALONE = Math.PI / 2;

/** 95 % half width in degrees of where a thing stands for which a view is alone, at the angle off its axis where that is known worst. */
export function placementDeg(covariance: LensCovariance, lens: Lens): number {
  const widest = Math.min(ALONE, lens.maxTheta);
  const h = 1e-4;
  const worst = Array.from({ length: 45 }, (_, k) => ((k + 1) / 46) * widest).map((theta) => {
    const slope = (lens.focalPx * (lensRadius(lens, theta + h) - lensRadius(lens, theta - h))) / (2 * h);
    return placementSigma(covariance, lens, theta) / slope;
  });
  return (halfWidth95(Math.max(...worst)) * 180) / Math.PI;
}

/** Root of a quadratic form of three terms. */
function rootOfForm(covariance: readonly number[], g: readonly number[]): number {
  let variance = 0;
  for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) variance += g[i] * g[j] * covariance[3 * i + j];
  return Math.sqrt(Math.max(0, variance));
}

/** One-sigma relative error that an unsure falloff leaves at an angle (radians) from the axis, against the mean of a half sphere. */
export function falloffSigma(
  covariance: FalloffCovariance,
  theta: number,
  against: readonly number[] = MEAN_TERMS,
): number {
  const t = theta * theta;
  return rootOfForm(covariance, [t - against[0], t * t - against[1], t * t * t - against[2]]);
}

/** 95 % half width in stops of what a view shows at a right angle to its axis against its middle. */
export const falloffStops = (covariance: FalloffCovariance): number =>
  halfWidth95(falloffSigma(covariance, Math.PI / 2, [0, 0, 0])) / Math.LN2;

export function logVignetting(v: Vignetting, theta: number): number {
  const t = theta * theta;
  return t * (v[0] + t * (v[1] + t * v[2]));
}
