import type { PlateOptics } from '../../camera/plateCamera';
import { unprojectFromPlate } from '../../camera/plateCamera';
import { anglesFromDirection, wrap180, type Vec3 } from '../../sphere/direction';
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
  const { width, height } = panorama;
  const { values: light, known } = twiceAround(panorama);
  const rays = lookingRays(plate, optics);
  const places = new Int32Array(rays.length);
  const values = Float64Array.from(rays, (r) => r.value);
  const whole = plate.width * plate.height;
  const scores: { column: number; tiltDeg: number; score: number }[] = [];
  for (const tiltDeg of tiltsDeg) {
    const attitude = quaternionFromAttitude({ headingDeg: 0, tiltDeg, rollDeg });
    rays.forEach(({ ray }, i) => {
      const a = anglesFromDirection(rotate(attitude, ray));
      const row = Math.max(0, Math.min(height - 1, Math.floor(((90 - a.elevationDeg) / 180) * height)));
      const column = ((Math.floor((a.azimuthDeg / 360) * width) % width) + width) % width;
      places[i] = 2 * width * row + column;
    });
    for (let shift = 0; shift < width; shift++) {
      let [n, p, q, pp, qq, pq] = [0, 0, 0, 0, 0, 0];
      for (let i = 0; i < places.length; i++) {
        const at = places[i] + shift;
        const v = light[at];
        const u = values[i] * known[at];
        n += known[at];
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

/** A panorama twice side by side, so that no shift runs over its edge; zero and unknown where it holds nothing. */
function twiceAround({ width, height, data }: Plane): { values: Float32Array; known: Uint8Array } {
  const values = new Float32Array(2 * width * height);
  const known = new Uint8Array(2 * width * height);
  for (let i = 0; i < data.length; i++) {
    if (Number.isNaN(data[i])) continue;
    const at = i + width * Math.floor(i / width);
    values[at] = values[at + width] = data[i];
    known[at] = known[at + width] = 1;
  }
  return { values, known };
}

/** Where the plate's pixels that hold something look, in the camera's frame. */
function lookingRays(plate: Plane, optics: PlateOptics): { ray: Vec3; value: number }[] {
  return Array.from(plate.data).flatMap((value, i) => {
    const ray = Number.isNaN(value)
      ? null
      : unprojectFromPlate(optics, (i % plate.width) + 0.5, Math.floor(i / plate.width) + 0.5);
    return ray ? [{ ray, value }] : [];
  });
}
