import {
  cameraFromStrokes,
  conjugate,
  cross,
  DEG,
  directionFromAngles,
  dot,
  quaternionFromAttitude,
  rotate,
  type Stroke,
  type StrokesInput,
  type Vec3,
} from '@tawny/core';
import { createRandom } from '@tawny/simset';
import { inverse, Matrix } from 'ml-matrix';
import { quantile, rms, type Row, type Section } from './table';

type Random = ReturnType<typeof createRandom>;

const [WIDTH, HEIGHT] = [2048, 1152];
const GATE = { gateWidthMm: 28, gateHeightMm: 15.75 };
const SIGMA_PX = 0.7;

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
function drawStroke(random: Random, v: readonly [number, number, number], third: number, upright: boolean) {
  for (let tries = 0; ; tries++) {
    // Where the vanishing point leaves no room in its third, anywhere.
    const spread = () => (tries < 200 ? (third + random.next()) / 3 : between(random, 0.05, 0.95));
    const x = (upright ? spread() : between(random, 0.05, 0.95)) * WIDTH;
    const y = (upright ? between(random, 0.05, 0.95) : spread()) * HEIGHT;
    const way: [number, number] = [v[0] - v[2] * x, v[1] - v[2] * y];
    const n = Math.hypot(...way);
    const length = between(random, 1 / 6, 0.3) * WIDTH;
    const end: [number, number] = [x + (way[0] / n) * length, y + (way[1] / n) * length];
    if (end[0] < 0 || end[1] < 0 || end[0] > WIDTH || end[1] > HEIGHT) continue;
    const exact: Stroke = [x, y, ...end];
    const seen = exact.map((p) => p + SIGMA_PX * random.normal()) as unknown as Stroke;
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
function trial(seed: number, fieldDeg: number): Trial {
  const random = createRandom(seed, `strokes ${fieldDeg}`);
  const truth: Truth = {
    focal: WIDTH / 2 / Math.tan((fieldDeg / 2) * DEG),
    headingDeg: 0,
    tiltDeg: between(random, -15, 15),
    rollDeg: between(random, -3, 3),
  };
  const first = between(random, 20, 70);
  const azimuths = [first, first - 90];
  const lines = directions(azimuths).map((d, f) => {
    const v = vanishes(truth, d);
    return { d, strokes: Array.from({ length: 3 }, (_, third) => drawStroke(random, v, third, f === 0)) };
  });
  const input: StrokesInput = {
    widthPx: WIDTH,
    heightPx: HEIGHT,
    ...GATE,
    squeeze: 1,
    sigmaPx: SIGMA_PX,
    families: lines.map(({ strokes }, k) => ({
      kind: k === 0 ? 'vertical' : 'level',
      azimuthDeg: null,
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

export function strokesSection(sets: number): Section {
  const rows: Row[] = [];
  for (const fieldDeg of [25, 40, 50, 75]) {
    const trials = Array.from({ length: sets }, (_, k) => trial(k + 1, fieldDeg));
    const told = trials.filter((t) => Number.isFinite(t.error.focal));
    const ratio = (k: 'focal' | 'tilt' | 'roll') => rms(told.map((t) => t.error[k] / t.least[k]));
    const ratios = [ratio('focal'), ratio('tilt'), ratio('roll')];
    rows.push({
      what: `${fieldDeg}° field: rms over Cramér-Rao of focal length, tilt, roll (focal length told in ${told.length} of ${sets})`,
      bound: '1.15',
      measured: ratios.map((r) => r.toFixed(2)).join(', '),
      holds: ratios.every((r) => r <= 1.15),
    });
    const focal = rms(told.map((t) => t.error.focal));
    if (fieldDeg >= 50)
      rows.push({
        what: `${fieldDeg}° field: focal length, rms (least possible by Cramér-Rao)`,
        bound: '2 %',
        measured: `${(100 * focal).toFixed(2)} % (${(100 * rms(told.map((t) => t.least.focal))).toFixed(2)} %)`,
        holds: focal <= 0.02,
      });
    const [tilt, roll] = [rms(trials.map((t) => t.error.tilt)), rms(trials.map((t) => t.error.roll))];
    rows.push({
      what: `${fieldDeg}° field: tilt, roll, rms; 95th percentile of either`,
      bound: '0.3°',
      measured: `${tilt.toFixed(3)}°, ${roll.toFixed(3)}°; ${quantile(trials.flatMap((t) => [Math.abs(t.error.tilt), Math.abs(t.error.roll)]), 0.95).toFixed(2)}°`, // prettier-ignore
      holds: tilt <= 0.3 && roll <= 0.3,
    });
    const share = (k: 'focal' | 'tilt' | 'roll') => (100 * told.filter((t) => t.inside[k]).length) / told.length;
    const shares = [share('focal'), share('tilt'), share('roll')];
    rows.push({
      what: `${fieldDeg}° field: truth inside the stated interval of focal length, tilt, roll`,
      bound: '93-97 %',
      measured: shares.map((s) => `${s.toFixed(1)} %`).join(', '),
      holds: shares.every((s) => s >= 93 && s <= 97),
    });
  }
  return {
    title: 'Plate camera from strokes',
    how: `${sets} sets a field without pictures: three strokes of a sixth of the picture's width and more in each of three families (one in each third of the picture across their way), upright and two ways level at right angles, σ ${SIGMA_PX} px at their ends, tilt within 15°, roll within 3°; nothing logged. Cramér-Rao from the true lines by a computation of its own.`,
    rows,
  };
}
