import { median } from '../estimate/robust';
import { RELATIVE_VARIANCE } from '../merge/uncertainty';
import type { Quaternion } from '../orient/quaternion';
import type { Vec3 } from '../sphere/direction';
import { projector, type FitState } from './overlaps';
import type { View } from './view';

/** Share of a pixel's noise that is left in a look: smoothed by (1 2 1) both ways and read between pixels, on average over where between. */
const LEFT_BY_LOOK = 1 / 3;

/**
 * How far the looks of two views at one place differ by the noise of their pixels alone (natural logarithm, one sigma, the middle one of all places that
 * two views see), as the views state it, each pixel's by itself. 0 where they state none.
 * @param factor pixels that a plane's pixel was made from, along one side
 */
export function overlapNoise(
  views: readonly View[],
  attitudes: readonly Quaternion[],
  state: FitState,
  directions: readonly Vec3[],
  factor: number,
): number {
  const projectors = views.map((v, i) => projector(v.lens, attitudes[i], state));
  const both: number[] = [];
  const variances: number[] = [];
  for (const d of directions) {
    variances.length = 0;
    views.forEach(({ uncertainty, image }, v) => {
      if (!uncertainty || !projectors[v].run(...d)) return;
      const [x, y] = [Math.floor(projectors[v].out[0]), Math.floor(projectors[v].out[1])];
      if (x < 0 || y < 0 || x >= image.width || y >= image.height) return;
      const variance = RELATIVE_VARIANCE[uncertainty[y * image.width + x]];
      if (variance > 0) variances.push(variance);
    });
    for (let i = 1; i < variances.length; i++)
      for (let j = 0; j < i; j++) both.push(Math.sqrt(variances[i] + variances[j]));
  }
  return both.length === 0 ? 0 : (LEFT_BY_LOOK * median(both)) / factor;
}
