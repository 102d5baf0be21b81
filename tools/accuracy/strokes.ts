import {
  cameraFromStrokes,
  conjugate,
  cross,
  DEG,
  directionFromAngles,
  dot,
  fromRotationVector,
  quaternionFromAttitude,
  rotate,
  type Stroke,
  type StrokesInput,
  type Vec3,
} from '@tawny/core';
import { createRandom } from '@tawny/simset';
import { inverse, Matrix } from 'ml-matrix';
import { heavyTailed } from './heavyTailed';
import { quantile, rms, type Row, type Section } from './table';

type Random = ReturnType<typeof createRandom>;

const [WIDTH, HEIGHT] = [2048, 1152];
const GATE = { gateWidthMm: 28, gateHeightMm: 15.75 };
const SIGMA_PX = 0.7;

/** What sets differ in. */
interface Kind {
  /** Strokes are a sixth of the width long, and up to this share. */
  longest: number;
  /**
   * Off the model: errors of heavy tails, walls that lean and level edges that are not (one sigma of each stroke, degrees), and a lens that bends
   * without anybody knowing (one sigma of the radial term).
   */
  off: { leanDeg: number; barrel: number } | null;
  /** The azimuths of both level families are known. */
  surveyed: boolean;
}
const SHORT: Kind = { longest: 0.3, off: null, surveyed: false };
const SURVEYED: Kind = { longest: 0.3, off: null, surveyed: true };
const LONG: Kind = { longest: 0.6, off: null, surveyed: false };
const OFF: Kind = { longest: 0.3, off: { leanDeg: 0.15, barrel: 0.005 }, surveyed: false };

interface Truth {
  focal: number;
  headingDeg: number;
  tiltDeg: number;
  rollDeg: number;
}

const directions = (azimuths: readonly number[]): Vec3[] => [
  [0, 1, 0],
  ...azimuths.map((a) => directionFromAngles(a, 0)),
];

/** Where a direction of the world vanishes in the picture, by a formula of its own: pixels, homogeneous. */
function vanishes(t: Truth, direction: Vec3): [number, number, number] {
  const [x, y, z] = rotate(conjugate(quaternionFromAttitude(t)), direction);
  return [t.focal * x - (WIDTH / 2) * z, -t.focal * y - (HEIGHT / 2) * z, -z];
}

const between = (random: Random, a: number, b: number) => a + (b - a) * random.next();

/** A stroke of a sixth of the width or more towards a vanishing point, begun in one third of the picture across its way, and its ends as they truly lie. */
function drawStroke(
  random: Random,
  v: readonly [number, number, number],
  third: number,
  upright: boolean,
  longest: number,
  bend: (x: number, y: number) => [number, number],
) {
  for (let tries = 0; ; tries++) {
    // Where the vanishing point leaves no room in its third, anywhere.
    const spread = () => (tries < 200 ? (third + random.next()) / 3 : between(random, 0.05, 0.95));
    const x = (upright ? spread() : between(random, 0.05, 0.95)) * WIDTH;
    const y = (upright ? between(random, 0.05, 0.95) : spread()) * HEIGHT;
    const way: [number, number] = [v[0] - v[2] * x, v[1] - v[2] * y];
    const n = Math.hypot(...way);
    const length = between(random, 1 / 6, longest) * WIDTH;
    const end: [number, number] = [x + (way[0] / n) * length, y + (way[1] / n) * length];
    if (end[0] < 0 || end[1] < 0 || end[0] > WIDTH || end[1] > HEIGHT) continue;
    const exact: Stroke = [x, y, ...end];
    const bent = [...bend(x, y), ...bend(...end)];
    const seen = bent.map((p) => p + SIGMA_PX * random.normal()) as unknown as Stroke;
    return { exact, seen };
  }
}

interface Trial {
  fieldDeg: number;
  tiltDeg: number;
  error: { focal: number; tilt: number; roll: number };
  least: { focal: number; tilt: number; roll: number };
  inside: { focal: boolean; tilt: boolean; roll: boolean };
}

/** Upright edges and two ways of level ones, as a building shows them. */
function trial(seed: number, fieldDeg: number, { longest, off, surveyed }: Kind): Trial {
  const plain = createRandom(seed, `strokes ${fieldDeg}`);
  const random = off ? heavyTailed(plain) : plain;
  const truth: Truth = {
    focal: WIDTH / 2 / Math.tan((fieldDeg / 2) * DEG),
    headingDeg: 0,
    tiltDeg: between(random, -15, 15),
    rollDeg: between(random, -3, 3),
  };
  const first = between(random, 20, 70);
  const azimuths = [first, first - 90];
  const barrel = off ? off.barrel * random.normal() : 0;
  const bend = (x: number, y: number): [number, number] => {
    const [u, v] = [(x - WIDTH / 2) / truth.focal, (y - HEIGHT / 2) / truth.focal];
    const k = 1 + barrel * (u * u + v * v);
    return [WIDTH / 2 + k * u * truth.focal, HEIGHT / 2 + k * v * truth.focal];
  };
  const built = () => (off ? off.leanDeg * DEG * random.normal() : 0);
  const lines = directions(azimuths).map((d, f) => {
    const strokes = Array.from({ length: 3 }, (_, third) => {
      const edge = rotate(fromRotationVector([built(), built(), built()]), d);
      return drawStroke(random, vanishes(truth, edge), third, f === 0, longest, bend);
    });
    return { d, strokes };
  });
  const input: StrokesInput = {
    widthPx: WIDTH,
    heightPx: HEIGHT,
    ...GATE,
    squeeze: 1,
    sigmaPx: SIGMA_PX,
    ...(off ? { builtDeg: off.leanDeg, barrel: off.barrel } : {}),
    families: lines.map(({ strokes }, k) => ({
      kind: k === 0 ? 'vertical' : 'level',
      azimuthDeg: k === 0 || !surveyed ? null : azimuths[k - 1],
      strokes: strokes.map((s) => s.seen),
    })),
    focalLengthMm: null,
    cameraHeightM: null,
    lens: null,
    prior: null,
    knownLength: null,
  };
  const found = cameraFromStrokes(input);
  const least = leastOf(truth, azimuths, lines.map((l) => l.strokes.map((s) => s.exact))); // prettier-ignore
  const focalMm = (truth.focal * GATE.gateHeightMm) / HEIGHT;
  const error = {
    focal: found.focalLengthMm === null ? NaN : found.focalLengthMm / focalMm - 1,
    tilt: found.tiltDeg - truth.tiltDeg,
    roll: found.rollDeg - truth.rollDeg,
  };
  return {
    fieldDeg,
    tiltDeg: truth.tiltDeg,
    error,
    least,
    inside: {
      focal: Math.abs(error.focal) * focalMm <= (found.uncertainty.focalLengthMm ?? Infinity),
      tilt: Math.abs(error.tilt) <= found.uncertainty.tiltDeg,
      roll: Math.abs(error.roll) <= found.uncertainty.rollDeg,
    },
  };
}

/**
 * Least standard deviations by Cramér and Rao. A stroke whose ends lie a and b away from the vanishing point tells how far that lies beside it to
 * sigma hypot(a, b) / |a - b|; focal length (share), tilt, roll and both azimuths are asked.
 */
function leastOf(truth: Truth, azimuths: readonly number[], strokes: readonly (readonly Stroke[])[]): Trial['least'] {
  let information = Matrix.zeros(5, 5);
  const at = (p: readonly number[]) =>
    directions([azimuths[0] + p[3], azimuths[1] + p[4]]).map(
      (d) =>
      vanishes({ ...truth, focal: truth.focal * (1 + p[0]), tiltDeg: truth.tiltDeg + p[1], rollDeg: truth.rollDeg + p[2] }, d), // prettier-ignore
    );
  const none = [0, 0, 0, 0, 0];
  const h = 1e-5;
  const moved = none.map((_, k) => at(none.map((v, i) => (i === k ? v + h : v))));
  strokes.forEach((family, f) =>
    family.forEach(([x1, y1, x2, y2]) => {
      const line = cross([x1, y1, 1], [x2, y2, 1]);
      const [a, b] = [cross([x2, y2, 1], at(none)[f]), cross(at(none)[f], [x1, y1, 1])];
      const sigma = SIGMA_PX * Math.hypot(a[0], a[1], b[0], b[1]);
      const slopes = moved.map((v) => dot(line, v[f]) / h);
      const row = Matrix.rowVector(slopes.map((s) => s / sigma));
      information = Matrix.add(information, row.transpose().mmul(row));
    }),
  );
  const [focal, tilt, roll] = inverse(information).diagonal().map(Math.sqrt);
  return { focal, tilt, roll };
}

const FIELDS_DEG = [25, 40, 50, 75];
type Asked = 'focal' | 'tilt' | 'roll';

const trialsOf = (sets: number, fieldDeg: number, kind: Kind) =>
  Array.from({ length: sets }, (_, k) => trial(k + 1, fieldDeg, kind));
const toldOf = (trials: readonly Trial[]) => trials.filter((t) => Number.isFinite(t.error.focal));

function theoryRow(fieldDeg: number, trials: readonly Trial[]): Row {
  const told = toldOf(trials);
  const ratios = (['focal', 'tilt', 'roll'] as const).map((k) => rms(told.map((t) => t.error[k] / t.least[k])));
  return {
    what: `${fieldDeg}° field: rms over Cramér-Rao of focal length, tilt, roll (focal length told in ${told.length} of ${trials.length})`,
    bound: '1.15',
    measured: ratios.map((r) => r.toFixed(2)).join(', '),
    holds: ratios.every((r) => r <= 1.15),
  };
}

function focalRow(fieldDeg: number, trials: readonly Trial[], leastCounts = true): Row {
  const told = toldOf(trials);
  const errors = told.map((t) => t.error.focal);
  const focal = rms(errors);
  return {
    what: `${fieldDeg}° field: focal length, rms${leastCounts ? ' (least possible by Cramér-Rao)' : ''}; median`,
    bound: '2 %',
    measured: `${(100 * focal).toFixed(2)} %${leastCounts ? ` (${(100 * rms(told.map((t) => t.least.focal))).toFixed(2)} %)` : ''}; ${(100 * quantile(errors.map(Math.abs), 0.5)).toFixed(2)} %`,
    holds: focal <= 0.02,
  };
}

function leanRow(fieldDeg: number, trials: readonly Trial[]): Row {
  const [tilt, roll] = [rms(trials.map((t) => t.error.tilt)), rms(trials.map((t) => t.error.roll))];
  return {
    what: `${fieldDeg}° field: tilt, roll, rms; 95th percentile of either`,
    bound: '0.3°',
    measured: `${tilt.toFixed(3)}°, ${roll.toFixed(3)}°; ${quantile(
      trials.flatMap((t) => [Math.abs(t.error.tilt), Math.abs(t.error.roll)]),
      0.95,
    ).toFixed(2)}°`,
    holds: tilt <= 0.3 && roll <= 0.3,
  };
}

function insideRow(fieldDeg: number, trials: readonly Trial[]): Row {
  const told = toldOf(trials);
  const share = (k: Asked) => (100 * told.filter((t) => t.inside[k]).length) / told.length;
  const shares = [share('focal'), share('tilt'), share('roll')];
  return {
    what: `${fieldDeg}° field: truth inside the stated interval of focal length, tilt, roll`,
    bound: '93-97 %',
    measured: shares.map((s) => `${s.toFixed(1)} %`).join(', '),
    holds: shares.every((s) => s >= 93 && s <= 97),
  };
}

export function strokesSections(sets: number): Section[] {
  return [
    {
      title: 'Plate camera from strokes',
      how: `${sets} sets a field without pictures: three strokes of a sixth of the picture's width to three tenths of it in each of three families (one in each third of the picture across their way), upright and two ways level at right angles, σ ${SIGMA_PX} px at their ends, tilt within 15°, roll within 3°; nothing logged. Cramér-Rao from the true lines by a computation of its own.`,
      rows: FIELDS_DEG.flatMap((fieldDeg) => {
        const trials = trialsOf(sets, fieldDeg, SHORT);
        return [
          theoryRow(fieldDeg, trials),
          ...(fieldDeg >= 50 ? [focalRow(fieldDeg, trials)] : []),
          leanRow(fieldDeg, trials),
          insideRow(fieldDeg, trials),
        ];
      }),
    },
    {
      title: 'Plate camera from strokes of surveyed azimuth',
      how: 'As above, the azimuths of both level families surveyed (then heading comes from them too).',
      rows: FIELDS_DEG.filter((f) => f >= 50).flatMap((fieldDeg) => {
        const trials = trialsOf(sets, fieldDeg, SURVEYED);
        return [focalRow(fieldDeg, trials, false), leanRow(fieldDeg, trials), insideRow(fieldDeg, trials)];
      }),
    },
    {
      title: 'Plate camera from longer strokes',
      how: `As above, the strokes a sixth to six tenths of the picture's width long, as walls, kerbs and roofs allow.`,
      rows: FIELDS_DEG.filter((f) => f >= 50).flatMap((fieldDeg) => {
        const trials = trialsOf(sets, fieldDeg, LONG);
        return [theoryRow(fieldDeg, trials), focalRow(fieldDeg, trials), leanRow(fieldDeg, trials)];
      }),
    },
    {
      title: 'Plate camera from strokes, off the model',
      how: `As the first, but errors of heavy tails (Student’s t of four degrees of freedom, the same standard deviation), every edge built ${OFF.off!.leanDeg}° off its way (one sigma about each axis) and a lens that bends by ${OFF.off!.barrel} (one sigma of the radial term) without anybody knowing. As the interface does, it is stated how true edges are built and how much a lens may bend.`,
      rows: FIELDS_DEG.flatMap((fieldDeg) => {
        const trials = trialsOf(sets, fieldDeg, OFF);
        return [leanRow(fieldDeg, trials), insideRow(fieldDeg, trials)];
      }),
    },
  ];
}
