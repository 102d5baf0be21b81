import { median, spreadOfQuartiles } from '../estimate/robust';

/**
 * A frame at a glance: mean linear level, 0 to 1, of a 16 x 16 grid of cells, row by row; 1 where part of a cell is cut off, for its mean says nothing then. Enough to tell whether two frames show the same and how
 * their exposures differ, small enough to keep with every frame.
 */
export type FrameLook = readonly number[];

export const LOOK_SIDE = 16;

/** Cells between these levels say something of the light: neither lost in noise nor cut off. */
const LEAST_LEVEL = 0.004;
const MOST_LEVEL = 0.85;
/** A pixel at this level is cut off, and with it a cell that has so much of its light from such: what they hide may be many times what they show. */
const CUT_OFF = 0.97;
const MOST_CUT_OFF = 0.005;
/** Fewer common cells than this say nothing. */
export const LEAST_CELLS = 10;
/** Spread of the log ratio (stops) up to which two frames show the same view. */
const SAME_VIEW_SPREAD = 0.4;

export interface LookComparison {
  /** Exposure of `a` over that of `b`, stops: the median over the cells that both hold. */
  stops: number;
  /** Robust spread of that over the cells, stops. */
  spread: number;
  cells: number;
  sameView: boolean;
}

/** The look of a linear picture of one value a pixel, row-major. @throws RangeError when the picture is smaller than the grid */
export function lookOf(level: ArrayLike<number>, width: number, height: number): FrameLook {
  if (width < LOOK_SIDE || height < LOOK_SIDE)
    throw new RangeError(`a picture of ${width} x ${height} pixels is too small to look at`);
  const sums = new Float64Array(LOOK_SIDE * LOOK_SIDE);
  const counts = new Float64Array(LOOK_SIDE * LOOK_SIDE);
  const cut = new Float64Array(LOOK_SIDE * LOOK_SIDE);
  for (let y = 0; y < height; y++) {
    const row = Math.floor((y * LOOK_SIDE) / height) * LOOK_SIDE;
    for (let x = 0; x < width; x++) {
      const cell = row + Math.floor((x * LOOK_SIDE) / width);
      sums[cell] += level[y * width + x];
      counts[cell]++;
      if (level[y * width + x] >= CUT_OFF) cut[cell] += level[y * width + x];
    }
  }
  return Array.from(sums, (s, i) => (cut[i] > MOST_CUT_OFF * s ? 1 : Number((s / counts[i]).toPrecision(5))));
}

/** Levels of the cells that two frames both hold. */
export function heldCells(a: FrameLook, b: FrameLook): { a: number; b: number }[] {
  const held = (v: number) => v > LEAST_LEVEL && v < MOST_LEVEL;
  return a.flatMap((v, i) => (held(v) && held(b[i]) ? [{ a: v, b: b[i] }] : []));
}

/** Whether two frames show the same, and how their exposures differ. Null when too few cells are held by both. */
export function compareLooks(a: FrameLook, b: FrameLook): LookComparison | null {
  const logs = heldCells(a, b).map((c) => Math.log2(c.a / c.b));
  if (logs.length < LEAST_CELLS) return null;
  // Of the middle half: small lights that a glance blends with what is around them are off in a few cells, another view in most.
  const spread = spreadOfQuartiles(logs);
  return { stops: median(logs), spread, cells: logs.length, sameView: spread < SAME_VIEW_SPREAD };
}
