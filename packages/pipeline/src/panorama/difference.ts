import { luminance, resampleLatlong, rowSolidAngle, type RgbImage } from '@tawny/core';

/** Stops of luminance by solid angle. */
export interface PanoramaDifference {
  medianStops: number;
  p95Stops: number;
  /** Share of the sphere that differs. */
  changedPercent: number;
  /** Width at which they were compared, px. */
  widthPx: number;
}

/** A pixel counts as changed beyond this many stops. */
const CHANGED_STOPS = 0.05;

/** How far one version of a panorama is from another, in stops of luminance and by solid angle; the finer one is averaged down first. */
export function panoramaDifference(before: RgbImage, after: RgbImage): PanoramaDifference {
  const width = Math.min(before.width, after.width);
  const [a, b] = [before, after].map((p) => resampleLatlong(p, width));
  const rows: { stops: number; omega: number }[] = [];
  let all = 0;
  let changed = 0;
  for (let y = 0; y < a.height; y++) {
    const omega = rowSolidAngle(y, width, a.height);
    for (let x = 0; x < width; x++) {
      const i = 3 * (y * width + x);
      const p = luminance(a.data[i], a.data[i + 1], a.data[i + 2], a.space);
      const q = luminance(b.data[i], b.data[i + 1], b.data[i + 2], b.space);
      if (!(p > 0) || !(q > 0)) continue;
      const stops = Math.abs(Math.log2(q / p));
      rows.push({ stops, omega });
      all += omega;
      if (stops > CHANGED_STOPS) changed += omega;
    }
  }
  rows.sort((p, q) => p.stops - q.stops);
  const at = (share: number) => {
    let seen = 0;
    for (const r of rows) {
      seen += r.omega;
      if (seen >= share * all) return r.stops;
    }
    return 0;
  };
  return {
    medianStops: at(0.5),
    p95Stops: at(0.95),
    changedPercent: all > 0 ? (100 * changed) / all : 0,
    widthPx: width,
  };
}
