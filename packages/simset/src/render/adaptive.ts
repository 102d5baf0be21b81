import type { Vec3 } from '@tawny/core';
import type { Scene } from '../scene/scene';

/** Writes the unit direction through continuous picture coordinates. */
export type RayMap = (x: number, y: number, out: Float64Array) => void;

export interface RenderJob {
  scene: Scene;
  origin: Vec3;
  width: number;
  height: number;
  ray: RayMap;
  /** Angular width of a pixel, radians. */
  pixelAngle: number;
}

/** Sub-samples a side where neighbouring pixels see different things. */
const GRID = 3;
/** Neighbours that differ by more than this share are averaged over the grid. */
const CONTRAST = 0.1;

/**
 * Radiance of rows [y0, y1), averaged over each pixel: one ray where the neighbourhood is even, a 3 x 3 grid where
 * what is hit or its brightness changes. The sun's disc is not in it. Fills interleaved RGB, (y1 - y0) * width * 3.
 */
export function renderRows(job: RenderJob, y0: number, y1: number, out: Float32Array): void {
  const { width, height } = job;
  const d = new Float64Array(3);
  const c = new Float64Array(3);
  const first = Math.max(0, y0 - 1);
  const last = Math.min(height, y1 + 1);
  const ids = new Int16Array((last - first) * width);
  const centre = new Float32Array((last - first) * width * 3);
  for (let y = first; y < last; y++) {
    for (let x = 0; x < width; x++) {
      job.ray(x + 0.5, y + 0.5, d);
      const i = (y - first) * width + x;
      ids[i] = job.scene.trace(job.origin, d[0], d[1], d[2], job.pixelAngle, c);
      centre[3 * i] = c[0];
      centre[3 * i + 1] = c[1];
      centre[3 * i + 2] = c[2];
    }
  }
  const differs = (i: number, j: number) => {
    if (ids[i] !== ids[j]) return true;
    const a = centre[3 * i + 1];
    const b = centre[3 * j + 1];
    return Math.abs(a - b) > CONTRAST * Math.max(a, b);
  };
  for (let y = y0; y < y1; y++) {
    for (let x = 0; x < width; x++) {
      const i = (y - first) * width + x;
      const o = 3 * ((y - y0) * width + x);
      const edge =
        (x > 0 && differs(i, i - 1)) ||
        (x < width - 1 && differs(i, i + 1)) ||
        (y > first && differs(i, i - width)) ||
        (y < last - 1 && differs(i, i + width));
      if (!edge) {
        out[o] = centre[3 * i];
        out[o + 1] = centre[3 * i + 1];
        out[o + 2] = centre[3 * i + 2];
        continue;
      }
      let r = 0;
      let g = 0;
      let b = 0;
      for (let v = 0; v < GRID; v++) {
        for (let u = 0; u < GRID; u++) {
          job.ray(x + (u + 0.5) / GRID, y + (v + 0.5) / GRID, d);
          job.scene.trace(job.origin, d[0], d[1], d[2], job.pixelAngle, c);
          r += c[0];
          g += c[1];
          b += c[2];
        }
      }
      out[o] = r / (GRID * GRID);
      out[o + 1] = g / (GRID * GRID);
      out[o + 2] = b / (GRID * GRID);
    }
  }
}

/** Rays of a north-aligned latitude-longitude panorama. */
export function latlongRays(width: number, height: number): RayMap {
  return (x, y, out) => {
    const az = (2 * Math.PI * x) / width;
    const el = (0.5 - y / height) * Math.PI;
    const c = Math.cos(el);
    out[0] = Math.sin(az) * c;
    out[1] = Math.sin(el);
    out[2] = -Math.cos(az) * c;
  };
}
