import { CholeskyDecomposition, Matrix } from 'ml-matrix';

/**
 * Normal equations of a Gauss-Newton step: `a step = b` with `a` the sum of `w g gT` and `b` the sum of `-w g r`, for
 * residuals `r` with gradients `g` by the unknowns. Hot loops may add to `b` and the upper triangle of `a` (row-major) themselves, and then `mirror` it.
 */
export class NormalEquations {
  readonly a: Float64Array;
  readonly b: Float64Array;

  constructor(readonly size: number) {
    this.a = new Float64Array(size * size);
    this.b = new Float64Array(size);
  }

  /** Adds one residual: its value, weight (1 / variance) and derivatives by the unknowns named in `columns`. */
  add(columns: ArrayLike<number>, slopes: ArrayLike<number>, residual: number, weight: number): void {
    const { a, b, size } = this;
    for (let p = 0; p < columns.length; p++) {
      b[columns[p]] -= weight * slopes[p] * residual;
      // (gp gq) w, not (w gp) gq: the same rounding on both sides of the diagonal.
      for (let q = 0; q < columns.length; q++) a[columns[p] * size + columns[q]] += slopes[p] * slopes[q] * weight;
    }
  }

  /** Copies the upper triangle onto the lower one. */
  mirror(): void {
    const { a, size } = this;
    for (let p = 1; p < size; p++) for (let q = 0; q < p; q++) a[p * size + q] = a[q * size + p];
  }

  /** Holds an unknown that stands at `value` near zero, with a standard deviation. */
  prior(column: number, value: number, sigma: number): void {
    this.a[column * this.size + column] += 1 / (sigma * sigma);
    this.b[column] -= value / (sigma * sigma);
  }

  /** A little of everything on the diagonal, so that unknowns that nothing speaks of stay where they are. */
  stiffen(amount: number): void {
    for (let i = 0; i < this.size; i++) this.a[i * this.size + i] += amount;
  }

  /** @throws RangeError when something leaves unknowns undetermined: give them priors */
  solve(): { step: Float64Array; covariance: () => Float64Array; logDeterminant: () => number } {
    const decomposition = new CholeskyDecomposition(Matrix.from1DArray(this.size, this.size, this.a));
    if (!decomposition.isPositiveDefinite()) {
      throw new RangeError('the observations do not determine every unknown, and no prior holds the rest');
    }
    return {
      step: Float64Array.from(decomposition.solve(Matrix.columnVector(this.b)).to1DArray()),
      covariance: () => Float64Array.from(decomposition.solve(Matrix.eye(this.size)).to1DArray()),
      logDeterminant: () => 2 * decomposition.lowerTriangularMatrix.diagonal().reduce((sum, v) => sum + Math.log(v), 0),
    };
  }
}

export interface Steps {
  /** Unknowns of the model. */
  size: number;
  /** Steps at most. */
  passes: number;
  /** Adds residuals at the present state; false when there is too little to go on. */
  fill: (equations: NormalEquations) => boolean;
  /** Moves the state by a step; true when it has settled. */
  move: (step: Float64Array) => boolean;
}

/**
 * Gauss-Newton steps until the state has settled. Robust weights and priors are the model's own (`fill`).
 * @returns covariance of the unknowns (row-major) at the last step, null when there was nothing to go on
 * @throws RangeError see `NormalEquations.solve`
 */
export function gaussNewton({ size, passes, fill, move }: Steps): { covariance: () => Float64Array } | null {
  let last: { covariance: () => Float64Array } | null = null;
  for (let pass = 0; pass < passes; pass++) {
    const equations = new NormalEquations(size);
    if (!fill(equations)) break;
    const { step, covariance } = equations.solve();
    last = { covariance };
    if (move(step)) break;
  }
  return last;
}
