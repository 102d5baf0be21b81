import { gaussNewton, type NormalEquations } from '../estimate/normalEquations';
import { quantile, tukeyCut, tukeyWeight } from '../estimate/robust';
import { decodingTable, type Curve } from '../colour/curves';
import {
  codeAtKnot,
  knotOf,
  logCurve,
  RESPONSE_KNOTS as KNOTS,
  responseTables,
  tablesDifferenceStops,
  type KeptResponse,
  type ResponseTables,
} from './responseTables';

/** One sampled place of a scene: its code in every frame of its bracket. */
export interface ResponseSample {
  /** Index of the frame's exposure, see `exposures`. */
  rungs: number[];
  /** Codes 0..255 of those frames. */
  codes: number[];
}

export interface ResponseOptions {
  /** Curve to start from: the result is a smooth departure from it. */
  prior?: Curve;
  /** One-sigma error of nominal exposures, as a share. */
  shutterSigma?: number;
  /** What earlier rounds taught of this camera, of the same curve: the result is a small departure from it. */
  learned?: KeptResponse;
}

export interface RecoveredResponse {
  /** Linear value of each code, one table a channel; code 255 is 1. Monotone. */
  tables: ResponseTables;
  /** The same as it is kept for the next round. */
  kept: KeptResponse;
  /** Real over nominal exposure of every rung; their weighted mean is 1. */
  exposureFactors: number[];
  /** Root mean square of what the model leaves unexplained, stops; large for pictures that were tone-mapped place by place. */
  residualStops: number;
  /** The same beyond what noise and rounding explain: above 1 the picture has no single response. */
  residualRatio: number;
  /** The round shows codes 20 to 240, and at least three exposures, well enough to believe the tables. */
  covered: boolean;
  /** Largest departure from the prior curve over codes 20 to 240 after one scale factor, stops. */
  departureStops: number;
  /** The same from what earlier rounds taught; null without. */
  changeStops: number | null;
  samples: number;
}

/** One place of one channel under the solution so far: its rows (columns `i` with factors `v`), their summed weight, log radiance and scatter in sigmas. */
interface Place {
  parts: { i: number[]; v: number[]; value: number; w: number }[];
  total: number;
  mean: number;
  chi: number;
}

/** Codes that carry weight: below noise and rounding rule (and bias the mean), above clipping may hide. */
const LOW = 6;
const HIGH = 251;
/** Spread of camera curves around the prior, natural log. */
const CURVE_SIGMA = 0.5;
/** The same camera at the same settings: what is left is the error of the earlier rounds, natural log. */
const LEARNED_SIGMA = 0.05;
/** Codes 20 to 240 are covered when this many of eight equal parts hold observations of every channel: what a dim channel lacks at its bright end follows from its own curve and the usual one. */
const PARTS_NEEDED = 5;
const PART_LEAST = 25;
/** An exposure is one of the three when it shows codes from here on `PART_LEAST` times: one below says too little, by its rounding, of how they are spaced. */
const RUNG_LOW = 10;
/** How stiff that departure is along the logarithm of light: an exponent costs nothing, a wave from one exposure to the next (which no bracket can see) costs most. */
const STIFFNESS = 0.3;
/** Light below this is dark to every camera: the logarithm bends there. */
const DARK = 0.0005;
/** An exposure seen this often counts half of one that was seen everywhere. */
const WELL_SEEN = 100;
const PASSES = 6;
const HELD = 1e7;

const lightAt = (table: Float32Array, code: number) =>
  table[Math.floor(code)] + (code % 1) * (table[Math.min(255, Math.floor(code) + 1)] - table[Math.floor(code)]);

/** Standard deviation of the logarithm of a value known by its code: rounding, and shot noise of a sensor of 30 000 electrons averaged a little by the file. */
function logSigma(table: Float32Array, code: number): number {
  const value = table[code];
  const step =
    (table[Math.min(255, code + 1)] - table[Math.max(0, code - 1)]) / (Math.min(255, code + 1) - Math.max(0, code - 1));
  const variance = (step * step) / 12 + value / 30000 + (4 / 30000) ** 2;
  return Math.sqrt(variance) / Math.max(value, 1e-6);
}

/**
 * Response of an 8-bit camera and the true ratios of its exposures, from what the same places look like in several frames.
 *
 * The logarithm of the response is the prior curve plus a smooth piecewise linear departure; place by place radiances are eliminated, departures (one
 * a channel) and exposure factors (common to the channels, held near 1 by `shutterSigma`) solved by robust least squares (after Debevec and Malik 1997,
 * with the exposures unknown as in Mitsunaga and Nayar 1999). One exponent of the response and the mean spacing of the exposures cannot be told apart:
 * the nominal exposures decide.
 *
 * @param samples per channel; places that are flat, so that blur and motion do not matter
 * @param exposures nominal X of every rung
 * @throws RangeError with fewer than two rungs or too few samples
 */
export function recoverResponse(
  samples: readonly [readonly ResponseSample[], readonly ResponseSample[], readonly ResponseSample[]],
  exposures: readonly number[],
  options: ResponseOptions = {},
): RecoveredResponse {
  const rungs = exposures.length;
  if (rungs < 2) throw new RangeError('a response needs at least two exposures of the same places');
  const usable = samples.map((list) => list.filter((s) => s.codes.filter((c) => c >= LOW && c <= HIGH).length >= 2));
  if (usable.some((l) => l.length < 60))
    throw new RangeError('too few places are neither black nor clipped in two frames to recover a response from');
  const curve = options.prior ?? 'srgb';
  const learned = options.learned?.curve === curve ? options.learned : undefined;
  const prior = decodingTable(curve, 255);
  const sigma = options.shutterSigma ?? 0.05;
  const size = 3 * KNOTS + rungs;
  const logPrior = logCurve(curve);
  /** Departures that are the likeliest beforehand. */
  const before = [0, 1, 2].flatMap((c) => learned?.departures[c] ?? new Array<number>(KNOTS).fill(0));
  const curveSigma = learned ? LEARNED_SIGMA : CURVE_SIGMA;
  const logX = exposures.map(Math.log);
  // Only exposures that were seen take part: an unseen one would give way for all the others.
  const seen = logX.map((_, k) =>
    usable.reduce(
      (sum, l) =>
        sum + l.filter((s) => s.rungs.some((r, i) => r === k && s.codes[i] >= LOW && s.codes[i] <= HIGH)).length,
      0,
    ),
  );
  const counted = seen.map((n) => n / (n + WELL_SEEN));
  const whole = counted.reduce((sum, n) => sum + n, 0);
  const share = counted.map((n) => n / whole);
  const meanX = logX.reduce((sum, v, k) => sum + share[k] * v, 0);
  const spacing = logX.map((v, k) => share[k] * (v - meanX));
  const light = Array.from({ length: KNOTS }, (_, k) => Math.log(lightAt(prior, codeAtKnot(k)) + DARK));
  let solution = Float64Array.from({ length: size }, (_, i) => before[i] ?? 0);
  let spread = 0;
  let residualSquares = 0;
  let expectedSquares = 0;
  let rows = 0;
  const evaluate = (channel: number, code: number) => {
    const { left, share } = knotOf(code);
    const o = channel * KNOTS + left;
    return logPrior[code] + (1 - share) * solution[o] + share * solution[o + 1];
  };
  /** Mean row of a place, and which of its columns count: kept between places, empty between them. */
  const [meanRow, counts] = [new Float64Array(size), new Uint8Array(size)];
  const fill = (equations: NormalEquations): boolean => {
    residualSquares = 0;
    expectedSquares = 0;
    rows = 0;
    const places: Place[] = [];
    for (let channel = 0; channel < 3; channel++) {
      for (const s of usable[channel]) {
        // Rows of one place: log value - log X - factor = log radiance; the radiance is their weighted mean.
        const parts: Place['parts'] = [];
        let total = 0;
        let mean = 0;
        s.codes.forEach((code, k) => {
          if (code < LOW || code > HIGH) return;
          const rung = s.rungs[k];
          const { left, share } = knotOf(code);
          const value = evaluate(channel, code) - logX[rung] - solution[3 * KNOTS + rung];
          const sd = logSigma(prior, code) + 0.004 + 0.25 / code;
          parts.push({
            i: [channel * KNOTS + left, channel * KNOTS + left + 1, 3 * KNOTS + rung],
            v: [1 - share, share, -1],
            value,
            w: 1 / (sd * sd),
          });
          total += 1 / (sd * sd);
          mean += value / (sd * sd);
        });
        mean /= total;
        let chi = 0;
        for (const p of parts) chi += p.w * (p.value - mean) ** 2;
        places.push({ parts, total, mean, chi: Math.sqrt(chi / (parts.length - 1)) });
      }
    }
    // What most places leave unexplained now: far more than their noise while the curve is still wrong.
    spread = Math.max(
      0.5,
      quantile(
        places.map(({ chi }) => chi),
        0.7,
      ),
    );
    const cut = tukeyCut(spread);
    for (const { parts, total, mean, chi } of places) {
      // Robust weight of the whole place: somebody walked through it, or it lies on an edge.
      const robust = tukeyWeight(chi / cut);
      if (robust === 0) continue;
      // With the place's radiance taken out, sum w (v - m)(v - m)T is sum w v vT less the total weight times m mT, m the mean of the rows v.
      const columns: number[] = [];
      for (const p of parts) {
        residualSquares += (p.value - mean) ** 2 * robust;
        expectedSquares += robust / p.w;
        rows += robust;
        equations.add(p.i, p.v, p.value - mean, robust * p.w);
        for (let m = 0; m < p.i.length; m++) {
          const c = p.i[m];
          if (!counts[c]) columns.push(c);
          counts[c] = 1;
          meanRow[c] += (p.w / total) * p.v[m];
        }
      }
      equations.add(
        columns,
        columns.map((c) => meanRow[c]),
        0,
        -robust * total,
      );
      for (const c of columns) meanRow[c] = counts[c] = 0;
    }
    for (let channel = 0; channel < 3; channel++) {
      for (let k = 1; k < KNOTS - 1; k++) {
        const i = [channel * KNOTS + k - 1, channel * KNOTS + k, channel * KNOTS + k + 1];
        const [h, g] = [light[k] - light[k - 1], light[k + 1] - light[k]];
        // Second derivative, times the root of the stretch of curve it stands for.
        const root = Math.sqrt((h + g) / 2);
        const v = [(2 * root) / (h * (h + g)), (-2 * root) / (h * g), (2 * root) / (g * (h + g))];
        const weight = (places.length / 3) * STIFFNESS;
        const off = i.map((at) => solution[at] - before[at]);
        const r = v[0] * off[0] + v[1] * off[1] + v[2] * off[2];
        equations.add(i, v, r, weight);
      }
      for (let k = channel * KNOTS; k < (channel + 1) * KNOTS; k++)
        equations.prior(k, solution[k] - before[k], curveSigma);
      // One scale a channel is free: the departure is held in the middle of the codes.
      const middle = channel * KNOTS + Math.round((KNOTS - 1) * Math.pow(128 / 255, 0.7));
      equations.prior(middle, solution[middle] - before[middle], 1e-3);
    }
    const factorColumns = Array.from({ length: rungs }, (_, k) => 3 * KNOTS + k);
    for (const i of factorColumns) equations.prior(i, solution[i], sigma);
    // Mean and mean spacing of the exposures are the tags': a flatter response with closer exposures would explain any noise better.
    for (const c of [share, spacing]) {
      equations.add(
        factorColumns,
        c,
        c.reduce((sum, v, k) => sum + v * solution[3 * KNOTS + k], 0),
        HELD,
      );
    }
    equations.stiffen(1e-9);
    return true;
  };
  gaussNewton({
    size,
    passes: PASSES,
    fill,
    move: (step) => {
      solution = solution.map((v, i) => v + step[i]);
      return step.every((d) => Math.abs(d) < 1e-5);
    },
  });
  const factors = Array.from({ length: rungs }, (_, k) => solution[3 * KNOTS + k]);
  const meanFactor = factors.reduce((s, f, k) => s + share[k] * f, 0);
  const kept: KeptResponse = {
    curve,
    departures: [0, 1, 2].map((c) => [...solution.subarray(c * KNOTS, (c + 1) * KNOTS)]) as KeptResponse['departures'],
  };
  const tables = responseTables(kept);
  const residual = Math.sqrt(residualSquares / Math.max(1, rows));
  return {
    tables,
    kept,
    exposureFactors: factors.map((f) => Math.exp(f - meanFactor)),
    residualStops: residual / Math.LN2,
    residualRatio: Math.max(spread, residual / Math.sqrt(expectedSquares / Math.max(1, rows))),
    covered: coverage(usable),
    departureStops: tablesDifferenceStops(tables, [prior, prior, prior]),
    changeStops: learned ? tablesDifferenceStops(tables, responseTables(learned)) : null,
    samples: usable.reduce((s, l) => s + l.length, 0),
  };
}

function coverage(lists: readonly (readonly ResponseSample[])[]): boolean {
  const ofRungs = new Map<number, number>();
  const told = lists.map((list) => {
    const parts = new Array<number>(8).fill(0);
    for (const s of list) {
      s.codes.forEach((c, k) => {
        if (c >= RUNG_LOW && c <= HIGH) ofRungs.set(s.rungs[k], (ofRungs.get(s.rungs[k]) ?? 0) + 1);
        if (c >= 20 && c <= 240) parts[Math.min(7, Math.floor((c - 20) / 27.6))]++;
      });
    }
    return parts.filter((n) => n >= PART_LEAST).length >= PARTS_NEEDED;
  });
  return told.every(Boolean) && [...ofRungs.values()].filter((n) => n >= PART_LEAST).length >= 3;
}
