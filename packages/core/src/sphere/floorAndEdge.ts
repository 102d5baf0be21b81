import type { RgbImage } from '../image/image';
import { luminance } from '../colour/primaries';
import { quantile } from '../estimate/robust';
import { assertLatlong } from './latlong';

export interface FloorAndEdge {
  /** Luminance of the darkest half per cent over the mean: the floor that glare and noise leave. */
  blackFloor: number;
  /** Jump over the seam at azimuth 0 against the usual one between neighbouring columns. */
  edgeJump: number;
  /** How much the steadier of the outermost rows varies around, against rows between; a pole is one point, so a whole panorama gives little. */
  poleSpread: number;
}

/** Pairs of neighbouring columns that are looked at, and the share of them that is less steep than what the edge is measured by. */
const LOOKED_AT = 127;
const STEEP = 0.9;

/** Black floor, fit of the edges and of the poles of a panorama, for the check sheet. @throws RangeError unless width = 2 x height */
export function floorAndEdge(panorama: RgbImage): FloorAndEdge {
  assertLatlong(panorama);
  const { width, height, data } = panorama;
  const y = (x: number, row: number) => {
    const i = 3 * (row * width + x);
    return luminance(data[i], data[i + 1], data[i + 2], panorama.space);
  };
  const values: number[] = [];
  let sum = 0;
  const first = Math.floor(height * 0.15);
  const last = Math.floor(height * 0.85);
  const step = Math.max(1, Math.floor(width / 1024));
  for (let row = first; row < last; row += step) for (let x = 0; x < width; x += step) values.push(y(x, row));
  for (const v of values) sum += v;
  values.sort((a, b) => a - b);
  const jump = (a: number, b: number) => {
    let d = 0;
    let n = 0;
    for (let row = first; row < last; row++) {
      const [p, q] = [y(a, row), y(b, row)];
      if (p > 0 && q > 0) {
        d += Math.abs(Math.log(p / q));
        n++;
      }
    }
    return n > 0 ? d / n : 0;
  };
  // As steep as places of a picture are: a corner or a post may well stand at the edge of a whole panorama.
  const places = Math.min(LOOKED_AT, width - 1);
  const steep = quantile(
    Array.from({ length: places }, (_, k) => Math.floor(((k + 0.5) * (width - 1)) / places)).map((x) => jump(x, x + 1)),
    STEEP,
  );
  // Spread around a row: of the middle of it, so that a lamp or a tripod's foot does not rule.
  const around = (row: number) => {
    const logs: number[] = [];
    for (let x = 0; x < width; x += step) if (y(x, row) > 0) logs.push(Math.log(y(x, row)));
    logs.sort((a, b) => a - b);
    return logs.length > 8 ? logs[Math.floor(0.8 * logs.length)] - logs[Math.floor(0.2 * logs.length)] : 0;
  };
  // The better of the two: the rig's own foot or a patched nadir must not condemn a panorama.
  const poles = Math.min(around(0), around(height - 1));
  const between = [0.25, 0.4, 0.5, 0.6, 0.75]
    .map((share) => around(Math.floor(share * height)))
    .sort((a, b) => a - b)[2];
  return {
    blackFloor: values[Math.floor(values.length * 0.005)] / Math.max(1e-12, sum / values.length),
    edgeJump: jump(width - 1, 0) / Math.max(1e-4, steep),
    poleSpread: poles / Math.max(0.05, between),
  };
}
