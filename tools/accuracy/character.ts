import { plateCharacter } from '@tawny/core';
import { grainPlate } from '@tawny/simset';
import { quantile, type Section } from './table';

const SHOTS = [0.01, 0.02, 0.05];
const BLURS = [0.4, 0.6, 0.9, 1.3, 1.8, 2.4];
const COARSE = [0, 0.6, 1];

/** Grain, edge blur and kinship of channels of plates whose truth is drawn. */
export function characterSection(): Section {
  const strengths: number[] = [];
  const sizes: number[] = [];
  const kinships: number[] = [];
  const blurs: number[] = [];
  let seed = 0;
  for (const shot of SHOTS)
    for (const blurPx of BLURS)
      for (const coarsePx of COARSE) {
        seed++;
        const [dark, common] = [0.1 * shot, (seed % 4) / 4];
        const found = plateCharacter(grainPlate({ seed, shot, dark, blurPx, coarsePx, common }));
        for (const [level, sigma] of found.grain.sigmaAt)
          strengths.push(Math.abs(sigma / Math.sqrt(shot * shot * level + dark * dark) - 1));
        const width = coarsePx === 0 ? 1 : 2.3548 * Math.SQRT2 * coarsePx;
        sizes.push(Math.abs(found.grain.sizePx / width - 1));
        kinships.push(Math.abs(found.grain.channelCorrelation - common));
        blurs.push(found.edgeBlurPx === null ? Infinity : Math.abs(found.edgeBlurPx - blurPx));
      }
  const told = (of: readonly number[], digits: number) =>
    `${quantile(of, 0.5).toFixed(digits)}, ${quantile(of, 0.95).toFixed(digits)}, ${Math.max(...of).toFixed(digits)}`;
  const percent = strengths.map((v) => 100 * v);
  return {
    title: "A plate's character",
    how: `${seed} plates of slanted panels and a strip of texture: grain of 1, 2 and 5 % at a level of 1 and its own in the dark, blur 0.4 to 2.4 px, grain of single pixels and of Gaussians of 0.6 and 1 px, channels alike by 0 to 75 %. Middle, 95th percentile and worst.`,
    rows: [
      { what: 'grain at each level', bound: '5 %', measured: `${told(percent, 1)} %`, holds: quantile(percent, 0.95) <= 5 },
      { what: 'edge blur', bound: '0.15 px', measured: `${told(blurs, 3)} px`, holds: quantile(blurs, 0.95) <= 0.15 },
      { what: 'size of the grain', bound: '-', measured: `${told(sizes.map((v) => 100 * v), 1)} %`, holds: null },
      { what: 'correlation of two channels', bound: '-', measured: told(kinships, 3), holds: null },
    ],
  }; // prettier-ignore
}
