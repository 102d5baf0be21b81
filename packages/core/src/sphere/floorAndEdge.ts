import type { RgbImage } from '../image/image';
import { luminance } from '../colour/primaries';
import { assertLatlong } from './latlong';

/** Black floor and fit of the edges of a panorama, for the check sheet. Rows near the poles are left out. @throws RangeError unless width = 2 x height */
export function floorAndEdge(panorama: RgbImage): { blackFloor: number; edgeJump: number } {
  assertLatlong(panorama);
  const { width, height, data } = panorama;
  const y = (x: number, row: number) => {
    const i = 3 * (row * width + x);
    return luminance(data[i], data[i + 1], data[i + 2]);
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
  const usual = Array.from({ length: 15 }, (_, k) => Math.floor(((k + 1) * width) / 16)).map((x) => jump(x, x + 1)).sort((a, b) => a - b);
  return { blackFloor: values[Math.floor(values.length * 0.005)] / Math.max(1e-12, sum / values.length), edgeJump: jump(width - 1, 0) / Math.max(1e-4, usual[7]) };
}
