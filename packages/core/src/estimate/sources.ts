import { Matrix, pseudoInverse } from 'ml-matrix';
import { NORMAL_95 } from './confidence';

/** One source's word on some unknowns: `value = H x + noise`. */
export interface Source {
  name: string;
  /** Rows of H: what the source sees of the unknowns. */
  sees: readonly (readonly number[])[];
  value: readonly number[];
  /** Covariance of the noise. */
  covariance: readonly (readonly number[])[];
}

export interface JudgedSource {
  name: string;
  /** Its value minus what the adopted unknowns say it should be. */
  residual: number[];
  /** Share of the information in what was adopted; the shares sum to 1. */
  weight: number;
  outlier: boolean;
}

/** agrees: every source is where its covariance allows; disagrees: two or more are not; cannotTell: there is no surplus. */
export type Agreement = 'agrees' | 'disagrees' | 'cannotTell';

export interface Adopted {
  value: number[];
  covariance: number[][];
  verdict: Agreement;
  sources: JudgedSource[];
}

/** A source is out of place beyond this share of the chi-square distribution. */
const SUSPICIOUS = 0.99;

/**
 * Joins sources by generalised least squares. Two that differ are never averaged in silence: the verdict says so and the
 * covariance is widened to hold both. Of three and more, the one without which the others agree is named, set aside and
 * the rest joined anew (Baarda's data snooping by leaving one out); while that does not single one out, all stay and the
 * verdict is "disagrees".
 * @throws RangeError when no source is given or they leave an unknown undetermined
 */
export function adopt(sources: readonly Source[]): Adopted {
  if (sources.length === 0) throw new RangeError('nothing to adopt: no source was given');
  const outliers = new Set<string>();
  let kept = [...sources];
  let joined = join(kept);
  while (misplaced(joined) && kept.length >= 3) {
    const without = kept.flatMap((s) => {
      const others = kept.filter((o) => o !== s);
      const trial = determined(others) ? join(others) : null;
      return trial ? [{ s, trial }] : [];
    });
    const clean = without.filter(({ trial }) => !misplaced(trial));
    if (clean.length === 0 || (clean.length > 1 && kept.length === 3)) break;
    const best = clean.reduce((a, b) => (b.trial.chi2 < a.trial.chi2 ? b : a));
    outliers.add(best.s.name);
    kept = kept.filter((s) => s !== best.s);
    joined = best.trial;
  }
  const disagrees = misplaced(joined);
  const widening = disagrees ? Math.max(1, joined.chi2 / Math.max(1, joined.freedom)) : 1;
  const covariance = joined.covariance.to2DArray().map((row) => row.map((v) => v * widening));
  const total = kept.reduce((sum, s) => sum + information(s), 0);
  const x = joined.value;
  return {
    value: x.to1DArray(),
    covariance,
    verdict: joined.freedom === 0 && outliers.size === 0 ? 'cannotTell' : disagrees ? 'disagrees' : 'agrees',
    sources: sources.map((s) => {
      const outlier = outliers.has(s.name);
      const predicted = matrixOf(s.sees).mmul(x).to1DArray();
      return {
        name: s.name,
        residual: s.value.map((v, i) => v - predicted[i]),
        weight: outlier ? 0 : information(s) / total,
        outlier,
      };
    }),
  };
}

/** `adopt` for one unknown that every source sees as it is; uncertainties are 95 % half widths. */
export function adoptScalar(sources: readonly { name: string; value: number; uncertainty: number }[]): {
  value: number;
  uncertainty: number;
  verdict: Agreement;
  sources: { name: string; residual: number; weight: number; outlier: boolean }[];
} {
  const joined = adopt(
    sources.map(({ name, value, uncertainty }) => ({
      name,
      sees: [[1]],
      value: [value],
      covariance: [[(uncertainty / NORMAL_95) ** 2]],
    })),
  );
  return {
    value: joined.value[0],
    uncertainty: NORMAL_95 * Math.sqrt(joined.covariance[0][0]),
    verdict: joined.verdict,
    sources: joined.sources.map((s) => ({ ...s, residual: s.residual[0] })),
  };
}

/** Whether two values differ by no more than their 95 % half widths allow. */
export function agrees(difference: number, ...halfWidths: readonly number[]): boolean {
  return Math.abs(difference) <= Math.hypot(...halfWidths);
}

interface Joined {
  value: Matrix;
  covariance: Matrix;
  chi2: number;
  freedom: number;
}

const matrixOf = (rows: readonly (readonly number[])[]): Matrix => new Matrix(rows.map((r) => [...r]));

function join(sources: readonly Source[]): Joined {
  const size = sources[0].sees[0].length;
  let normal = Matrix.zeros(size, size);
  let rhs = Matrix.zeros(size, 1);
  const weighted = sources.map((s) => ({ s, h: matrixOf(s.sees), w: pseudoInverse(matrixOf(s.covariance)) }));
  for (const { s, h, w } of weighted) {
    const htw = h.transpose().mmul(w);
    normal = Matrix.add(normal, htw.mmul(h));
    rhs = Matrix.add(rhs, htw.mmul(Matrix.columnVector([...s.value])));
  }
  if (!full(normal)) throw new RangeError('the sources do not determine every unknown');
  const covariance = pseudoInverse(normal);
  const value = covariance.mmul(rhs);
  let chi2 = 0;
  let seen = 0;
  for (const { s, h, w } of weighted) {
    const r = Matrix.sub(Matrix.columnVector([...s.value]), h.mmul(value));
    chi2 += r.transpose().mmul(w).mmul(r).get(0, 0);
    seen += s.value.length;
  }
  return { value, covariance, chi2, freedom: seen - size };
}

function determined(sources: readonly Source[]): boolean {
  const size = sources[0].sees[0].length;
  let normal = Matrix.zeros(size, size);
  for (const s of sources) {
    const h = matrixOf(s.sees);
    normal = Matrix.add(normal, h.transpose().mmul(h));
  }
  return full(normal);
}

/** Whether a symmetric matrix has full rank, judged on its scaled diagonal. */
function full(m: Matrix): boolean {
  const scale = m.diagonal().map((v) => (v > 0 ? 1 / Math.sqrt(v) : 0));
  if (scale.some((v) => v === 0)) return false;
  const scaled = new Matrix(m.to2DArray().map((row, i) => row.map((v, j) => v * scale[i] * scale[j])));
  const l = [...Array(m.rows).keys()].map(() => new Float64Array(m.rows));
  for (let i = 0; i < m.rows; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = scaled.get(i, j);
      for (let k = 0; k < j; k++) sum -= l[i][k] * l[j][k];
      if (i === j && !(sum > 1e-12)) return false;
      l[i][j] = i === j ? Math.sqrt(sum) : sum / l[j][j];
    }
  }
  return true;
}

const misplaced = ({ chi2, freedom }: Joined): boolean => freedom > 0 && chi2 > chiSquareLimit(freedom, SUSPICIOUS);

/** How much a source says: the trace of its information about what it sees. */
function information(s: Source): number {
  const h = matrixOf(s.sees);
  return h
    .transpose()
    .mmul(pseudoInverse(matrixOf(s.covariance)))
    .mmul(h)
    .trace();
}

const NORMAL_QUANTILES: Record<number, number> = { 0.95: 1.6449, 0.99: 2.3263 };

/** Value that a chi-square variable exceeds with probability `1 - share` (Wilson and Hilferty 1931; good to 1 %). */
export function chiSquareLimit(freedom: number, share: 0.95 | 0.99): number {
  if (freedom === 1) return share === 0.99 ? 6.635 : 3.841;
  const k = 2 / (9 * freedom);
  return freedom * (1 - k + NORMAL_QUANTILES[share] * Math.sqrt(k)) ** 3;
}
