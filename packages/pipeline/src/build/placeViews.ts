import {
  detectImageCircle,
  lensFromFov,
  multiply,
  quaternionFromAttitude,
  type Attitude,
  type Lens,
  type Quaternion,
  type RgbImage,
} from '@tawny/core';
import { greenPlane } from './mergeView';
import type { Rig } from './rig';

const BORDER_THRESHOLD = 0.01;

/** Brackets that a rig's views make: with two circles in a frame one bracket is two views. */
export function bracketsOf(rig: Rig): number {
  return rig.twoCircles ? rig.views / 2 : rig.views;
}

/** Where the rig's words put a view: rows one after the other, equal heading steps in each; a one-shot panorama keeps its own columns. */
export function nominalAttitude(rig: Rig, index: number): Attitude {
  if (rig.projection === 'latlong') return { headingDeg: 180, tiltDeg: 0, rollDeg: 0 };
  let first = 0;
  for (const row of rig.rows ?? [{ tiltDeg: rig.tiltDeg ?? 0, views: rig.views }]) {
    if (index < first + row.views)
      return {
        headingDeg: ((rig.anticlockwise ? -360 : 360) / row.views) * (index - first),
        tiltDeg: row.tiltDeg,
        rollDeg: 0,
      };
    first += row.views;
  }
  throw new RangeError(`the rig has no view ${index + 1}`);
}

/**
 * Attitudes to start from: what the frames say of where they looked, turned so that the first view looks at azimuth 0 (its tilt and roll stay); the rig's words where any
 * of them is silent.
 */
export function startingAttitudes(rig: Rig, stated: readonly (Attitude | null)[]): Quaternion[] {
  if (stated.length === 0 || stated.some((a) => a === null) || rig.projection === 'latlong')
    return stated.map((_, i) => quaternionFromAttitude(nominalAttitude(rig, i)));
  const back = quaternionFromAttitude({ headingDeg: -stated[0]!.headingDeg, tiltDeg: 0, rollDeg: 0 });
  return stated.map((a) => multiply(back, quaternionFromAttitude(a!)));
}

/** The lens or, with two circles side by side in a frame, the lenses of a merged bracket. */
export function lensesOf(rig: Rig, image: RgbImage, log: (line: string) => void): Lens[] {
  const lenses = bareLenses(rig, image, log);
  return rig.learned ? lenses.map((l) => ({ ...l, poly: rig.learned!.poly })) : lenses;
}

function bareLenses(rig: Rig, image: RgbImage, log: (line: string) => void): Lens[] {
  if (!rig.twoCircles) return [lensOf(rig, image, log)];
  const half = Math.floor(image.width / 2);
  return [0, 1].map((side) => {
    const part = halfOf(image, side * half, half);
    const circle =
      detectImageCircle(part, half, image.height, BORDER_THRESHOLD * middleLevel(part, half, image.height)) ??
      Math.min(half, image.height);
    log(`circle ${side + 1}: ${circle.toFixed(0)} px across, the ${rig.fovDeg} degrees span it`);
    const lens = lensFromFov(rig.projection, rig.fovDeg, { width: half, height: image.height }, 'circle', circle);
    return { ...lens, width: image.width, centreX: side * half + half / 2 };
  });
}

function halfOf(image: RgbImage, x0: number, width: number): Float32Array {
  const out = new Float32Array(width * image.height);
  for (let y = 0; y < image.height; y++)
    for (let x = 0; x < width; x++) out[y * width + x] = image.data[3 * (y * image.width + x0 + x) + 1];
  return out;
}

function lensOf(rig: Rig, image: RgbImage, log: (line: string) => void): Lens {
  const size = { width: image.width, height: image.height };
  if (rig.projection === 'latlong') {
    if (image.width !== 2 * image.height) {
      throw new RangeError(
        `the frames are ${image.width} x ${image.height} pixels: a latitude-longitude frame is twice as wide as high`,
      );
    }
    return lensFromFov('latlong', 360, size);
  }
  if (rig.fovAcross && rig.fovAcross !== 'circle') return lensFromFov(rig.projection, rig.fovDeg, size, rig.fovAcross);
  const plane = greenPlane(image);
  const circle =
    rig.projection === 'rectilinear'
      ? null
      : detectImageCircle(
          plane,
          image.width,
          image.height,
          BORDER_THRESHOLD * middleLevel(plane, image.width, image.height),
        );
  if (circle !== null) {
    log(`image circle of ${circle.toFixed(0)} px found: the ${rig.fovDeg} degrees span it`);
    return lensFromFov(rig.projection, rig.fovDeg, size, 'circle', circle);
  }
  log(`no image circle inside the frames: the ${rig.fovDeg} degrees span the long side`);
  return lensFromFov(rig.projection, rig.fovDeg, size, 'longSide');
}

/** Geometric mean brightness of the middle of the picture. */
function middleLevel(plane: Float32Array, width: number, height: number): number {
  let sum = 0;
  let n = 0;
  for (let y = Math.floor(height / 4); y < (3 * height) / 4; y += 4) {
    for (let x = Math.floor(width / 4); x < (3 * width) / 4; x += 4) {
      const v = plane[y * width + x];
      if (v > 0) {
        sum += Math.log(v);
        n++;
      }
    }
  }
  return n > 0 ? Math.exp(sum / n) : 0;
}
