import type { Vec3 } from '@tawny/core';
import type { Sky } from './sky';

/** A place to stand: metres from the location's origin. */
export interface SetPoint {
  eastM: number;
  upM: number;
  northM: number;
}

/** What a ray sees: radiance per channel in cd/m2 (linear Rec. 709) and what it hit. */
export interface Scene {
  readonly name: string;
  readonly sky: Sky;
  /** Writes the radiance seen along a unit direction, without the sun's disc, and returns the id of what was hit; `spread` is the ray's width in radians. */
  trace(origin: Vec3, dx: number, dy: number, dz: number, spread: number, out: Float64Array): number;
  /** How far a ray goes from a point until it meets something; Infinity in the sky. */
  distance(origin: Vec3, dx: number, dy: number, dz: number): number;
  /** Share of the sun's disc visible from a point, [0, 1]. */
  sunVisibility(point: Vec3): number;
  /** Named things that people mark: centre and size in metres. */
  readonly landmarks: Landmarks;
}

export interface Landmarks {
  greyCard: {
    centre: SetPoint;
    widthM: number;
    heightM: number;
    facingDeg: number;
    /** Elevation of its normal: above 0 its upper edge leans away. */
    leanDeg: number;
    reflectance: number;
  };
}

/** How somebody set the card up, against how it stands straight, degrees. */
export interface CardLean {
  turnDeg: number;
  leanDeg: number;
}

export function toWorld(p: SetPoint): Vec3 {
  return [p.eastM, p.upM, -p.northM];
}
