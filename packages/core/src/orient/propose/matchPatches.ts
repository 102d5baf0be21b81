import type { Plane } from './localContrast';

/** The same thing in two pictures of one size, pixels. */
export interface PatchMatch {
  x: number;
  y: number;
  /** Where it lies in the other picture. */
  u: number;
  v: number;
  score: number;
}

/** Half a patch, pixels. */
const HALF = 6;
/** Cells across a picture: the best corner of each is looked for. */
const CELLS = 14;
/** Corners as steep both ways as this share of the steepest. */
const LEAST_CORNER = 0.02;
/** A patch is found when it correlates so much, and this much better than anywhere else within reach. */
const LEAST_SCORE = 0.75;
const CLEARER = 0.06;
/** Another place, pixels. */
const ELSEWHERE_PX = 4;

interface Patch {
  values: Float32Array;
  norm: number;
}

/** A patch less its mean; null where a part of it is not known, or it is even. */
function patchAt({ width, height, data }: Plane, x: number, y: number): Patch | null {
  if (x < HALF || y < HALF || x >= width - HALF || y >= height - HALF) return null;
  const side = 2 * HALF + 1;
  const values = new Float32Array(side * side);
  let sum = 0;
  for (let j = -HALF; j <= HALF; j++)
    for (let i = -HALF; i <= HALF; i++) {
      const v = data[(y + j) * width + x + i];
      values[(j + HALF) * side + i + HALF] = v;
      sum += v;
    }
  const mean = sum / values.length;
  let squares = 0;
  for (let k = 0; k < values.length; k++) {
    values[k] -= mean;
    squares += values[k] * values[k];
  }
  return squares > 1e-6 ? { values, norm: Math.sqrt(squares) } : null;
}

function correlation(a: Patch, b: Patch): number {
  let sum = 0;
  for (let k = 0; k < a.values.length; k++) sum += a.values[k] * b.values[k];
  return sum / (a.norm * b.norm);
}

/** The best corner of every cell (Shi and Tomasi 1994: the lesser eigenvalue of the gradients' sums). */
function corners({ width, height, data }: Plane): { x: number; y: number }[] {
  const cell = Math.max(2 * HALF, Math.round(width / CELLS));
  const best = new Map<number, { x: number; y: number; strength: number }>();
  const across = Math.ceil(width / cell);
  for (let y = HALF + 1; y < height - HALF - 1; y++)
    for (let x = HALF + 1; x < width - HALF - 1; x++) {
      let [xx, xy, yy] = [0, 0, 0];
      for (let j = -2; j <= 2; j++)
        for (let i = -2; i <= 2; i++) {
          const o = (y + j) * width + x + i;
          const gx = data[o + 1] - data[o - 1];
          const gy = data[o + width] - data[o - width];
          xx += gx * gx;
          xy += gx * gy;
          yy += gy * gy;
        }
      const strength = (xx + yy - Math.sqrt((xx - yy) ** 2 + 4 * xy * xy)) / 2;
      const at = Math.floor(y / cell) * across + Math.floor(x / cell);
      if (strength > (best.get(at)?.strength ?? 0)) best.set(at, { x, y, strength });
    }
  const found = [...best.values()];
  const most = found.reduce((m, c) => Math.max(m, c.strength), 0);
  return found.filter((c) => c.strength > LEAST_CORNER * most);
}

/** The place within reach where a patch correlates best, to a part of a pixel; null where none does, or two do. */
function find(
  patch: Patch,
  other: Plane,
  x: number,
  y: number,
  reach: number,
): { u: number; v: number; score: number } | null {
  const size = 2 * reach + 1;
  const scores = new Float32Array(size * size).fill(-1);
  let best = 0;
  for (let j = -reach; j <= reach; j++)
    for (let i = -reach; i <= reach; i++) {
      const there = patchAt(other, x + i, y + j);
      if (!there) continue;
      const k = (j + reach) * size + i + reach;
      scores[k] = correlation(patch, there);
      if (scores[k] > scores[best]) best = k;
    }
  if (!(scores[best] > LEAST_SCORE)) return null;
  const [bi, bj] = [best % size, Math.floor(best / size)];
  // At the rim it may be better still outside.
  if (bi === 0 || bj === 0 || bi === size - 1 || bj === size - 1) return null;
  for (let k = 0; k < scores.length; k++) {
    const away = Math.max(Math.abs((k % size) - bi), Math.abs(Math.floor(k / size) - bj));
    if (away >= ELSEWHERE_PX && scores[k] > scores[best] - CLEARER) return null;
  }
  const vertex = (a: number, b: number, c: number) => (a + c - 2 * b < 0 ? (a - c) / (2 * (a + c - 2 * b)) : 0);
  return {
    u: x + bi - reach + vertex(scores[best - 1], scores[best], scores[best + 1]),
    v: y + bj - reach + vertex(scores[best - size], scores[best], scores[best + size]),
    score: scores[best],
  };
}

/** Corners of one picture found in another by their surroundings, and found back from there. */
export function matchPatches(plate: Plane, other: Plane, reachPx: number): PatchMatch[] {
  const reach = Math.max(2, Math.round(reachPx));
  const out: PatchMatch[] = [];
  for (const { x, y } of corners(plate)) {
    const patch = patchAt(plate, x, y);
    const there = patch && find(patch, other, x, y, reach);
    if (!there) continue;
    const [bx, by] = [Math.round(there.u), Math.round(there.v)];
    const back = patchAt(other, bx, by);
    const home = back && find(back, plate, bx, by, reach);
    if (!home || Math.hypot(home.u - x - (bx - there.u), home.v - y - (by - there.v)) > 1.5) continue;
    out.push({ x: x + 0.5, y: y + 0.5, u: there.u + 0.5, v: there.v + 0.5, score: there.score });
  }
  return out;
}
