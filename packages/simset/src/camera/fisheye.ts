import {
  arcDeg,
  DEG,
  rotate,
  toMatrix,
  conjugate,
  unprojectPixel,
  projectDirection,
  type Lens,
  type Quaternion,
  type RgbImage,
} from '@tawny/core';
import type { SunDisc } from '../render/sunDisc';

/** Relative illumination of the simulated lens at an angle (radians): off the family that the builder fits. */
export function simulatedVignetting(theta: number): number {
  return 0.25 + 0.75 * Math.pow(Math.cos(Math.min(theta, 1.7) * 0.62), 3);
}

/**
 * What a lens lays on its sensor: radiance (cd/m2) times vignetting, averaged on a 2 x 2 grid a pixel where the set is finer, rows [y0, y1).
 * @param set the set as seen from the station, north-aligned, without the sun's disc
 * @param attitude camera to world
 */
export function projectSet(
  set: RgbImage,
  sun: SunDisc,
  lens: Lens,
  attitude: Quaternion,
  y0: number,
  y1: number,
  out: Float32Array,
): void {
  const m = toMatrix(attitude);
  const { width: W, height: H, data } = set;
  // One bilinear sample is an average already where the set is no finer than the frame.
  const grid = W > 1.1 * 2 * Math.PI * lens.focalPx ? 2 : 1;
  const inCamera = rotate(conjugate(attitude), sun.direction);
  const sunAt = projectDirection(lens, inCamera);
  const reach = sunAt ? 2.5 + 1.6 * lens.focalPx * sun.radius : 0;
  for (let y = y0; y < y1; y++) {
    for (let x = 0; x < lens.width; x++) {
      const o = 3 * ((y - y0) * lens.width + x);
      let r = 0;
      let g = 0;
      let b = 0;
      for (let v = 0; v < grid; v++) {
        for (let u = 0; u < grid; u++) {
          const d = unprojectPixel(lens, x + (u + 0.5) / grid, y + (v + 0.5) / grid);
          if (!d) continue;
          const dx = m[0] * d[0] + m[1] * d[1] + m[2] * d[2];
          const dy = m[3] * d[0] + m[4] * d[1] + m[5] * d[2];
          const dz = m[6] * d[0] + m[7] * d[1] + m[8] * d[2];
          let fx = (Math.atan2(dx, -dz) / (2 * Math.PI)) * W - 0.5;
          if (fx < 0) fx += W;
          const fy = (0.5 - Math.asin(dy < -1 ? -1 : dy > 1 ? 1 : dy) / Math.PI) * H - 0.5;
          const xa = Math.floor(fx);
          const ya = Math.floor(fy);
          const tx = fx - xa;
          const ty = fy - ya;
          const x0 = xa >= W ? xa - W : xa;
          const x1 = x0 + 1 >= W ? 0 : x0 + 1;
          const r0 = ya < 0 ? 0 : ya;
          const r1 = ya + 1 >= H ? H - 1 : ya + 1;
          const aa = 3 * (r0 * W + x0);
          const ab = 3 * (r0 * W + x1);
          const ba = 3 * (r1 * W + x0);
          const bb = 3 * (r1 * W + x1);
          const k = simulatedVignetting(Math.acos(d[2] < -1 ? 1 : -d[2]));
          const waa = k * (1 - tx) * (1 - ty);
          const wab = k * tx * (1 - ty);
          const wba = k * (1 - tx) * ty;
          const wbb = k * tx * ty;
          r += waa * data[aa] + wab * data[ab] + wba * data[ba] + wbb * data[bb];
          g += waa * data[aa + 1] + wab * data[ab + 1] + wba * data[ba + 1] + wbb * data[bb + 1];
          b += waa * data[aa + 2] + wab * data[ab + 2] + wba * data[ba + 2] + wbb * data[bb + 2];
        }
      }
      const n = grid * grid;
      out[o] = r / n;
      out[o + 1] = g / n;
      out[o + 2] = b / n;
      if (sunAt && Math.abs(x + 0.5 - sunAt.x) < reach && Math.abs(y + 0.5 - sunAt.y) < reach) {
        addDisc(out, o, x, y, lens, inCamera, sun);
      }
    }
  }
}

function addDisc(
  out: Float32Array,
  o: number,
  x: number,
  y: number,
  lens: Lens,
  direction: readonly [number, number, number],
  sun: SunDisc,
): void {
  const GRID = 8;
  let inside = 0;
  for (let v = 0; v < GRID; v++) {
    for (let u = 0; u < GRID; u++) {
      const d = unprojectPixel(lens, x + (u + 0.5) / GRID, y + (v + 0.5) / GRID);
      if (d && arcDeg(d, direction) * DEG <= sun.radius) inside++;
    }
  }
  const k = (inside / (GRID * GRID)) * simulatedVignetting(Math.acos(Math.min(1, -direction[2])));
  for (let c = 0; c < 3; c++) out[o + c] += k * sun.radiance[c];
}
