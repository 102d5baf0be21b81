import { halfWidth95, sigmaOf95 } from '../estimate/confidence';
import { gaussNewton, NormalEquations } from '../estimate/normalEquations';
import { chiSquareLimit, type Agreement } from '../estimate/sources';
import { quaternionFromAttitude } from '../orient/attitude';
import { conjugate, rotate } from '../orient/quaternion';
import { cross, DEG, directionFromAngles, dot, normalize, wrap360, type Vec3 } from '../sphere/direction';
import { undistort } from './distortion';
import { heightFromLength, type KnownLength } from './heightFromLength';
import type { StrokeFamily } from './strokeFamily';
import { opticsOf, type Optics, type OpticsInput } from './strokesOptics';
import { startOf, type Start } from './strokesStart';

/** A logged value with its 95 % half width. */
export interface Logged {
  value: number;
  uncertainty: number;
}

export interface StrokesInput extends OpticsInput {
  /** One sigma of a stroke's end, pixels. */
  sigmaPx: number;
  /** One sigma about each axis by which an edge is built off its way, degrees; 0: as true as a drawing. */
  builtDeg?: number;
  /** One sigma of the radial distortion (first term, focal lengths squared) of a lens that nobody measured; 0: it draws straight lines straight. */
  barrel?: number;
  families: readonly StrokeFamily[];
  cameraHeightM: number | null;
  prior: { focalLengthMm?: Logged; tiltDeg?: Logged; rollDeg?: Logged; cameraHeightM?: Logged } | null;
  knownLength: KnownLength | null;
}

export interface CameraFromStrokes {
  /** Vertical focal length in pixels (the horizontal one is that over the squeeze); null when nothing tells it. */
  focalLengthPx: number | null;
  focalLengthMm: number | null;
  /** Null without a surveyed family. */
  headingDeg: number | null;
  tiltDeg: number;
  rollDeg: number;
  /** Height of the entrance pupil over the ground; null without a scale. */
  upM: number | null;
  /** Rms distance of the strokes' ends from lines to their vanishing points. */
  residualPx: number;
  uncertainty: {
    focalLengthMm: number | null;
    headingDeg: number | null;
    tiltDeg: number;
    rollDeg: number;
    upM: number | null;
  };
  /** With what was logged. */
  verdict: Agreement;
  cause: string | null;
  degenerate: string | null;
  /** Every stroke that counts, how far its ends lie from its vanishing point's lines, and whether it was set aside. */
  strokes: { family: number; stroke: number; residualPx: number; outlier: boolean }[];
}

/** Lenses reach from here to there, log of the focal length in widths of the picture. */
const LOG_FOCAL = { mean: Math.log(1.2), sigma: 1 } as const;
/** Nothing known of an angle, radians. */
const ANY_ANGLE = 1.5;
/** A focal length known no better than this (one sigma, share) is not told; nor is an angle (degrees). */
const FOCAL_TOLD = 0.2;
const ANGLE_TOLD_DEG = 8;
/** Shorter than this a stroke points nowhere, pixels. */
const SHORTEST_PX = 4;
/** A stroke that is this many sigmas off the others is not on an edge of its family. */
const STRAY_SIGMAS = 4;
/** Without another stroke set aside in its place, misfit must grow by this (chi-square of one unknown, 99.9 %) for a stray to be told from it. */
const SURELY_WORSE = 10.8;
/** Values that differ by more than chance allows. */
const DIFFER_SIGMAS = 2.58;
const STEP = 1e-6;
const BUILT_STEP = 1e-4;

/** A stroke that counts, its ends on the ideal picture. */
interface Counted {
  family: number;
  stroke: number;
  a: Vec3;
  b: Vec3;
}

/** What a state of the unknowns means. */
interface State {
  logFocal: number;
  tilt: number;
  roll: number;
  heading: number;
  /** First radial term of a lens that nobody measured. */
  barrel: number;
  /** By family; radians. Surveyed ones stay. */
  azimuths: Float64Array;
}

/**
 * Focal length, tilt, roll and (against a surveyed family) heading of a plate's camera from strokes along parallel edges, by least squares on
 * how far each stroke misses its family's vanishing point. What was logged is joined where it agrees; where it does not, the
 * picture stands alone and says so. Free families tell nothing of the camera. CONVENTIONS.md sections 1 and 5.
 * @throws RangeError for strokes without length, or when there is none that tells anything
 */
export function cameraFromStrokes(input: StrokesInput): CameraFromStrokes {
  const optics = opticsOf(input);
  const counted = countedStrokes(input, optics);
  if (counted.length === 0)
    throw new RangeError('no stroke tells anything of the camera: draw upright edges, or level ones, two at least');
  const alone = solveWithout(input, optics, counted, null);
  const told = toldBy(alone);
  const logged = priorOf(input);
  const differing = (['logFocal', 'tilt', 'roll'] as const).filter((k) => {
    const p = logged?.[k];
    return p && told[k] && Math.abs(alone.state[k] - p.value) > DIFFER_SIGMAS * Math.hypot(alone.sigma[k], p.sigma);
  });
  const compared = (['logFocal', 'tilt', 'roll'] as const).filter((k) => logged?.[k] && told[k]);
  const joined = logged && differing.length === 0 ? solveWithout(input, optics, counted, logged) : alone;
  const known = toldBy(joined);
  const { state, sigma } = joined;
  const mmPerPx = input.gateHeightMm / input.heightPx;
  const fixedFocal = optics.focalYPx !== null;
  const focalLengthPx = fixedFocal || known.logFocal ? Math.exp(state.logFocal) * optics.focalUnit : null;
  const scale = heightOf(input, optics, joined);
  const surveyed = input.families.some((f) => f.kind === 'level' && f.azimuthDeg !== null && f.strokes.length > 0);
  return {
    focalLengthPx,
    focalLengthMm: focalLengthPx === null ? null : focalLengthPx * mmPerPx,
    headingDeg: surveyed ? wrap360(state.heading / DEG) : null,
    tiltDeg: state.tilt / DEG,
    rollDeg: state.roll / DEG,
    upM: scale?.value ?? null,
    residualPx: joined.residualPx,
    uncertainty: {
      focalLengthMm:
        focalLengthPx === null ? null : fixedFocal ? 0 : halfWidth95(sigma.logFocal) * focalLengthPx * mmPerPx,
      headingDeg: surveyed ? halfWidth95(sigma.heading) / DEG : null,
      tiltDeg: halfWidth95(sigma.tilt) / DEG,
      rollDeg: halfWidth95(sigma.roll) / DEG,
      upM: scale?.uncertainty ?? null,
    },
    verdict: differing.length > 0 ? 'disagrees' : compared.length > 0 ? 'agrees' : 'cannotTell',
    cause: differing.length > 0 ? causeOf(input, differing, alone, logged!) : null,
    degenerate: degenerateWords(known, fixedFocal),
    strokes: joined.strokes,
  };
}

function countedStrokes(input: StrokesInput, optics: Optics): Counted[] {
  const ideal = (x: number, y: number, name: string): Vec3 => {
    if (!optics.distortion || optics.focalYPx === null) return [x, y, 1];
    const [fx, fy] = [optics.focalYPx * optics.ratio, optics.focalYPx];
    const at = undistort(optics.distortion, (x - optics.centreX) / fx, (y - optics.centreY) / fy);
    if (!at) throw new RangeError(`${name}: the lens sends no ray to ${x}, ${y}`);
    return [optics.centreX + fx * at[0], optics.centreY + fy * at[1], 1];
  };
  return input.families.flatMap((f, family) => {
    f.strokes.forEach(([x1, y1, x2, y2], k) => {
      if (Math.hypot(x2 - x1, y2 - y1) < SHORTEST_PX)
        throw new RangeError(`families.${family}.strokes.${k}: its ends lie on one point`);
    });
    // One level stroke of unknown azimuth meets the horizon somewhere, whatever the camera.
    const least = f.kind === 'level' && f.azimuthDeg === null ? 2 : 1;
    if (f.kind === 'free' || f.strokes.length < least) return [];
    return f.strokes.map(([x1, y1, x2, y2], stroke) => {
      const name = `families.${family}.strokes.${stroke}`;
      return { family, stroke, a: ideal(x1, y1, name), b: ideal(x2, y2, name) };
    });
  });
}

/** Where a world direction vanishes in the picture, homogeneous. */
function vanishing(optics: Optics, s: State, direction: Vec3): Vec3 {
  const turn = quaternionFromAttitude({ headingDeg: s.heading / DEG, tiltDeg: s.tilt / DEG, rollDeg: s.roll / DEG });
  const [x, y, z] = rotate(conjugate(turn), direction);
  const focal = Math.exp(s.logFocal) * optics.focalUnit;
  return [-optics.centreX * z + focal * optics.ratio * x, -optics.centreY * z - focal * y, -z];
}

/** A point as a lens without that bend would have it. */
function straightened([x, y]: Vec3, optics: Optics, s: State): Vec3 {
  if (s.barrel === 0) return [x, y, 1];
  const focal = Math.exp(s.logFocal) * optics.focalUnit;
  const [u, v] = [x - optics.centreX, y - optics.centreY];
  const k = 1 - s.barrel * ((u / (focal * optics.ratio)) ** 2 + (v / focal) ** 2);
  return [optics.centreX + k * u, optics.centreY + k * v, 1];
}

/** How far a stroke misses where a world direction vanishes, in sigmas of its ends at one pixel (Sampson 1982). */
function missOf(c: Counted, optics: Optics, s: State, direction: Vec3): number {
  return miss(straightened(c.a, optics, s), straightened(c.b, optics, s), vanishing(optics, s, direction));
}

/** How far a stroke misses for every radian that its edge is built off its way about an axis across it. */
function missPerRadian(c: Counted, optics: Optics, s: State, direction: Vec3): number {
  const across = normalize(cross(direction, Math.abs(direction[1]) > 0.7 ? [1, 0, 0] : UP));
  const here = missOf(c, optics, s, direction);
  const slope = (way: Vec3) =>
    (missOf(c, optics, s, normalize([0, 1, 2].map((i) => direction[i] + BUILT_STEP * way[i]) as unknown as Vec3)) - here) / BUILT_STEP; // prettier-ignore
  return Math.hypot(slope(across), slope(cross(direction, across)));
}

function miss(a: Vec3, b: Vec3, v: Vec3): number {
  const [ga, gb] = [cross(b, v), cross(v, a)];
  return dot(cross(a, b), v) / Math.hypot(ga[0], ga[1], gb[0], gb[1]);
}

interface Solved {
  state: State;
  sigma: { logFocal: number; tilt: number; roll: number; heading: number };
  covariance: (a: Column, b: Column) => number;
  residualPx: number;
  strokes: CameraFromStrokes['strokes'];
}

type Column = 'logFocal' | 'tilt' | 'roll';
type Prior = Partial<Record<Column, { value: number; sigma: number }>>;

function priorOf({ prior, heightPx, widthPx, gateHeightMm }: StrokesInput): Prior | null {
  if (!prior) return null;
  const { focalLengthMm: f, tiltDeg: t, rollDeg: r } = prior;
  const angle = ({ value, uncertainty }: Logged) => ({ value: value * DEG, sigma: sigmaOf95(uncertainty) * DEG });
  return {
    ...(f
      ? {
          logFocal: {
            value: Math.log((f.value * heightPx) / gateHeightMm / widthPx),
            sigma: sigmaOf95(f.uncertainty) / f.value,
          },
        }
      : {}),
    ...(t ? { tilt: angle(t) } : {}),
    ...(r ? { roll: angle(r) } : {}),
  };
}

/** Passes in which the strokes' own error is found from how they lie. */
const WIDENINGS = 4;

/** Solves, sets aside the stroke that strays farthest and solves again, while one does. */
function solveWithout(input: StrokesInput, optics: Optics, counted: readonly Counted[], prior: Prior | null): Solved {
  let kept = [...counted];
  for (;;) {
    const fit = solveWidened(input, optics, kept, prior);
    const size = (family: number) => kept.filter((c) => c.family === family).length;
    // Of two that differ neither can be called the stray.
    const stray = kept
      .map((c, k) => ({ c, sigmas: Math.abs(fit.residuals[k]) / fit.sigmas[k] }))
      .filter(({ c, sigmas }) => sigmas > STRAY_SIGMAS && size(c.family) > 2)
      .sort((p, q) => q.sigmas - p.sigmas)[0];
    if (stray && kept.length > fit.unknowns) {
      const without = (c: Counted) => kept.filter((k) => k !== c);
      const misfit = (c: Counted) => solveStated(input, optics, without(c), prior).chi2;
      const others = kept.filter((c) => c !== stray.c && c.family === stray.c.family);
      // Nor where the others run together as well without another of them: then all of them count for less.
      const least = misfit(stray.c) + SURELY_WORSE;
      if (others.every((c) => misfit(c) > least)) {
        kept = without(stray.c);
        continue;
      }
    }
    const { covariance, index, state } = fit;
    const columns = Math.round(Math.sqrt(covariance.length));
    const between = (a: Column, b: Column) =>
      index[a] < 0 || index[b] < 0 ? 0 : covariance[index[a] * columns + index[b]];
    const sigma = (c: keyof typeof index) => (index[c] < 0 ? 0 : Math.sqrt(covariance[index[c] * columns + index[c]]));
    return {
      state,
      sigma: { logFocal: sigma('logFocal'), tilt: sigma('tilt'), roll: sigma('roll'), heading: sigma('heading') },
      covariance: between,
      residualPx: Math.sqrt(fit.residuals.reduce((s, r) => s + r * r, 0) / kept.length),
      strokes: counted.map((c) => ({
        family: c.family,
        stroke: c.stroke,
        residualPx: Math.abs(missOf(c, optics, state, directionOf(input, state, c.family))),
        outlier: !kept.includes(c),
      })),
    };
  }
}

/** Solves with what an edge is built off its way counted beside the ends of its stroke; with the error that was stated of each. */
function solveStated(input: StrokesInput, optics: Optics, kept: readonly Counted[], prior: Prior | null) {
  const built = (input.builtDeg ?? 0) * DEG;
  const sigmasAt = (state: State | null) =>
    kept.map((c) =>
      state && built > 0
        ? Math.hypot(input.sigmaPx, built * missPerRadian(c, optics, state, directionOf(input, state, c.family)))
        : input.sigmaPx,
    );
  let stated = sigmasAt(null);
  let fit = solve(input, optics, kept, prior, stated);
  if (built > 0) fit = solve(input, optics, kept, prior, (stated = sigmasAt(fit.state)));
  return { ...fit, sigmas: stated };
}

/** Edges that are still not as straight or parallel as stated count for less: what is logged then weighs more, and what is told is told less surely. */
function solveWidened(input: StrokesInput, optics: Optics, kept: readonly Counted[], prior: Prior | null) {
  const stated = solveStated(input, optics, kept, prior);
  let fit: ReturnType<typeof solve> = stated;
  let { sigmas } = stated;
  for (let pass = 0; pass < WIDENINGS; pass++) {
    const freedom = kept.length - fit.unknowns;
    if (freedom <= 0 || fit.chi2 <= chiSquareLimit(freedom, 0.99)) break;
    const wider = Math.sqrt(fit.chi2 / freedom);
    fit = solve(input, optics, kept, prior, (sigmas = sigmas.map((s) => s * wider)));
  }
  // What strays is told by what was stated, not by what strays widened.
  return { ...fit, sigmas: stated.sigmas };
}

const UP: Vec3 = [0, 1, 0];
const directionOf = (input: StrokesInput, s: State, family: number): Vec3 =>
  input.families[family].kind === 'vertical' ? UP : directionFromAngles(s.azimuths[family] / DEG, 0);

/** Least squares from several focal lengths; the best is kept. */
function solve(
  input: StrokesInput,
  optics: Optics,
  kept: readonly Counted[],
  prior: Prior | null,
  sigmas: readonly number[],
) {
  const barrelSigma = optics.distortion ? 0 : (input.barrel ?? 0);
  const used = [...new Set(kept.map((c) => c.family))];
  const surveyed = used.filter((f) => input.families[f].azimuthDeg !== null && input.families[f].kind === 'level');
  const asked = used.filter((f) => input.families[f].kind === 'level' && !surveyed.includes(f));
  let size = 0;
  const index = {
    logFocal: optics.focalYPx === null ? size++ : -1,
    tilt: size++,
    roll: size++,
    heading: surveyed.length > 0 ? size++ : -1,
    barrel: barrelSigma > 0 ? size++ : -1,
  };
  const columns = ['logFocal', 'tilt', 'roll', 'heading', 'barrel'] as const;
  const azimuthAt = new Map(asked.map((f) => [f, size++]));
  const read = (s: State): Float64Array => {
    const x = new Float64Array(size);
    for (const c of columns) if (index[c] >= 0) x[index[c]] = s[c];
    for (const [f, at] of azimuthAt) x[at] = s.azimuths[f];
    return x;
  };
  const stateOf = (x: Float64Array, from: State): State => {
    const value = (c: (typeof columns)[number]) => (index[c] >= 0 ? x[index[c]] : from[c]);
    const azimuths = from.azimuths.slice();
    for (const [f, at] of azimuthAt) azimuths[f] = x[at];
    return {
      logFocal: value('logFocal'),
      tilt: value('tilt'),
      roll: value('roll'),
      heading: value('heading'),
      barrel: value('barrel'),
      azimuths,
    };
  };
  const residualsAt = (s: State) => kept.map((c) => missOf(c, optics, s, directionOf(input, s, c.family)));
  const logFocals =
    optics.focalYPx === null
      ? [0.45, 0.7, 1, 1.5, 2.2, 3.5].map(Math.log)
      : [Math.log(optics.focalYPx / optics.focalUnit)];
  const fits = logFocals.map((logFocal) => {
    const start: Start = startOf(kept, input.families, { ...optics, focal: Math.exp(logFocal) * optics.focalUnit });
    const begin: State = { logFocal, barrel: 0, ...start };
    let x = read(begin);
    let last: NormalEquations | null = null;
    const fill = (equations: NormalEquations): boolean => {
      const here = residualsAt(stateOf(x, begin));
      const slopes = Array.from({ length: size }, (_, k) => {
        const moved = x.slice();
        moved[k] += STEP;
        return residualsAt(stateOf(moved, begin)).map((r, i) => (r - here[i]) / STEP);
      });
      const all = Int32Array.from({ length: size }, (_, k) => k);
      here.forEach((r, i) => equations.add(all, slopes.map((s) => s[i]), r, 1 / sigmas[i] ** 2)); // prettier-ignore
      for (const c of ['logFocal', 'tilt', 'roll'] as const) {
        if (index[c] < 0) continue;
        const p = prior?.[c];
        if (p) equations.prior(index[c], x[index[c]] - p.value, p.sigma);
        else if (c === 'logFocal') equations.prior(index[c], x[index[c]] - LOG_FOCAL.mean, LOG_FOCAL.sigma);
        else equations.prior(index[c], x[index[c]], ANY_ANGLE);
      }
      if (index.heading >= 0) equations.prior(index.heading, 0, 1e3);
      if (index.barrel >= 0) equations.prior(index.barrel, x[index.barrel], barrelSigma);
      for (const at of azimuthAt.values()) equations.prior(at, 0, 1e3);
      last = equations;
      return true;
    };
    gaussNewton({
      size,
      passes: 60,
      fill,
      move: (step) => {
        const most = step.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
        const k = Math.min(1, 0.3 / most);
        x = x.map((v, i) => v + k * step[i]);
        return most < 1e-8;
      },
    });
    const state = stateOf(x, begin);
    const residuals = residualsAt(state);
    const chi2 = residuals.reduce((s, r, i) => s + (r / sigmas[i]) ** 2, 0);
    return { state, residuals, chi2: Number.isFinite(chi2) ? chi2 : Infinity, equations: last };
  });
  const best = fits.reduce((a, b) => (b.chi2 < a.chi2 ? b : a));
  const equations = best.equations ?? new NormalEquations(size);
  // An unknown that its prior holds takes no freedom from the strokes.
  const unknowns = size - (index.barrel >= 0 ? 1 : 0);
  return { ...best, index, unknowns, covariance: equations.solve().covariance() };
}

type Told = Record<Column, boolean>;

const toldBy = ({ sigma }: Solved): Told => ({
  logFocal: sigma.logFocal < FOCAL_TOLD,
  tilt: sigma.tilt < ANGLE_TOLD_DEG * DEG,
  roll: sigma.roll < ANGLE_TOLD_DEG * DEG,
});

function degenerateWords(told: Told, fixedFocal: boolean): string | null {
  const words: string[] = [];
  if (!told.tilt || !told.roll)
    words.push(
      'the strokes do not tell how the camera is tilted and rolled: draw upright edges, or level ones that run two ways',
    );
  if (!fixedFocal && !told.logFocal)
    words.push(
      'the strokes do not tell the focal length (families that stay parallel in the picture, or one alone, do not): draw level edges that run at 20 to 70 degrees to the view beside the upright ones, or state the focal length',
    );
  return words.length === 0 ? null : words.join('; ');
}

/** What makes a logged value differ from the picture's, as far as the numbers tell. */
function causeOf(input: StrokesInput, differing: readonly Column[], alone: Solved, prior: Prior): string {
  // As recorded, or brought back to its width.
  const square = (widthMm: number, heightMm: number) =>
    [1, input.squeeze].some((s) => Math.abs(Math.log((input.widthPx * heightMm) / (input.heightPx * s * widthMm))) < 0.05); // prettier-ignore
  if (!square(input.gateWidthMm, input.gateHeightMm)) {
    if (square(input.gateHeightMm, input.gateWidthMm)) return 'portrait: width and height of the gate are swapped';
    return 'squeeze or gate: pixels of this gate and squeeze are not as high as wide';
  }
  if (differing.includes('logFocal')) {
    const ratio = Math.exp(alone.state.logFocal - prior.logFocal!.value);
    const times = `the picture's focal length is ${ratio.toFixed(2)} times the logged one`;
    return ratio > 1
      ? `${times}: a smaller part of the sensor was recorded (sensor crop), the picture was enlarged (digital zoom), or the zoom stood elsewhere`
      : `${times}: a larger part of the sensor was recorded, or the zoom stood elsewhere`;
  }
  return `${differing.map((c) => (c === 'tilt' ? 'tilt' : 'roll')).join(' and ')} of the picture ${differing.length > 1 ? 'are' : 'is'} not what was logged: the camera moved after it was read, or the edges are not as upright or level as stated`;
}

/** Height of the pupil over the ground from a stated one or a known length, joined with the logged one where they agree. */
function heightOf(input: StrokesInput, optics: Optics, fit: Solved): Logged | null {
  const logged = input.prior?.cameraHeightM ?? null;
  if (input.cameraHeightM !== null) return { value: input.cameraHeightM, uncertainty: 0 };
  if (!input.knownLength) return logged;
  const measured = heightFromLength(input.knownLength, optics, fit.state, fit.covariance, input.sigmaPx);
  if (!logged) return measured;
  const [wm, wl] = [measured.uncertainty ** -2, logged.uncertainty ** -2];
  // What was logged and does not agree does not pull.
  if (Math.abs(measured.value - logged.value) > 1.3 * Math.hypot(measured.uncertainty, logged.uncertainty))
    return measured;
  return { value: (wm * measured.value + wl * logged.value) / (wm + wl), uncertainty: (wm + wl) ** -0.5 };
}
