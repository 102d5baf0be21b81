import { quantile } from '../estimate/robust';

/** Stops from mid grey that are told apart: darker and brighter values count at the ends. */
export const LEVELS = { lowStops: -9, highStops: 7, binsPerStop: 6 } as const;
export const LEVEL_BINS = (LEVELS.highStops - LEVELS.lowStops) * LEVELS.binsPerStop;

/** Mid grey of a white of 1. */
const MID_GREY = 0.18;

/** How bright a picture is: all of it, and column by column. */
export interface Levels {
  /** Share of the picture in each bin, darkest first. */
  histogram: Float64Array;
  /** Share of each column in each bin: column by column, darkest first. */
  waveform: Float64Array;
  columns: number;
  /** Stops from mid grey of the darkest and the brightest hundredth, and of the middle. */
  blackStops: number;
  middleStops: number;
  highlightStops: number;
}

/**
 * Histogram and waveform of a picture's luminances in stops from mid grey.
 * @param luminances row by row; NaN counts nowhere, what is not above zero as the darkest
 * @param columns pixels across; @throws RangeError when there is nothing, or no whole rows
 */
export function levelsOf(luminances: ArrayLike<number>, columns: number): Levels {
  if (!(columns > 0) || luminances.length === 0 || luminances.length % columns !== 0)
    throw new RangeError(`${luminances.length} values are no whole rows of ${columns}`);
  const histogram = new Float64Array(LEVEL_BINS);
  const waveform = new Float64Array(LEVEL_BINS * columns);
  const seen: number[] = [];
  const perColumn = new Float64Array(columns);
  for (let i = 0; i < luminances.length; i++) {
    const v = luminances[i];
    if (Number.isNaN(v)) continue;
    const stops = v > 0 ? Math.log2(v / MID_GREY) : -Infinity;
    const bin = Math.floor((stops - LEVELS.lowStops) * LEVELS.binsPerStop);
    const at = Math.min(LEVEL_BINS - 1, Math.max(0, bin));
    histogram[at]++;
    waveform[(i % columns) * LEVEL_BINS + at]++;
    perColumn[i % columns]++;
    seen.push(Math.min(LEVELS.highStops, Math.max(LEVELS.lowStops, stops)));
  }
  if (seen.length === 0) throw new RangeError('the picture shows nothing here');
  for (let k = 0; k < LEVEL_BINS; k++) histogram[k] /= seen.length;
  for (let i = 0; i < waveform.length; i++) waveform[i] /= Math.max(1, perColumn[Math.floor(i / LEVEL_BINS)]);
  return {
    histogram,
    waveform,
    columns,
    blackStops: quantile(seen, 0.01),
    middleStops: quantile(seen, 0.5),
    highlightStops: quantile(seen, 0.99),
  };
}
