/** A short stroke along an edge, from (x1, y1) to (x2, y2), picture coordinates in pixels, (0, 0) the top-left corner. */
export type Stroke = readonly [number, number, number, number];

/** Strokes along edges that are parallel in the world. */
export interface StrokeFamily {
  kind: 'vertical' | 'level' | 'free';
  /** World azimuth that its edges run along, away from the camera; null when nobody surveyed it. */
  azimuthDeg: number | null;
  strokes: readonly Stroke[];
}
