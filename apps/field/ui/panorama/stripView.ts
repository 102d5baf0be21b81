/** What part of the panorama the strip shows. Angles in degrees; azimuths north-aligned once `yawDeg` is known. */
export interface StripView {
  azimuthDeg: number;
  elevationDeg: number;
  /** Horizontal angle across the strip. */
  spanDeg: number;
}

export const FULL_SPAN = 360;
export const LEAST_SPAN = 12;

const wrap = (deg: number) => ((deg % 360) + 360) % 360;

/** Direction under a point of the strip. */
export function anglesAt(view: StripView, px: number, py: number, width: number, height: number) {
  const degPerPx = view.spanDeg / width;
  return {
    azimuthDeg: wrap(view.azimuthDeg + (px - width / 2) * degPerPx),
    elevationDeg: Math.max(-90, Math.min(90, view.elevationDeg - (py - height / 2) * degPerPx)),
  };
}

/** Point of the strip that shows a direction, nearest turn. */
export function pointOf(view: StripView, azimuthDeg: number, elevationDeg: number, width: number, height: number) {
  const pxPerDeg = width / view.spanDeg;
  const turn = ((azimuthDeg - view.azimuthDeg + 540) % 360) - 180;
  return { x: width / 2 + turn * pxPerDeg, y: height / 2 - (elevationDeg - view.elevationDeg) * pxPerDeg };
}

/** Keeps the strip inside the picture. */
export function tame(view: StripView, width: number, height: number): StripView {
  const spanDeg = Math.min(FULL_SPAN, Math.max(LEAST_SPAN, view.spanDeg));
  const tall = (spanDeg * height) / width;
  const room = Math.max(0, 90 - tall / 2);
  return { spanDeg, azimuthDeg: wrap(view.azimuthDeg), elevationDeg: Math.max(-room, Math.min(room, view.elevationDeg)) };
}
