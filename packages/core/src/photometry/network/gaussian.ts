import { CholeskyDecomposition, Matrix } from 'ml-matrix';

/** One number that was observed: `value = sum of slope x unknown + noise`. */
export interface Observation {
  /** Index of the source that it comes from. */
  source: number;
  value: number;
  sigma: number;
  slopes: ReadonlyMap<number, number>;
}

/** Unknowns with independent normal priors about zero, and blocks of them with a covariance. */
export class Unknowns {
  private readonly index = new Map<string, number>();
  private readonly sigmas: number[] = [];
  private readonly blocks: { columns: number[]; covariance: number[][] }[] = [];

  get size(): number {
    return this.sigmas.length;
  }

  /** The unknown of that name, made on first use. */
  of(name: string, sigma: number): number {
    const known = this.index.get(name);
    if (known !== undefined) return known;
    this.index.set(name, this.sigmas.length);
    this.sigmas.push(sigma);
    return this.sigmas.length - 1;
  }

  sigmaOf(column: number): number {
    return this.sigmas[column];
  }

  /** Unknowns that vary together. */
  block(names: readonly string[], covariance: number[][]): number[] {
    const columns = names.map((name, k) => this.of(name, Math.sqrt(covariance[k][k])));
    this.blocks.push({ columns, covariance });
    return columns;
  }

  covariance(): Matrix {
    const p = Matrix.diag(this.sigmas.map((s) => s * s));
    for (const { columns, covariance } of this.blocks)
      columns.forEach((row, i) => columns.forEach((column, j) => p.set(row, column, covariance[i][j])));
    return p;
  }
}

/** What was seen, under the priors alone: enough to judge every departure from them without solving anew. */
export interface Seen {
  /** `S^-1` of the observations' covariance, priors and noise together. */
  precision: Matrix;
  /** Observed minus expected. */
  residual: Float64Array;
  /** Unknowns by observations: `P HT`. */
  gain: Matrix;
  prior: Matrix;
}

/** @throws RangeError when two observations say the same without noise */
export function seen(unknowns: Unknowns, observations: readonly Observation[]): Seen {
  const prior = unknowns.covariance();
  const h = Matrix.zeros(observations.length, unknowns.size);
  observations.forEach((o, i) => o.slopes.forEach((slope, column) => h.set(i, column, slope)));
  const gain = prior.mmul(h.transpose());
  const s = h.mmul(gain);
  observations.forEach((o, i) => s.set(i, i, s.get(i, i) + o.sigma * o.sigma));
  const decomposition = new CholeskyDecomposition(s);
  if (!decomposition.isPositiveDefinite())
    throw new RangeError('two observations say the same without any uncertainty');
  return {
    precision: decomposition.solve(Matrix.eye(observations.length)),
    residual: Float64Array.from(observations, (o) => o.value),
    gain,
    prior,
  };
}

export const times = (m: Matrix, v: ArrayLike<number>): Float64Array => {
  const out = new Float64Array(m.rows);
  for (let i = 0; i < m.rows; i++) for (let j = 0; j < m.columns; j++) out[i] += m.get(i, j) * v[j];
  return out;
};

export const dotOf = (a: ArrayLike<number>, b: ArrayLike<number>): number => {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += a[i] * b[i];
  return sum;
};

/** A departure that may have shifted the observations: `amount x shift`, the amount normal about a mean. */
export interface Departure {
  shift: ArrayLike<number>;
  mean: number;
  sigma: number;
}

/** How well a departure explains what was seen against none. */
export interface Explained {
  /** Logarithm of the likelihood over that without it. */
  logRatio: number;
  /** How far the observations stand out along the shift, in standard deviations. */
  standsOut: number;
  /** The amount that is left to believe. */
  amount: number;
  amountSigma: number;
}

/** Marginal likelihood of a shift by a normal amount: the ratio of two normal densities that differ in one direction. */
export function explained({ precision, residual }: Seen, { shift, mean, sigma }: Departure): Explained {
  const ps = times(precision, shift);
  const curvature = dotOf(shift, ps);
  const along = dotOf(ps, residual);
  if (!(curvature > 0)) return { logRatio: 0, standsOut: 0, amount: mean, amountSigma: sigma };
  const best = along / curvature;
  const variance = 1 / curvature;
  const total = variance + sigma * sigma;
  return {
    logRatio: (best * best) / (2 * variance) - (best - mean) ** 2 / (2 * total) + Math.log(variance / total) / 2,
    standsOut: best / Math.sqrt(variance),
    amount: (best * sigma * sigma + mean * variance) / total,
    amountSigma: Math.sqrt((variance * sigma * sigma) / total),
  };
}
