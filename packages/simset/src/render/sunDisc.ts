import { arcDeg, directionFromAngles, pixelsWithin, DEG, type RgbImage, type Vec3 } from '@tawny/core';

export interface SunDisc {
  direction: Vec3;
  radius: number;
  /** cd/m2 per channel, already dimmed by what hides it. */
  radiance: readonly [number, number, number];
}

/**
 * Adds a uniform disc to a panorama, area-averaged per pixel on a 16 x 16 grid and scaled so that the
 * whole flux is exactly radiance x solid angle. In place.
 */
export function addSunDisc(panorama: RgbImage, sun: SunDisc): void {
  const { width, height, data } = panorama;
  const pixel = 360 / width;
  const GRID = 16;
  const found: { i: number; share: number; omega: number }[] = [];
  let sum = 0;
  for (const i of pixelsWithin(sun.direction, sun.radius + 1.5 * pixel * DEG, width, height)) {
    const y = (i / width) | 0;
    const x = i - y * width;
    let inside = 0;
    let weight = 0;
    for (let v = 0; v < GRID; v++) {
      const el = 90 - (180 * (y + (v + 0.5) / GRID)) / height;
      const w = Math.cos(el * DEG);
      for (let u = 0; u < GRID; u++) {
        weight += w;
        if (arcDeg(directionFromAngles((360 * (x + (u + 0.5) / GRID)) / width, el), sun.direction) * DEG <= sun.radius)
          inside += w;
      }
    }
    const omega = (weight / (GRID * GRID)) * ((2 * Math.PI) / width) * (Math.PI / height);
    found.push({ i, share: inside / weight, omega });
    sum += (inside / weight) * omega;
  }
  const solid = 2 * Math.PI * (1 - Math.cos(sun.radius));
  for (const { i, share } of found) {
    for (let c = 0; c < 3; c++) data[3 * i + c] += share * (solid / sum) * sun.radiance[c];
  }
}
