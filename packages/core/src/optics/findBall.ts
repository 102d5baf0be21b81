import { luminance } from '../colour/primaries';
import type { RgbImage } from '../image/image';
import { smooth } from '../image/smooth';
import type { BallOutline } from './mirrorBall';

/** The picture is looked at with about this many pixels on its long side. */
const SIDE = 360;
/** A ball takes between these shares of the picture's shorter side as its diameter. */
const SMALLEST = 0.2;
const LARGEST = 0.95;
/** Share of an outline's directions that must show an edge. */
const LEAST_ROUND = 0.55;
const DIRECTIONS = 180;
const BESIDE = 7;

interface Edges {
  width: number;
  height: number;
  /** Gradient of the logarithm of luminance. */
  gx: Float32Array;
  gy: Float32Array;
  strength: Float32Array;
}

function edgesOf(picture: RgbImage, step: number): Edges {
  const width = Math.floor(picture.width / step);
  const height = Math.floor(picture.height / step);
  const log = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let v = 0; v < step; v++)
        for (let u = 0; u < step; u++) {
          const i = 3 * ((y * step + v) * picture.width + x * step + u);
          sum += luminance(picture.data[i], picture.data[i + 1], picture.data[i + 2], picture.space);
        }
      log[y * width + x] = Math.log(Math.max(1e-6, sum / (step * step)));
    }
  }
  // Smoothed: the direction of a stepped edge's gradient would err by ten degrees.
  for (let pass = 0; pass < 2; pass++) smooth(log, width, height);
  const [gx, gy, strength] = [0, 1, 2].map(() => new Float32Array(width * height));
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      gx[i] = (log[i + 1] - log[i - 1]) / 2;
      gy[i] = (log[i + width] - log[i - width]) / 2;
      strength[i] = Math.min(1, Math.hypot(gx[i], gy[i]));
    }
  }
  return { width, height, gx, gy, strength };
}

/** How well a circle follows edges that stand across it: mean over directions of the best edge within a pixel. */
function roundness(
  { width, height, gx, gy }: Edges,
  cx: number,
  cy: number,
  r: number,
  reach: number,
): { mean: number; share: number } {
  let [sum, found] = [0, 0];
  for (let k = 0; k < DIRECTIONS; k++) {
    const [c, s] = [Math.cos((2 * Math.PI * k) / DIRECTIONS), Math.sin((2 * Math.PI * k) / DIRECTIONS)];
    let best = 0;
    for (let d = -reach; d <= reach; d += 0.5) {
      const [x, y] = [Math.round(cx + (r + d) * c), Math.round(cy + (r + d) * s)];
      if (x < 1 || y < 1 || x >= width - 1 || y >= height - 1) continue;
      best = Math.max(best, Math.abs(gx[y * width + x] * c + gy[y * width + x] * s));
    }
    sum += Math.min(0.5, best);
    if (best > 0.05) found++;
  }
  return { mean: sum / DIRECTIONS, share: found / DIRECTIONS };
}

/** The highest places of a plane, no two of them close together. */
function peaks(plane: Float32Array, width: number, most: number): number[] {
  const chosen: number[] = [];
  for (const i of Array.from(plane.keys()).sort((a, b) => plane[b] - plane[a])) {
    const [x, y] = [i % width, Math.floor(i / width)];
    if (chosen.every((c) => Math.hypot((c % width) - x, Math.floor(c / width) - y) > 3)) chosen.push(i);
    if (chosen.length === most) break;
  }
  return chosen;
}

/**
 * Outlines a ball in a picture: strong edges vote along their gradient for centres (Hough), the best centres are tried with every radius, and the winner is refined to a fraction of a
 * pixel of the reduced picture. A person should look: `share` tells how much of the outline shows an edge.
 * @param picture linear, upright
 * @throws RangeError when nothing in it is round enough
 */
export function findBall(picture: RgbImage): BallOutline & { share: number } {
  const step = Math.max(1, Math.round(Math.max(picture.width, picture.height) / SIDE));
  const edges = edgesOf(picture, step);
  const { width, height, gx, gy, strength } = edges;
  const short = Math.min(width, height);
  const [least, most] = [(SMALLEST * short) / 2, (LARGEST * short) / 2];
  const votes = new Float32Array(width * height);
  const sorted = Float32Array.from(strength).sort();
  const strong = Math.max(0.04, sorted[Math.floor(0.9 * sorted.length)]);
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      if (strength[i] < strong) continue;
      const n = Math.hypot(gx[i], gy[i]);
      for (const sign of [-1, 1]) {
        for (let r = least; r <= most; r++) {
          const [u, v] = [Math.round(x + (sign * r * gx[i]) / n), Math.round(y + (sign * r * gy[i]) / n)];
          if (u >= 0 && v >= 0 && u < width && v < height) votes[v * width + u] += 1 / r;
        }
      }
    }
  }
  for (let pass = 0; pass < 2; pass++) smooth(votes, width, height);
  const centres = peaks(votes, width, 40);
  let best = { cx: 0, cy: 0, r: 0, score: -1, share: 0 };
  const attempt = (cx: number, cy: number, r: number, reach: number) => {
    if (cx - r < -1 || cy - r < -1 || cx + r > width + 1 || cy + r > height + 1) return;
    const { mean, share } = roundness(edges, cx, cy, r, reach);
    if (mean * share <= best.score) return;
    // A busy picture has edges everywhere: an outline has more than the circles just inside and outside of it.
    const beside =
      (roundness(edges, cx, cy, r - BESIDE, reach).mean + roundness(edges, cx, cy, r + BESIDE, reach).mean) / 2;
    const score = (mean - beside) * share;
    if (score > best.score) best = { cx, cy, r, score, share };
  };
  for (const c of centres) for (let r = least; r <= most; r++) attempt(c % width, Math.floor(c / width), r, 2);
  for (const size of [2, 1, 0.5, 0.25]) {
    best.score = -1;
    const { cx, cy, r } = best;
    for (let dx = -2; dx <= 2; dx++)
      for (let dy = -2; dy <= 2; dy++)
        for (let dr = -2; dr <= 2; dr++) attempt(cx + dx * size, cy + dy * size, r + dr * size, 0.5);
  }
  if (best.share < LEAST_ROUND) throw new RangeError('no ball stands out in the picture: state its outline');
  return {
    centreX: (best.cx + 0.5) * step,
    centreY: (best.cy + 0.5) * step,
    radiusPx: best.r * step,
    share: best.share,
  };
}
