import { CIRCLE_95 } from '../estimate/confidence';
import { gaussNewton, NormalEquations } from '../estimate/normalEquations';
import { DEG, wrap180 } from '../sphere/direction';

export interface SurveyMark {
  id: string;
  eastM: number;
  northM: number;
  /** Held where it is. */
  fixed: boolean;
}

export interface SurveyMeasure {
  id: string;
  from: string;
  to: string;
  kind: 'distance' | 'bearing';
  /** Metres on the level, or degrees from true north. */
  value: number;
  /** One sigma, in the same unit. */
  sigma: number;
}

export interface SolvedMark {
  id: string;
  eastM: number;
  northM: number;
  /** Half axes of the 95 % ellipse, metres, and the bearing of the longer. Null when nothing ties the mark. */
  ellipse: { majorM: number; minorM: number; bearingDeg: number } | null;
}

export interface SurveySolution {
  marks: SolvedMark[];
  /** Measured minus computed, in the measure's unit, and the same over its sigma. */
  residuals: { id: string; residual: number; sigmas: number }[];
  /** Square root of the weighted sum of squares over the surplus; null without surplus. */
  sigmaZero: number | null;
  surplus: number;
  /** Marks whose position the measures do not determine: they keep what they had. */
  untied: string[];
}

/** A measure as the plan keeps it. */
interface PlanMeasure extends Omit<SurveyMeasure, 'from' | 'to'> {
  fromMarkId: string;
  toMarkId: string;
}

/** The plan of a set solved from its measures; those to marks that are gone are left out. What contradicts is said instead of solved. */
export function solvePlan(
  marks: readonly SurveyMark[],
  measures: readonly PlanMeasure[],
): SurveySolution | { fault: string } {
  const known = new Set(marks.map((m) => m.id));
  try {
    return solveSurvey(
      marks,
      measures
        .filter((m) => known.has(m.fromMarkId) && known.has(m.toMarkId))
        .map(({ id, fromMarkId, toMarkId, kind, value, sigma }) => ({
          id,
          from: fromMarkId,
          to: toMarkId,
          kind,
          value,
          sigma,
        })),
    );
  } catch (error) {
    if (error instanceof RangeError) return { fault: error.message };
    throw error;
  }
}

/** Marks are held this loosely near where they were drawn, so that the normal equations can be solved; tied ones do not feel it. */
const LOOSE_M = 1000;

/**
 * Positions of marks by least squares from level distances and true bearings (Gauss-Newton from the drawn positions).
 * Frame: metres east and north of the location's origin. @throws RangeError when a measure names an unknown mark or two marks coincide
 */
export function solveSurvey(marks: readonly SurveyMark[], measures: readonly SurveyMeasure[]): SurveySolution {
  const at = new Map(marks.map((m) => [m.id, { e: m.eastM, n: m.northM }]));
  for (const m of measures)
    for (const id of [m.from, m.to])
      if (!at.has(id)) throw new RangeError(`measure ${m.id} names a mark that is not on the plan`);
  const free = marks.filter((m) => !m.fixed);
  const column = new Map(free.map((m, i) => [m.id, 2 * i]));
  const size = 2 * free.length;
  const computed = (m: SurveyMeasure) => {
    const a = at.get(m.from)!;
    const b = at.get(m.to)!;
    const [de, dn] = [b.e - a.e, b.n - a.n];
    const d = Math.hypot(de, dn);
    if (d < 1e-6)
      throw new RangeError(
        `the two ends of measure ${m.id} are drawn at the same place: move one roughly to where it stands`,
      );
    return m.kind === 'distance'
      ? { value: d, ge: de / d, gn: dn / d, residual: m.value - d }
      : {
          value: 0,
          ge: dn / (d * d) / DEG,
          gn: -de / (d * d) / DEG,
          residual: wrap180(m.value - Math.atan2(de, dn) / DEG),
        };
  };
  const fill = (equations: NormalEquations): boolean => {
    for (const m of measures) {
      const { ge, gn, residual } = computed(m);
      const terms: [number, number][] = [];
      const to = column.get(m.to);
      const from = column.get(m.from);
      if (to !== undefined) terms.push([to, ge], [to + 1, gn]);
      if (from !== undefined) terms.push([from, -ge], [from + 1, -gn]);
      // The residual falls as the computed value grows.
      equations.add(
        terms.map(([i]) => i),
        terms.map(([, g]) => -g),
        residual,
        1 / (m.sigma * m.sigma),
      );
    }
    equations.stiffen(1 / (LOOSE_M * LOOSE_M));
    return true;
  };
  const move = (step: Float64Array): boolean => {
    // A long step from a rough drawing is cut, so that bearings do not flip over.
    const most = Math.max(...step.map(Math.abs));
    const k = most > 3 ? 3 / most : 1;
    free.forEach((m, i) => {
      const p = at.get(m.id)!;
      p.e += k * step[2 * i];
      p.n += k * step[2 * i + 1];
    });
    return most < 1e-7;
  };
  let covariance: Float64Array | null = null;
  if (size > 0) {
    gaussNewton({ size, passes: 40, fill, move });
    const last = new NormalEquations(size);
    fill(last);
    covariance = last.solve().covariance();
  }
  const untied: string[] = [];
  const solved = marks.map((m): SolvedMark => {
    const p = at.get(m.id)!;
    const i = column.get(m.id);
    if (i === undefined || !covariance)
      return { id: m.id, eastM: m.eastM, northM: m.northM, ellipse: { majorM: 0, minorM: 0, bearingDeg: 0 } };
    const [ee, nn, en] = [covariance[i * size + i], covariance[(i + 1) * size + i + 1], covariance[i * size + i + 1]];
    const mean = (ee + nn) / 2;
    const spread = Math.hypot((ee - nn) / 2, en);
    const major = Math.sqrt(mean + spread);
    if (major > LOOSE_M / 10) {
      untied.push(m.id);
      return { id: m.id, eastM: p.e, northM: p.n, ellipse: null };
    }
    const bearing = 0.5 * Math.atan2(2 * en, nn - ee);
    return {
      id: m.id,
      eastM: p.e,
      northM: p.n,
      ellipse: {
        majorM: CIRCLE_95 * major,
        minorM: CIRCLE_95 * Math.sqrt(Math.max(0, mean - spread)),
        bearingDeg: (((bearing / DEG) % 180) + 180) % 180,
      },
    };
  });
  const residuals = measures.map((m) => {
    const { residual } = computed(m);
    return { id: m.id, residual, sigmas: residual / m.sigma };
  });
  const surplus = measures.length - (size - 2 * untied.length);
  const sum = residuals.reduce((s, r) => s + r.sigmas * r.sigmas, 0);
  return {
    marks: solved,
    residuals,
    sigmaZero: surplus > 0 ? Math.sqrt(sum / surplus) : null,
    surplus: Math.max(0, surplus),
    untied,
  };
}
