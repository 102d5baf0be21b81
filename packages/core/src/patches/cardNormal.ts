import { CIRCLE_95 } from '../estimate/confidence';
import { arcDeg, cross, DEG, dot, normalize, type Vec3 } from '../sphere/direction';

/** Across the card, pixels of the picture: below, its corners do not tell how it leans. */
export const LEAST_SPAN_PX = 150;
/** One sigma of a corner that was set under a magnifier, pixels. */
const CORNER_PX = 0.5;
/** A normal that is known no better says nothing. */
const MOST_DEG = 30;

export interface CardNormal {
  /** Where the card faces: a unit vector of the corners' frame, towards the eye. */
  normal: Vec3;
  /** Radius of its 95 % region, degrees. */
  uncertaintyDeg: number;
}

/** Normal of a rectangle by the directions of its corners: opposite sides are parallel, so their planes through the eye meet along them. */
function normalOf([a, b, c, d]: readonly Vec3[]): Vec3 | null {
  const across = cross(cross(a, b), cross(d, c));
  const down = cross(cross(b, c), cross(a, d));
  const plane = cross(across, down);
  const length = Math.hypot(...plane);
  if (!(length > 0)) return null;
  const towardsEye = dot(plane, a) < 0 ? 1 / length : -1 / length;
  return [plane[0] * towardsEye, plane[1] * towardsEye, plane[2] * towardsEye];
}

/**
 * Where a rectangular card faces, from the directions of its four corners; how well, by moving each of them by what a hand leaves.
 * @param corners unit vectors in their order round the card
 * @param pixelDeg a pixel of the picture there, degrees
 * @returns null where it spans fewer than `LEAST_SPAN_PX` or its corners tell no better than 30 degrees
 */
export function cardNormal(corners: readonly [Vec3, Vec3, Vec3, Vec3], pixelDeg: number): CardNormal | null {
  const spans = corners.map((c, k) => arcDeg(c, corners[(k + 1) % 4]) / pixelDeg);
  if (Math.min(spans[0] + spans[2], spans[1] + spans[3]) / 2 < LEAST_SPAN_PX) return null;
  const normal = normalOf(corners);
  if (!normal) return null;
  const step = CORNER_PX * pixelDeg * DEG;
  const moves = corners.flatMap((c, k) => {
    const side = normalize(cross(c, Math.abs(c[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0]));
    return [side, cross(c, side)].map((way) =>
      normalOf(corners.map((o, i) => (i === k ? normalize([o[0] + step * way[0], o[1] + step * way[1], o[2] + step * way[2]]) : o))),
    );
  }); // prettier-ignore
  const variance = moves.reduce((sum, n) => sum + (n ? (arcDeg(n, normal) * DEG) ** 2 : Infinity), 0);
  // Two ways to lean share it.
  const uncertaintyDeg = (CIRCLE_95 * Math.sqrt(variance / 2)) / DEG;
  return uncertaintyDeg <= MOST_DEG ? { normal, uncertaintyDeg } : null;
}
