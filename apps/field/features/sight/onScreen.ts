import type { Vec3 } from '@tawny/core';
import { projectToPlate } from '@tawny/core/camera/plateCamera';
import { conjugate, rotate } from '@tawny/core/orient/quaternion';
import type { SightView } from './sightMath';

/** Pieces that a line is drawn in, so that what lies behind the camera is left out and a lens bends the rest. */
const PIECES = 12;
/** Drawn no farther beside the picture than this many times its size. */
const BESIDE = 1.5;

/** Where a point before the camera stands in the picture on the screen; null behind it or far beside. */
export function placeOnScreen(view: SightView, width: number, height: number, point: Vec3) {
  const at = projectToPlate(view.optics, rotate(conjugate(view.attitude), point));
  if (!at) return null;
  const [x, y] = [(at.xPx * width) / view.widthPx, (at.yPx * height) / view.heightPx];
  return Math.abs(x / width - 0.5) < BESIDE && Math.abs(y / height - 0.5) < BESIDE ? { x, y } : null;
}

/** A line through points of the world as the picture shows it. */
export function pathOnScreen(view: SightView, width: number, height: number, points: readonly Vec3[]): string {
  const words: string[] = [];
  let pen = false;
  for (let k = 0; k + 1 < points.length; k++)
    for (let j = 0; j <= PIECES; j++) {
      const t = j / PIECES;
      const between = [0, 1, 2].map((i) => points[k][i] + t * (points[k + 1][i] - points[k][i]));
      const at = placeOnScreen(view, width, height, between as unknown as Vec3);
      if (at) words.push(`${pen ? 'L' : 'M'}${at.x.toFixed(1)},${at.y.toFixed(1)}`);
      pen = at !== null;
    }
  return words.join(' ');
}
