import type { FourCorners } from '../corners';

/** What part of the panorama the strip shows. Angles in degrees; azimuths north-aligned once `yawDeg` is known. */
export interface StripView {
  azimuthDeg: number;
  elevationDeg: number;
  /** Horizontal angle across the strip. */
  spanDeg: number;
  /** Flat view: straight lines stay straight, as through a lens. Left out: the latitude-longitude strip. */
  flat?: boolean;
}

export const FULL_SPAN = 360;
export const LEAST_SPAN = 12;
const FLAT_SPAN = 110;
const STEEPEST = 89;

const DEG = Math.PI / 180;
const wrap = (deg: number) => ((deg % 360) + 360) % 360;

/** Half extents of the flat look's picture plane at distance 1. */
function plane(view: StripView, width: number, height: number) {
  const x = Math.tan((view.spanDeg / 2) * DEG);
  return { x, y: (x * height) / width };
}

/** Direction under a point of the strip. */
export function anglesAt(view: StripView, px: number, py: number, width: number, height: number) {
  if (view.flat) {
    const half = plane(view, width, height);
    const [x, y] = [((2 * px) / width - 1) * half.x, (1 - (2 * py) / height) * half.y];
    const [s, c] = [Math.sin(view.elevationDeg * DEG), Math.cos(view.elevationDeg * DEG)];
    const [up, ahead] = [s + y * c, c - y * s];
    return {
      azimuthDeg: wrap(view.azimuthDeg + Math.atan2(x, ahead) / DEG),
      elevationDeg: Math.atan2(up, Math.hypot(x, ahead)) / DEG,
    };
  }
  const degPerPx = view.spanDeg / width;
  return {
    azimuthDeg: wrap(view.azimuthDeg + (px - width / 2) * degPerPx),
    elevationDeg: Math.max(-90, Math.min(90, view.elevationDeg - (py - height / 2) * degPerPx)),
  };
}

/** Point of the strip that shows a direction, nearest turn; far outside when a flat look has it behind. */
export function pointOf(view: StripView, azimuthDeg: number, elevationDeg: number, width: number, height: number) {
  const turn = ((azimuthDeg - view.azimuthDeg + 540) % 360) - 180;
  if (view.flat) {
    const half = plane(view, width, height);
    const [a, e, s, c] = [
      turn * DEG,
      elevationDeg * DEG,
      Math.sin(view.elevationDeg * DEG),
      Math.cos(view.elevationDeg * DEG),
    ];
    const [right, up, ahead] = [Math.sin(a) * Math.cos(e), Math.sin(e), Math.cos(a) * Math.cos(e)];
    const depth = ahead * c + up * s;
    if (depth <= 1e-3) return { x: -1e4, y: -1e4 };
    return {
      x: (width / 2) * (1 + right / depth / half.x),
      y: (height / 2) * (1 - (up * c - ahead * s) / depth / half.y),
    };
  }
  const pxPerDeg = width / view.spanDeg;
  return { x: width / 2 + turn * pxPerDeg, y: height / 2 - (elevationDeg - view.elevationDeg) * pxPerDeg };
}

/** Corners of the panorama's own frame, azimuth and elevation, where they lie on the screen. */
export const cornersOnScreen = (
  view: StripView,
  corners: FourCorners,
  yawDeg: number,
  width: number,
  height: number,
): FourCorners =>
  corners.map(([azimuth, elevation]) => {
    const { x, y } = pointOf(view, azimuth + yawDeg, elevation, width, height);
    return [x, y];
  }) as unknown as FourCorners;

/** Keeps the strip inside the picture. */
export function tame(view: StripView, width: number, height: number): StripView {
  if (view.flat)
    return {
      ...view,
      spanDeg: Math.min(FLAT_SPAN, Math.max(LEAST_SPAN, view.spanDeg)),
      azimuthDeg: wrap(view.azimuthDeg),
      elevationDeg: Math.max(-STEEPEST, Math.min(STEEPEST, view.elevationDeg)),
    };
  const spanDeg = Math.min(FULL_SPAN, Math.max(LEAST_SPAN, view.spanDeg));
  const tall = (spanDeg * height) / width;
  const room = Math.max(0, 90 - tall / 2);
  return {
    ...view,
    spanDeg,
    azimuthDeg: wrap(view.azimuthDeg),
    elevationDeg: Math.max(-room, Math.min(room, view.elevationDeg)),
  };
}

/** Tiles of a panorama of `columns` x `rows` that the view shows, as it lies in the picture's own frame. */
export function tilesInView(
  view: StripView,
  yawDeg: number,
  width: number,
  height: number,
  columns: number,
  rows: number,
): { column: number; row: number }[] {
  const seen = new Map<string, { column: number; row: number }>();
  const STEPS = 12;
  for (let j = 0; j <= STEPS; j++) {
    for (let i = 0; i <= STEPS; i++) {
      const a = anglesAt(view, (i * width) / STEPS, (j * height) / STEPS, width, height);
      const column = Math.min(columns - 1, Math.floor((wrap(a.azimuthDeg - yawDeg) / 360) * columns));
      const row = Math.min(rows - 1, Math.floor(((90 - a.elevationDeg) / 180) * rows));
      seen.set(`${column},${row}`, { column, row });
    }
  }
  return [...seen.values()];
}
