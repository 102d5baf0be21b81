import { findChart, sampleChart, CHART_6X4 } from '@tawny/core';
import { chartPlate } from '@tawny/simset';
import { quantile, type Section } from './table';

const SIZE = { widthPx: 960, heightPx: 540 };

export function chartsSection(withChart: number, without: number): Section {
  const found: { corner: number; colour: number }[] = [];
  const missed: number[] = [];
  let wrong = 0;
  for (let seed = 1; seed <= withChart; seed++) {
    const plate = chartPlate({ seed, chart: true, ...SIZE });
    const chart = findChart(plate.image);
    if (!chart) {
      missed.push(seed);
      continue;
    }
    const side = Math.hypot(plate.corners![1][0] - plate.corners![0][0], plate.corners![1][1] - plate.corners![0][1]) / 6;
    const corner = Math.max(...chart.corners.map((p, k) => Math.hypot(p[0] - plate.corners![k][0], p[1] - plate.corners![k][1])));
    if (corner > 0.6 * side || chart.mirrored !== plate.mirrored) {
      wrong++;
      missed.push(seed);
      continue;
    }
    const hidden = new Set([...plate.covered, ...chart.odd]);
    const patches = sampleChart(plate.image, chart.corners, CHART_6X4).filter((p) => !hidden.has(p.name));
    // Ratios to green: a shadow's edge leaves them alone.
    const off = patches.map((p) => {
      const truth = plate.colours[Number(p.name) - 1];
      return Math.abs(Math.log2(p.rgb[0] / p.rgb[1] / (truth[0] / truth[1])));
    });
    found.push({ corner, colour: quantile(off, 0.5) });
  } // prettier-ignore
  let false_ = 0;
  for (let seed = 1; seed <= without; seed++)
    if (findChart(chartPlate({ seed, chart: false, ...SIZE }).image)) false_++;
  const share = found.length / withChart;
  return {
    title: 'Charts found',
    how: `Plates of 960 x 540 pixels of cluttered places with tiles, panes and posters; the chart 12 to 50 % of the width, tilted up to 45 degrees each way, any roll, 15 % mirrored, half with a shadow's edge, a third with something before it, blur to 1.8 px, grain. Missed or wrong: ${missed.join(', ') || 'none'}.`,
    rows: [
      { what: `found the right way round in ${withChart} plates with one`, bound: '97 %', measured: `${(100 * share).toFixed(1)} % (${wrong} in a wrong place or way)`, holds: share >= 0.97 },
      { what: `found in ${without} plates without one`, bound: '0', measured: String(false_), holds: false_ === 0 },
      { what: 'worst corner of each against truth, median and 95th percentile', bound: '-', measured: `${quantile(found.map((f) => f.corner), 0.5).toFixed(2)} and ${quantile(found.map((f) => f.corner), 0.95).toFixed(2)} px`, holds: null },
      { what: 'red to green of its patches against truth, middle of each, 95th percentile', bound: '-', measured: `${quantile(found.map((f) => f.colour), 0.95).toFixed(4)} stop`, holds: null },
    ],
  }; // prettier-ignore
}
