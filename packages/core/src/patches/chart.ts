/** Columns and rows of a chart, the first patch (dark skin) at the corner that is named first. */
export interface ChartLayout {
  columns: number;
  rows: number;
}

export const CHART_6X4: ChartLayout = { columns: 6, rows: 4 };

/**
 * Linear Rec. 709 of the 24 patches under D65, a perfect white being 1, row by row from dark skin to black: the demo's own chart. Charts of the
 * trade lie near enough for it to be known again; colours are never taken from here.
 */
export const CHART_COLOURS: readonly (readonly [number, number, number])[] = [
  [0.1413, 0.0651, 0.0546],
  [0.47, 0.2653, 0.1746],
  [0.0724, 0.2024, 0.3317],
  [0.0601, 0.1201, 0.038],
  [0.218, 0.2126, 0.4395],
  [0.0614, 0.4836, 0.3303],
  [0.5817, 0.0992, 0.0284],
  [0.0478, 0.0822, 0.3595],
  [0.4336, 0.0899, 0.1174],
  [0.0936, 0.0396, 0.1405],
  [0.4697, 0.4079, 0.0441],
  [0.7814, 0.2696, 0.0275],
  [0.0349, 0.0303, 0.2739],
  [-0.0009, 0.2896, 0.0663],
  [0.3838, 0.0323, 0.0363],
  [0.8896, 0.5537, 0.0144],
  [0.5228, 0.1355, 0.3186],
  [-0.0146, 0.2488, 0.3561],
  [0.9099, 0.8989, 0.8743],
  [0.5965, 0.5893, 0.5732],
  [0.364, 0.3595, 0.3497],
  [0.1921, 0.1898, 0.1846],
  [0.091, 0.0899, 0.0874],
  [0.0324, 0.032, 0.0311],
];
