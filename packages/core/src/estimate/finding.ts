import type { Measured, Provenance } from './provenance';
import { adoptScalar, type Agreement } from './sources';

/** One source's word on a quantity, as it is shown. */
export interface FindingSource {
  name: string;
  value: number;
  /** 95 % half width. */
  uncertainty: number;
  provenance: Provenance;
  /** Its value minus the adopted one. */
  residual: number;
  /** Share in what was adopted; the shares sum to 1. */
  weight: number;
  outlier: boolean;
  /** Named only when it was tested against others. */
  cause: string | null;
}

/** What was adopted for a quantity, and every source that spoke of it: orientation, scale and colour alike. */
export interface Finding {
  adopted: Measured;
  verdict: Agreement;
  sources: FindingSource[];
}

/**
 * Adopts a value from sources, the strongest kind first. While they agree all are joined; when they do not and no outlier can be
 * named, the first measured one stands alone and the verdict says so: a prediction never pulls at a measurement that contradicts it.
 * @throws RangeError when there are none
 */
export function findingOf(
  sources: readonly Pick<FindingSource, 'name' | 'value' | 'uncertainty' | 'provenance'>[],
): Finding {
  const joined = adoptScalar(sources);
  const alone = joined.verdict === 'disagrees' ? (sources.find((s) => s.provenance.kind === 'measured') ?? null) : null;
  const value = alone?.value ?? joined.value;
  const weight = (k: number) => (alone ? (sources[k] === alone ? 1 : 0) : joined.sources[k].weight);
  const leading =
    alone ?? sources.reduce((best, s, k) => (weight(k) > weight(sources.indexOf(best)) ? s : best), sources[0]);
  return {
    adopted: { value, uncertainty: alone?.uncertainty ?? joined.uncertainty, provenance: leading.provenance },
    verdict: joined.verdict,
    sources: sources.map(({ name, value: own, uncertainty, provenance }, k) => ({
      name,
      value: own,
      uncertainty,
      provenance,
      residual: own - value,
      weight: weight(k),
      outlier: joined.sources[k].outlier,
      cause: null,
    })),
  };
}
