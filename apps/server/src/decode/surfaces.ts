import type { SurfaceKind } from '@tawny/contract';
import {
  gainFromBall,
  gainFromPlane,
  inSpace,
  lightOnThings,
  measureCard,
  resampleLatlong,
  type LightPlace,
  type PlatePinhole,
  type Point,
  type WorkingSpace,
} from '@tawny/core';
import { panoramaLight, pixelsIn, plateLight, type PanoramaFiles, type PlateFile } from './patches';

/** What a surface in a plate is, and what is known of it and of its camera. */
export interface SurfaceInPlate {
  kind: SurfaceKind;
  /** Shares of width and height; of a ball, a box that touches it all round. */
  corners: readonly Point[];
  reflectance: { value: number; uncertaintyStops: number };
  camera: PlatePinhole;
  place: LightPlace;
}

/** Gain by a surface that only the plate shows; headings in the panorama's own frame, null of what tells none. */
export interface GainBySurface {
  gainStops: number;
  uncertaintyStops: number;
  headingDeg: number | null;
  spreadStops: number | null;
  litOtherwise: boolean;
}

/** As wide is a panorama large enough for what is asked of it here. */
const LIGHT_PX = 1024;

/** Measures a surface in a plate under the light of a panorama. @throws FileProblem naming the file, RangeError on a mark that cannot be measured */
export async function measureSurface(
  plate: PlateFile,
  panorama: PanoramaFiles,
  { kind, corners, reflectance, camera, place }: SurfaceInPlate,
  space: WorkingSpace,
): Promise<GainBySurface> {
  const { image: own, clipped } = await plateLight(plate);
  const image = inSpace(own, space);
  const seen = await panoramaLight(panorama);
  const light = lightOnThings(seen.width > LIGHT_PX ? resampleLatlong(seen, LIGHT_PX) : seen);
  const inPixels = pixelsIn(image, corners);
  if (kind === 'greyBall' || kind === 'chromeBall') {
    const [xs, ys] = [inPixels.map((c) => c[0]), inPixels.map((c) => c[1])];
    const [left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
    const outline = {
      centreX: (left + right) / 2,
      centreY: (top + bottom) / 2,
      radiusPx: (right - left + bottom - top) / 4,
    };
    const of = kind === 'greyBall' ? 'grey' : 'chrome';
    return gainFromBall(image, outline, camera, of, reflectance, light, place, clipped);
  }
  const patch = measureCard(image, inPixels, 'plate', { clipped });
  return {
    ...gainFromPlane(patch, reflectance, kind, light, place),
    headingDeg: null,
    spreadStops: null,
    litOtherwise: false,
  };
}
