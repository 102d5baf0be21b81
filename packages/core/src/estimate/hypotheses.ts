/** One explanation of what was seen. */
export interface Hypothesis<N extends string> {
  name: N;
  /** Sum of squared, normalised residuals under it, at its best parameters. */
  chi2: number;
  /** Parameters that it fitted to make it so. */
  parameters: number;
  /** How likely it is before anything is seen, against the others; 1 when left out. */
  odds?: number;
}

/** An explanation is named only when it is this probable among those offered. */
const NAMED_FROM = 0.95;

/** Squared residual per observation beyond which no explanation is taken. */
const NONE_BEYOND = 9;

/**
 * Tests explanations of the same observations against each other (Schwarz 1978: a fitted parameter costs the logarithm of
 * the number of observations). None is named when the best leaves too much, or another is nearly as good: then it cannot
 * be told.
 */
export function explain<N extends string>(
  hypotheses: readonly Hypothesis<N>[],
  observations: number,
): { name: N | 'cannotTell'; probabilities: Record<N, number> } {
  const score = hypotheses.map(
    (h) => Math.log(h.odds ?? 1) - (h.chi2 + h.parameters * Math.log(Math.max(2, observations))) / 2,
  );
  const best = Math.max(...score);
  const weights = score.map((s) => Math.exp(s - best));
  const total = weights.reduce((sum, w) => sum + w, 0);
  // Two ways to the same explanation count together.
  const probabilities = {} as Record<N, number>;
  hypotheses.forEach((h, i) => (probabilities[h.name] = (probabilities[h.name] ?? 0) + weights[i] / total));
  const k = score.indexOf(best);
  const taken = probabilities[hypotheses[k].name] >= NAMED_FROM && hypotheses[k].chi2 <= NONE_BEYOND * observations;
  return { name: taken ? hypotheses[k].name : 'cannotTell', probabilities };
}
