import { NormalEquations } from '../estimate/normalEquations';
import { robustLocation } from '../estimate/robust';
import type { ResponseSample } from './response';

/** What two neighbouring exposures of the same places say of their ratio. */
export interface RatioObservation {
  /** Rungs, longer exposure first. */
  a: number;
  b: number;
  /** Mean of ln(radiance by a) - ln(radiance by b) by nominal exposures, and its standard error. */
  logRatio: number;
  sigma: number;
}

/**
 * Ratio of two linear frames of one bracket from the samples that both hold well: the median of their log ratio.
 * @returns null when fewer than 500 samples are good in both
 */
export function observeRatio(
  longer: { codes: Uint16Array; exposure: number },
  shorter: { codes: Uint16Array; exposure: number },
  rungs: { a: number; b: number },
): RatioObservation | null {
  const low = 0.02 * 65535;
  const high = 0.9 * 65535;
  const logs: number[] = [];
  const step = Math.max(1, Math.floor(longer.codes.length / 400000));
  for (let i = 0; i < longer.codes.length; i += step) {
    const [p, q] = [longer.codes[i], shorter.codes[i]];
    if (p > low && p < high && q > low * 0.3 && q < high)
      logs.push(Math.log(p / longer.exposure / (q / shorter.exposure)));
  }
  if (logs.length < 500) return null;
  const { value, sigma } = robustLocation(logs);
  return { ...rungs, logRatio: value, sigma: Math.max(0.0005, sigma) };
}

/** Codes of 8-bit frames that tell a ratio by their curve: above its coarse foot, below its shoulder. */
const TELLING = { low: 12, high: 240 };
const LEAST_PLACES = 40;

/**
 * Ratios of neighbouring rungs of 8-bit frames whose curve is believed: the median over places and channels that both hold.
 * @param table linear value of every code
 * @param exposures nominal X of every rung, longest first
 */
export function ratiosByCurve(
  samples: readonly (readonly ResponseSample[])[],
  exposures: readonly number[],
  table: ArrayLike<number>,
): RatioObservation[] {
  const logs = exposures.slice(1).map(() => [] as number[]);
  for (const s of samples.flat()) {
    for (let i = 0; i < s.rungs.length; i++) {
      const j = s.rungs.indexOf(s.rungs[i] + 1);
      if (j < 0) continue;
      const [p, q] = [s.codes[i], s.codes[j]];
      if (p >= TELLING.low && p <= TELLING.high && q >= TELLING.low && q <= TELLING.high)
        logs[s.rungs[i]].push(Math.log(table[p] / exposures[s.rungs[i]] / (table[q] / exposures[s.rungs[i] + 1])));
    }
  }
  return logs.flatMap((l, a) => {
    if (l.length < LEAST_PLACES) return [];
    const { value, sigma } = robustLocation(l);
    return [{ a, b: a + 1, logRatio: value, sigma: Math.max(0.002, sigma) }];
  });
}

/**
 * Real over nominal exposure of every rung from observed ratios, each held near 1 by `shutterSigma`; their mean is 1, for no ratio tells a common factor.
 */
export function solveExposureFactors(
  rungs: number,
  observations: readonly RatioObservation[],
  shutterSigma = 0.05,
): number[] {
  const equations = new NormalEquations(rungs);
  for (let k = 0; k < rungs; k++) equations.prior(k, 0, shutterSigma);
  // ln(value/X) by nominal exposures differs by the factors: f_a - f_b = logRatio.
  for (const o of observations) equations.add([o.a, o.b], [1, -1], -o.logRatio, 1 / (o.sigma * o.sigma));
  const f = [...equations.solve().step];
  const mean = f.reduce((s, v) => s + v, 0) / rungs;
  return f.map((v) => Math.exp(v - mean));
}
