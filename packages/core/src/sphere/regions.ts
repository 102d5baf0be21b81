import type { RgbImage } from '../image/image';
import { luminance } from '../colour/primaries';
import { DEG, type Vec3 } from './direction';
import { anglesAtPixel, assertLatlong, pixelsWithin, rowSolidAngle } from './latlong';
import { CLIPPED } from './mask';

export interface RegionRange {
  name: 'sky' | 'horizon' | 'ground';
  /** Stops between the darkest and the brightest per mille of the region's solid angle; null when nothing of it is lit. */
  stops: number | null;
}

const REGIONS = [
  { name: 'sky', from: 10, to: 90 },
  { name: 'horizon', from: -10, to: 10 },
  { name: 'ground', from: -90, to: -10 },
] as const;

/** Dynamic range of sky, horizon band (10 degrees either side) and ground; a stop is halved so that eighths count. @throws RangeError unless width = 2 x height */
export function rangeByRegion(panorama: RgbImage): RegionRange[] {
  assertLatlong(panorama);
  const { width, height, data } = panorama;
  return REGIONS.map(({ name, from, to }) => {
    const bins = new Map<number, number>();
    let total = 0;
    for (let row = 0; row < height; row++) {
      const elevation = 90 - (180 * (row + 0.5)) / height;
      if (elevation < from || elevation >= to) continue;
      const omega = rowSolidAngle(row, width, height);
      for (let x = 0; x < width; x++) {
        const i = 3 * (row * width + x);
        const v = luminance(data[i], data[i + 1], data[i + 2], panorama.space);
        if (!(v > 0)) continue;
        const bin = Math.round(8 * Math.log2(v));
        bins.set(bin, (bins.get(bin) ?? 0) + omega);
        total += omega;
      }
    }
    const sorted = [...bins].sort((a, b) => a[0] - b[0]);
    const at = (share: number) => {
      let seen = 0;
      for (const [bin, omega] of sorted) {
        seen += omega;
        if (seen >= share * total) return bin / 8;
      }
      return sorted[sorted.length - 1][0] / 8;
    };
    return { name, stops: sorted.length > 0 ? at(0.999) - at(0.001) : null };
  });
}

export interface ClippedPlace {
  azimuthDeg: number;
  elevationDeg: number;
  sr: number;
}

const CELL_DEG = 3;

/** Where light is cut off: places some degrees across, the largest first. @param mask CLIPPED where it is, row-major, width x width / 2 */
export function clippedPlaces(mask: Uint8Array, width: number, most = 3): ClippedPlace[] {
  const height = width / 2;
  const cells = new Map<string, { x: number; y: number; sr: number }>();
  for (let row = 0; row < height; row++) {
    const omega = rowSolidAngle(row, width, height);
    for (let x = 0; x < width; x++) {
      if (mask[row * width + x] !== CLIPPED) continue;
      const key = `${Math.floor(((x / width) * 360) / CELL_DEG)},${Math.floor(((row / height) * 180) / CELL_DEG)}`;
      const cell = cells.get(key) ?? { x: 0, y: 0, sr: 0 };
      cells.set(key, { x: cell.x + omega * x, y: cell.y + omega * row, sr: cell.sr + omega });
    }
  }
  return [...cells.values()]
    .sort((a, b) => b.sr - a.sr)
    .slice(0, most)
    .map((c) => ({ ...anglesAtPixel(c.x / c.sr, c.y / c.sr, width, height), sr: c.sr }));
}

/** Mean luminance of a disc of a panorama, weighted by solid angle, panorama unit; NaN when it holds no pixel. @throws RangeError unless width = 2 x height */
export function regionLuminance(panorama: RgbImage, towards: Vec3, radiusDeg: number): number {
  assertLatlong(panorama);
  const { width, height, data, space } = panorama;
  let [sum, total] = [0, 0];
  for (const p of pixelsWithin(towards, Math.max(radiusDeg, 90 / height) * DEG, width, height)) {
    const omega = rowSolidAngle(Math.floor(p / width), width, height);
    sum += luminance(data[3 * p], data[3 * p + 1], data[3 * p + 2], space) * omega;
    total += omega;
  }
  return sum / total;
}
