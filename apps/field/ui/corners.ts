/** A point in whatever a picture measures by: shares of its sides, or azimuth and elevation. */
export type Point = readonly [number, number];
/** Four corners in their order round a card or chart. */
export type FourCorners = readonly [Point, Point, Point, Point];

/** A finger's reach about a corner, px. */
export const REACH_PX = 30;
/** Shorter drags mark nothing, px. */
const LEAST_PX = 5;

/** Corners of an upright box between two places, clockwise from the upper left. */
export const boxCorners = (a: Point, b: Point): FourCorners => {
  const [left, right] = [Math.min(a[0], b[0]), Math.max(a[0], b[0])];
  const [top, bottom] = [Math.min(a[1], b[1]), Math.max(a[1], b[1])];
  return [
    [left, top],
    [right, top],
    [right, bottom],
    [left, bottom],
  ];
};

/** The corner that lies nearest under a finger, on the screen; -1 when none is in reach. */
export function cornerUnder(corners: FourCorners, at: Point): number {
  const far = corners.map(([x, y]) => Math.hypot(x - at[0], y - at[1]));
  const nearest = far.indexOf(Math.min(...far));
  return far[nearest] <= REACH_PX ? nearest : -1;
}

/** What a drag over a picture does to its corners: a drag at a corner moves it, any other lays a new box. All on the screen. */
export interface CornerDrag {
  /** Which corner is moved; null: a box is laid. */
  corner: number | null;
  from: Point;
  corners: FourCorners | null;
}

export const beginDrag = (corners: FourCorners | null, at: Point): CornerDrag => {
  const corner = corners ? cornerUnder(corners, at) : -1;
  return { corner: corner < 0 ? null : corner, from: at, corners };
};

/** The corners while a drag is at a place; null when it is too short to mark anything. */
export function draggedTo({ corner, from, corners }: CornerDrag, at: Point): FourCorners | null {
  if (corner !== null && corners) return corners.map((c, k) => (k === corner ? at : c)) as unknown as FourCorners;
  if (Math.abs(at[0] - from[0]) < LEAST_PX || Math.abs(at[1] - from[1]) < LEAST_PX) return null;
  return boxCorners(from, at);
}
