import type { PlateOptics } from '../../camera/plateCamera';
import { unprojectFromPlate } from '../../camera/plateCamera';
import { anglesFromDirection, wrap180 } from '../../sphere/direction';
import { quaternionFromAttitude } from '../attitude';
import { rotate } from '../quaternion';
import type { Plane } from './localContrast';

/** A place where a plate may fit into a panorama. */
export interface CoarseTurn {
  /** Of the view, in the panorama's own axes, degrees. */
  azimuthDeg: number;
  tiltDeg: number;
  /** Correlation there. */
  score: number;
}

/** Two places are the same when they lie this near, as a share of the view. */
const SAME_SHARE = 0.15;
/** Less of the view than this is not compared. */
const LEAST_KNOWN = 0.6;

/**
 * Correlates a plate's local contrast with a panorama's at every azimuth and some tilts. The panorama's columns are as wide as the plate's pixels
 * in its middle, so that turning it is a shift of columns.
 * @param panorama local contrast, latitude-longitude
 * @param plate local contrast on the pixels of `optics`
 * @returns the best places that lie apart, best first; none where too little of any view is known
 */
export function coarseTurn(
  panorama: Plane,
  plate: Plane,
  optics: PlateOptics,
  tiltsDeg: readonly number[],
  rollDeg: number,
  most: number,
): CoarseTurn[] {
  const { width, height, data } = panorama;
  const scores: { column: number; tiltDeg: number; score: number }[] = [];
  for (const tiltDeg of tiltsDeg) {
    const attitude = quaternionFromAttitude({ headingDeg: 0, tiltDeg, rollDeg });
    const rows: number[] = [];
    const columns: number[] = [];
    const values: number[] = [];
    for (let y = 0; y < plate.height; y++)
      for (let x = 0; x < plate.width; x++) {
        const v = plate.data[y * plate.width + x];
        const ray = Number.isNaN(v) ? null : unprojectFromPlate(optics, x + 0.5, y + 0.5);
        if (!ray) continue;
        const a = anglesFromDirection(rotate(attitude, ray));
        rows.push(Math.max(0, Math.min(height - 1, Math.floor(((90 - a.elevationDeg) / 180) * height))) * width);
        columns.push(((Math.floor((a.azimuthDeg / 360) * width) % width) + width) % width);
        values.push(v);
      }
    const whole = plate.width * plate.height;
    for (let shift = 0; shift < width; shift++) {
      let [n, p, q, pp, qq, pq] = [0, 0, 0, 0, 0, 0];
      for (let i = 0; i < values.length; i++) {
        let c = columns[i] + shift;
        if (c >= width) c -= width;
        const v = data[rows[i] + c];
        if (Number.isNaN(v)) continue;
        const u = values[i];
        n++;
        p += u;
        q += v;
        pp += u * u;
        qq += v * v;
        pq += u * v;
      }
      if (n < LEAST_KNOWN * whole) continue;
      const spread = Math.sqrt((pp - (p * p) / n) * (qq - (q * q) / n));
      if (spread > 0) scores.push({ column: shift, tiltDeg, score: (pq - (p * q) / n) / spread });
    }
  }
  const perColumn = 360 / width;
  const apartDeg = SAME_SHARE * plate.width * perColumn;
  scores.sort((a, b) => b.score - a.score);
  const found: CoarseTurn[] = [];
  for (const { column, tiltDeg, score } of scores) {
    if (found.length === most) break;
    const azimuthDeg = column * perColumn;
    if (found.every((f) => Math.abs(wrap180(f.azimuthDeg - azimuthDeg)) > apartDeg))
      found.push({ azimuthDeg, tiltDeg, score });
  }
  return found;
}
