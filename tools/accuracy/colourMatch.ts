import { deltaE2000, labOfWorking, luminance, matchColours, type PatchColour } from '@tawny/core';
import {
  CHART,
  createRandom,
  daylight,
  diode,
  discharge,
  filament,
  mixed,
  PLATE_CAMERA,
  RIG_CAMERA,
  seenBy,
  times,
  type Random,
  type Spectrum,
} from '@tawny/simset';
import { quantile, type Section } from './table';

/** Standard error of a patch's mean, as a share, and per unit of the white: that of a thousand pixels whose grain is 6 %. */
const NOISE = { share: 0.002, ground: 0.0002 };

const LIGHTS: readonly [string, (random: Random) => Spectrum][] = [
  ['daylight 4300 to 10000 K', (r) => daylight(4300 + 5700 * r.next())],
  ['filament 2700 to 3300 K', (r) => filament(2700 + 600 * r.next())],
  ['window and filament', (r) => mixed([0.3 + 0.4 * r.next(), daylight(7000)], [0.5, filament(2900)])],
  ['white diodes', (r) => diode(445 + 15 * r.next(), r.next())],
  ['discharge lamps', () => discharge()],
];

/** Linear chart colours of both cameras without noise; the plate's exposure and balance are drawn. */
function chartOf(light: Spectrum, random: Random) {
  // Each camera balanced to what its operator thought the light was.
  const balance = () => (random.next() < 0.5 ? light : daylight(5000 + 1500 * random.next()));
  const [rigTo, plateTo] = [balance(), balance()];
  const exposure = 2 ** (-1 + 2 * random.next());
  const seen = (camera: typeof RIG_CAMERA, to: Spectrum, by: number) =>
    CHART.map((patch) => seenBy(camera, times(patch, light), to).map((v) => v * by));
  return { panorama: seen(RIG_CAMERA, rigTo, 0.4), plate: seen(PLATE_CAMERA, plateTo, 0.4 * exposure) };
}

const apply = (m: ArrayLike<number>, v: readonly number[]) =>
  [0, 1, 2].map((r) => m[3 * r] * v[0] + m[3 * r + 1] * v[1] + m[3 * r + 2] * v[2]);

/** Mean CIEDE2000 of a matrix on patches without noise, the white at L* 96. */
function meanDifference(m: ArrayLike<number>, plate: readonly number[][], panorama: readonly number[][]): number {
  const scale = ((96 + 16) / 116) ** 3 / luminance(plate[18][0], plate[18][1], plate[18][2], 'rec709');
  const lab = (v: readonly number[]) => labOfWorking(v.map((x) => x * scale), 'rec709'); // prettier-ignore
  return plate.reduce((s, p, k) => s + deltaE2000(lab(p), lab(apply(m, panorama[k]))), 0) / plate.length;
}

/** The best matrix there is: a search by trial steps that knows nothing of slopes, from a start and shaken twice. */
function bestMatrix(start: readonly number[], cost: (m: readonly number[]) => number, random: Random): number {
  let best = [...start];
  let value = cost(best);
  for (let shake = 0; shake < 2; shake++) {
    let here = shake === 0 ? best : best.map((v) => v + 0.02 * random.normal() * start[4]);
    let at = cost(here);
    for (let step = 0.03; step > 2e-5; step *= 0.75) {
      for (let k = 0; k < 40; k++) {
        const next = here.map((v) => v + step * random.normal() * start[4] * 0.5);
        const trial = cost(next);
        if (trial < at) [here, at] = [next, trial];
      }
    }
    if (at < value) [best, value] = [here, at];
  }
  return value;
}

/** Patches as a camera measures them. */
function noisy(of: readonly number[][], random: Random): PatchColour[] {
  const white = Math.max(...of[18]);
  return of.map((rgb, i) => {
    const sigma = rgb.map((v) => Math.hypot(NOISE.share * v, NOISE.ground * white));
    return {
      name: String(i + 1),
      rgb: rgb.map((v, c) => v + sigma[c] * random.normal()) as unknown as PatchColour['rgb'],
      sigma: sigma as unknown as PatchColour['sigma'],
      clippedShare: 0,
    };
  });
}

/** Veils of the plate's lens, shares of white. */
const VEIL = { least: 0.003, most: 0.015 };

/** Plates under an even veil: how well it is told, and what of the colours it costs. */
function veiledRow(sets: number): Section['rows'][number] {
  const trials = Array.from({ length: sets }, (_, k) => {
    const random = createRandom(k + 1, 'veil');
    const { plate, panorama } = chartOf(LIGHTS[0][1](random), random);
    const veil = VEIL.least + (VEIL.most - VEIL.least) * random.next();
    const white = luminance(plate[18][0], plate[18][1], plate[18][2], 'rec709');
    const veiled = plate.map((rgb) => rgb.map((v) => v + veil * white));
    const match = matchColours(noisy(veiled, random), noisy(panorama, random), 'rec709');
    const m = match.matrix.map((v) => v * 2 ** match.gainStops);
    const clear = matchColours(noisy(plate, random), noisy(panorama, random), 'rec709');
    const without = clear.matrix.map((v) => v * 2 ** clear.gainStops);
    return {
      error: (match.veil?.[1] ?? 0) - veil,
      missed: match.veil === null,
      false: clear.veil !== null,
      over: meanDifference(m, plate, panorama) / meanDifference(without, plate, panorama),
    };
  });
  const error = Math.sqrt(trials.reduce((s, t) => s + t.error ** 2, 0) / sets);
  return {
    what: `daylight, an even veil of ${100 * VEIL.least} to ${100 * VEIL.most} % of white over the plate: its error, rms; veils missed; seen without one; mean CIEDE2000 over that without it`,
    bound: '-',
    measured: `${(100 * error).toFixed(2)} % of white; ${trials.filter((t) => t.missed).length} of ${sets}; ${trials.filter((t) => t.false).length} of ${sets}; ${(trials.reduce((s, t) => s + t.over, 0) / sets).toFixed(2)}`,
    holds: null,
  };
}

export function colourMatchSection(sets: number): Section {
  const rows = LIGHTS.flatMap(([name, draw]) => {
    const trials = Array.from({ length: sets }, (_, k) => {
      const random = createRandom(k + 1, 'colour match', name);
      const { plate, panorama } = chartOf(draw(random), random);
      const match = matchColours(noisy(plate, random), noisy(panorama, random), 'rec709');
      const m = match.matrix.map((v) => v * 2 ** match.gainStops);
      const reached = meanDifference(m, plate, panorama);
      const best = bestMatrix(m, (t) => meanDifference(t, plate, panorama), random);
      return {
        over: reached / best,
        best,
        before: match.deltaE2000.before,
        loo: match.deltaE2000.leaveOneOutMean! / match.deltaE2000.mean,
      };
    });
    const of = (pick: (t: (typeof trials)[number]) => number, share = 0.5) => quantile(trials.map(pick), share);
    const mean = (pick: (t: (typeof trials)[number]) => number) => trials.reduce((s, t) => s + pick(t), 0) / sets;
    const [over, loo] = [mean((t) => t.over), mean((t) => t.loo)];
    return [
      {
        what: `${name}: mean CIEDE2000 over that of the best matrix, mean (worst)`,
        bound: '1.05',
        measured: `${over.toFixed(3)} (${of((t) => t.over, 1).toFixed(3)}); best ${of((t) => t.best).toFixed(2)}, by exposure alone ${of((t) => t.before).toFixed(1)}`,
        holds: over <= 1.05,
      },
      {
        what: `${name}: left out over fitted, mean (worst)`,
        bound: '1.25',
        measured: `${loo.toFixed(2)} (${of((t) => t.loo, 1).toFixed(2)})`,
        holds: loo <= 1.25,
      },
    ];
  });
  return {
    title: 'Colour between two cameras',
    how: `Chart of 24 spectral reflectances (10 nm) under spectral lights, seen by two cameras that are no matrices of each other, each balanced to the light or to daylight; patches with ${100 * NOISE.share} % noise; ${sets} sets a light. The best matrix is searched on patches without noise, by trial steps that use nothing of the fit.`,
    rows: [...rows, veiledRow(sets)],
  };
}
