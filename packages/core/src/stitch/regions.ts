import { unprojectPixel } from '../optics/lens';
import { toMatrix } from '../orient/quaternion';
import { dot, type Vec3 } from '../sphere/direction';
import type { View } from './view';

/** A part of the sphere that is taken whole from one view: never a seam through the sun. */
export interface WholeRegion {
  direction: Vec3;
  radiusDeg: number;
  view: number;
}

/**
 * The brightest spot over all views as a region to be taken whole: the direction of the highest luminance and the view
 * that sees it nearest its axis. None when the brightest spot is below 200 times the mean (nothing like a sun).
 */
export function brightestRegion(views: readonly View[], radiusDeg = 2): WholeRegion[] {
  let best = { value: 0, direction: [0, 1, 0] as Vec3 };
  let sum = 0;
  let count = 0;
  for (const view of views) {
    const { width, height, data } = view.image;
    const m = toMatrix(view.attitude);
    const block = 4;
    for (let y = 0; y + block <= height; y += block) {
      for (let x = 0; x + block <= width; x += block) {
        let value = 0;
        for (let j = 0; j < block; j++) {
          for (let i = 0; i < block; i++) value += data[3 * ((y + j) * width + x + i) + 1];
        }
        value /= block * block;
        sum += value;
        count++;
        if (value <= best.value) continue;
        const d = unprojectPixel(view.lens, x + block / 2, y + block / 2);
        if (!d) continue;
        best = {
          value,
          direction: [
            m[0] * d[0] + m[1] * d[1] + m[2] * d[2],
            m[3] * d[0] + m[4] * d[1] + m[5] * d[2],
            m[6] * d[0] + m[7] * d[1] + m[8] * d[2],
          ],
        };
      }
    }
  }
  if (count === 0 || best.value < (200 * sum) / count) return [];
  const axisCos = views.map((view) => {
    const m = toMatrix(view.attitude);
    return dot(best.direction, [-m[2], -m[5], -m[8]]);
  });
  return [{ direction: best.direction, radiusDeg, view: axisCos.indexOf(Math.max(...axisCos)) }];
}
