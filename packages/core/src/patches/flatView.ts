import { createImage, type RgbImage } from '../image/image';
import { anglesFromDirection, cross, DEG, directionFromAngles, dot, normalize } from '../sphere/direction';
import { assertLatlong } from '../sphere/latlong';
import type { Point } from './homography';

/** A direction in a panorama's own frame, degrees. */
export interface Angles {
  azimuthDeg: number;
  elevationDeg: number;
}

/** A level view into a panorama as through a lens without distortion, square pixels. */
export interface FlatView extends Angles {
  /** Across its width, degrees, below 180. */
  spanDeg: number;
  width: number;
  height: number;
}

function axes({ azimuthDeg, elevationDeg, spanDeg, width }: FlatView) {
  const ahead = directionFromAngles(azimuthDeg, elevationDeg);
  const right = directionFromAngles(azimuthDeg + 90, 0);
  return { ahead, right, up: normalize(cross(right, ahead)), focal: width / 2 / Math.tan((spanDeg / 2) * DEG) };
}

/** Direction under a pixel of the view; whole numbers are pixels' corners. */
export const flatAngles = (view: FlatView, [x, y]: Point): Angles => anglesUnder(view, axes(view), x, y);

function anglesUnder(view: FlatView, { ahead, right, up, focal }: ReturnType<typeof axes>, x: number, y: number) {
  const [u, v] = [(x - view.width / 2) / focal, (view.height / 2 - y) / focal];
  return anglesFromDirection([
    ahead[0] + u * right[0] + v * up[0],
    ahead[1] + u * right[1] + v * up[1],
    ahead[2] + u * right[2] + v * up[2],
  ]);
}

/** Pixel of the view that shows a direction. @throws RangeError when it lies behind the view */
export function flatPixel(view: FlatView, { azimuthDeg, elevationDeg }: Angles): Point {
  const { ahead, right, up, focal } = axes(view);
  const d = directionFromAngles(azimuthDeg, elevationDeg);
  const depth = dot(d, ahead);
  if (!(depth > 0.05)) throw new RangeError('corners: one of them lies too far from the others');
  return [view.width / 2 + (focal * dot(d, right)) / depth, view.height / 2 - (focal * dot(d, up)) / depth];
}

/** Fractional columns and rows of a panorama for the pixels of a view, in turn, row by row. */
function through(view: FlatView, width: number, height: number): Float64Array {
  const out = new Float64Array(2 * view.width * view.height);
  const turned = axes(view);
  let o = 0;
  for (let y = 0; y < view.height; y++)
    for (let x = 0; x < view.width; x++) {
      const { azimuthDeg, elevationDeg } = anglesUnder(view, turned, x + 0.5, y + 0.5);
      out[o++] = (azimuthDeg / 360) * width - 0.5;
      out[o++] = ((90 - elevationDeg) / 180) * height - 0.5;
    }
  return out;
}

/** What a panorama shows through a view, bilinear. @throws RangeError when it is no latitude-longitude panorama */
export function flatView(panorama: RgbImage, view: FlatView): RgbImage {
  assertLatlong(panorama);
  const { width, height, data } = panorama;
  const out = createImage(view.width, view.height, panorama);
  const places = through(view, width, height);
  for (let i = 0, o = 0; i < places.length; i += 2, o += 3) {
    const [px, py] = [places[i], places[i + 1]];
    const [x0, y0] = [Math.floor(px), Math.floor(py)];
    const [fx, fy] = [px - x0, py - y0];
    const left = ((x0 % width) + width) % width;
    const right = (left + 1) % width;
    const top = Math.min(height - 1, Math.max(0, y0)) * width;
    const bottom = Math.min(height - 1, Math.max(0, y0 + 1)) * width;
    const [a, b, d, e] = [3 * (top + left), 3 * (top + right), 3 * (bottom + left), 3 * (bottom + right)];
    for (let c = 0; c < 3; c++)
      out.data[o + c] =
        (1 - fy) * ((1 - fx) * data[a + c] + fx * data[b + c]) + fy * ((1 - fx) * data[d + c] + fx * data[e + c]);
  }
  return out;
}

/** A mask of a panorama through a view: the nearest pixel's. */
export function flatMask(mask: Uint8Array, width: number, view: FlatView): Uint8Array {
  const height = width / 2;
  const places = through(view, width, height);
  return Uint8Array.from({ length: places.length / 2 }, (_, p) => {
    const x = ((Math.round(places[2 * p]) % width) + width) % width;
    return mask[Math.min(height - 1, Math.max(0, Math.round(places[2 * p + 1]))) * width + x];
  });
}

/** Fewest pixels along a side of what is looked at: a card of a small panorama is looked at closely. */
const LEAST_SIDE_PX = 48;
/** Room about it, of its own size. */
const MARGIN = 0.3;
const WIDEST_DEG = 120;

/** The view about some directions, at the panorama's own resolution or finer. @throws RangeError when they lie too far apart */
export function viewAround(directions: readonly Angles[], panoramaWidth: number): FlatView {
  const sum = directions
    .map((d) => directionFromAngles(d.azimuthDeg, d.elevationDeg))
    .reduce((a, b) => [a[0] + b[0], a[1] + b[1], a[2] + b[2]]);
  const middle = anglesFromDirection(normalize(sum));
  const unit: FlatView = { ...middle, spanDeg: 90, width: 2, height: 2 };
  const points = directions.map((d) => flatPixel(unit, d));
  const reach = (k: 0 | 1) => (1 + MARGIN) * Math.max(...points.map((p) => Math.abs(p[k] - 1)));
  const [across, up] = [reach(0), reach(1)];
  const spanDeg = (2 * Math.atan(across)) / DEG;
  if (!(across > 0 && up > 0) || spanDeg > WIDEST_DEG)
    throw new RangeError('corners: they do not go round a card or chart');
  const perPixel = Math.min((2 * Math.PI) / panoramaWidth, (2 * Math.min(across, up)) / LEAST_SIDE_PX);
  return { ...middle, spanDeg, width: Math.ceil((2 * across) / perPixel), height: Math.ceil((2 * up) / perPixel) };
}
