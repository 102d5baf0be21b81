import { median, quantile, spreadOfQuartiles } from '../estimate/robust';

/**
 * A frame at a glance: mean linear level, 0 to 1, of a 16 x 16 grid of cells, row by row; 1 where part of a cell is cut off, for its mean says nothing then. Enough to tell whether two frames show the same and how
 * their exposures differ, small enough to keep with every frame.
 */
export type FrameLook = readonly number[];

export const LOOK_SIDE = 16;

/** Cells between these levels say something of the light: neither lost in noise nor cut off. */
export const LEAST_HELD_LEVEL = 0.004;
const MOST_LEVEL = 0.85;
/** A pixel at this level is cut off, and with it a cell that has so much of its light from such: what they hide may be many times what they show. */
const CUT_OFF = 0.97;
const MOST_CUT_OFF = 0.005;
/** Fewer common cells than this say nothing. */
export const LEAST_CELLS = 10;
/** Spread of the log ratio (stops) up to which two frames show the same view. */
const SAME_VIEW_SPREAD = 0.4;

/** How much farther than in an even spread (0.7 times as far) the middle may lie from the lower quarter, as that from the least, before hidden lights are what makes it so. */
const HIDDEN_LIGHTS = 1.5;
const HIDDEN_LEAST = 0.05;
/** What lies between 0.05 and 0.3 of a normal distribution, sigmas. */
const DARKEST_OF_SIGMA = 1.12;

/** Standard errors beyond which a ratio is no chance. */
const CHANCE = 4;

export interface LookComparison {
  /** Exposure of `a` over that of `b`, stops: by most of the cells that both hold, see `brighterBy`. */
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
  const held = (v: number) => v > LEAST_HELD_LEVEL && v < MOST_LEVEL;
  return a.flatMap((v, i) => (held(v) && held(b[i]) ? [{ a: v, b: b[i] }] : []));
}

/**
 * How much brighter the shorter of two frames is in most cells, by the stops of each. Small lights that the longer frame cuts off, and a glance blends
 * with what is around them, make a cell brighter and never darker: where the upper half lies far from a close lower quarter, that is told by the quarter.
 */
export function brighterBy(stops: readonly number[]): number {
  const [least, quarter, middle] = [0.05, 0.25, 0.5].map((q) => quantile(stops, q));
  return middle - quarter > HIDDEN_LIGHTS * (quarter - least) + HIDDEN_LEAST ? quarter : middle;
}

/** How far a ratio may be off (stops) that some cells tell which differ so among themselves: neighbours see the same small lights. */
export const withinCells = (spread: number, cells: number): number => (CHANCE * spread) / Math.sqrt(cells);

/** Whether two frames show the same, and how their exposures differ. Null when too few cells are held by both. */
export function compareLooks(a: FrameLook, b: FrameLook): LookComparison | null {
  const logs = heldCells(a, b).map((c) => Math.log2(c.a / c.b));
  if (logs.length < LEAST_CELLS) return null;
  // Stops of the shorter frame over the longer one.
  const sign = median(logs) > 0 ? -1 : 1;
  const shorter = logs.map((v) => sign * v);
  // Of the middle half: small lights are off in a few cells, another view in most. Where they are many, the darkest cells still go together.
  const spread = spreadOfQuartiles(logs);
  const sameView = spread < SAME_VIEW_SPREAD || spreadOfDarkest(shorter) < SAME_VIEW_SPREAD / 2;
  return { stops: sign * brighterBy(shorter), spread, cells: logs.length, sameView };
}

/** Robust spread by the darker of a frame's cells, as one sigma of a normal distribution. */
const spreadOfDarkest = (stops: readonly number[]): number =>
  (quantile(stops, 0.3) - quantile(stops, 0.05)) / DARKEST_OF_SIGMA;
