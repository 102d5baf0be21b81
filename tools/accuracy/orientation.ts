import {
  conjugate,
  cross,
  DEG,
  directionFromAngles,
  fromRotationVector,
  multiply,
  normalize,
  rotate,
  sigmaOf95,
  solveOrientation,
  toRotationVector,
  type OrientationCause,
  type OrientationSources,
  type Quaternion,
  type SolvedOrientation,
  type Vec3,
} from '@tawny/core';
import { createRandom } from '@tawny/simset';
import { Matrix, inverse } from 'ml-matrix';
import {
  drawCompasses,
  drawMarks,
  drawPicks,
  drawSky,
  drawSun,
  drawTurn,
  drawVerticals,
  NOTHING,
  seenAt,
  type OrientationSet,
} from './orientationSets';
import { heavyTailed } from './heavyTailed';
import { quantile, rms, type Row, type Section } from './table';

type Random = ReturnType<typeof createRandom>;

/** Error of a solution about east, up and south, degrees. */
const errorOf = (solved: Quaternion, truth: Quaternion) =>
  toRotationVector(multiply(solved, conjugate(truth))).map((v) => v / DEG);

/** Least variances (rad²) about three axes by Cramér and Rao: the sum of what directions with a covariance of their two tangents tell. */
function leastSigmas(pairs: readonly { world: Vec3; tangents: [Vec3, Vec3]; covariance: number[][] }[]): number[] {
  let information = Matrix.zeros(3, 3);
  for (const { world, tangents, covariance } of pairs) {
    // A small turn v moves a direction by v x d.
    const rows = new Matrix(tangents.map((t) => [...cross(world, t)]));
    information = Matrix.add(
      information,
      rows
        .transpose()
        .mmul(inverse(new Matrix(covariance)))
        .mmul(rows),
    );
  }
  return inverse(information).diagonal().map(Math.sqrt);
}

/** Level and upright tangents of the panorama at a world direction, turned to the world. */
function tangentsAt(turn: Quaternion, world: Vec3): [Vec3, Vec3] {
  const own = rotate(conjugate(turn), world);
  const right = normalize([-own[2], 0, own[0]]);
  return [rotate(turn, right), rotate(turn, cross(right, own))];
}

type Draw = (random: Random) => Random;
const asStated: Draw = (random) => random;

function marksTrial(seed: number, off: Draw = asStated) {
  const random = off(createRandom(seed, 'four marks'));
  const turn = drawTurn(random, 5);
  const marks = drawMarks(random, turn, 4, 0.2);
  const solved = solveOrientation({ ...NOTHING, marks });
  const s2 = (0.2 * DEG) ** 2;
  const least = leastSigmas(
    marks.map((m) => {
      const world = directionFromAngles(m.azimuthDeg, m.elevationDeg);
      return { world, tangents: tangentsAt(turn, world), covariance: [[s2, 0], [0, s2]] }; // prettier-ignore
    }),
  );
  return { error: errorOf(solved.turn, turn), least: least.map((v) => v / DEG), solved };
}

const PICKS = { picks: 4, fieldDeg: 40, sigmaPx: 1.5, distanceShare: 0.05, heading: true, panoramaWidthPx: 2048 };

function picksTrial(seed: number, off: Draw = asStated) {
  const random = off(createRandom(seed, 'four picks'));
  const turn = drawTurn(random, 5);
  const drawn = drawPicks(random, turn, PICKS);
  // The camera as it truly stood: its errors have a row of their own.
  const exact = { focalShare: 1e-9, headingDeg: 1e-9, tiltDeg: 1e-9, rollDeg: 1e-9, positionM: 1e-9 };
  const plate = { ...drawn.truePlate, uncertainty: exact };
  const solved = solveOrientation({ ...NOTHING, ...drawn, plate });
  const perPx = (2 * Math.PI) / PICKS.panoramaWidthPx;
  const least = leastSigmas(
    drawn.truth.map(({ world, along, distance, offAxisCos }) => {
      const tangents = tangentsAt(turn, world);
      const own = rotate(conjugate(turn), world);
      const level = Math.hypot(own[0], own[2]);
      const ofPlate = (PICKS.sigmaPx * offAxisCos) / plate.focalXPx;
      const c = [
        [(PICKS.sigmaPx * perPx * level) ** 2 + ofPlate ** 2, 0],
        [0, (PICKS.sigmaPx * perPx) ** 2 + ofPlate ** 2],
      ];
      // A distance that is off moves the thing along the way to the camera.
      const slide = sigmaOf95(PICKS.distanceShare) / distance;
      const move = tangents.map((t) => slide * (t[0] * along[0] + t[1] * along[1] + t[2] * along[2]));
      for (let i = 0; i < 2; i++) for (let j = 0; j < 2; j++) c[i][j] += move[i] * move[j];
      return { world, tangents, covariance: c };
    }),
  );
  return { error: errorOf(solved.turn, turn), least: least.map((v) => v / DEG), solved };
}

const AXES = ['east', 'up', 'south'] as const;

function againstTheory(what: string, trials: ReturnType<typeof marksTrial>[]): Row {
  const ratio = AXES.map((_, k) => rms(trials.map((t) => t.error[k] / t.least[k])));
  return {
    what: `${what}: rms over Cramér-Rao about ${AXES.join(', ')}`,
    bound: '1.15',
    measured: ratio.map((r) => r.toFixed(2)).join(', '),
    holds: ratio.every((r) => r <= 1.15),
  };
}

/** Whether the truth lies where a solution says, about the vertical and about both level axes. */
function coverageRow(
  what: string,
  sets: number,
  draw: (random: Random) => OrientationSet | null,
  vertical = true,
  off: Draw = asStated,
): Row {
  const trials: { error: number; half: number }[] = [];
  let disagreed = 0;
  for (let seed = 1; trials.length < sets; seed++) {
    const set = draw(off(createRandom(seed, `coverage ${what}`)));
    if (!set) continue;
    const solved = solveOrientation(set.sources);
    const [east, up] = errorOf(solved.turn, set.turn);
    if (solved.verdict === 'disagrees') disagreed++;
    trials.push(vertical ? { error: up, half: solved.uncertaintyDeg } : { error: east, half: eastHalf(solved) });
  }
  const inside = trials.filter((t) => Math.abs(t.error) <= t.half).length / sets;
  const width = 1 / quantile(trials.map((t) => Math.abs(t.error) / t.half), 0.95); // prettier-ignore
  const median = quantile(trials.map((t) => t.half), 0.5); // prettier-ignore
  return {
    what: `${what}: inside; width over the empirical one; median half width; called contradicting`,
    bound: '93-97 %, at most 1.3',
    measured: `${(100 * inside).toFixed(1)} %, ${width.toFixed(2)}, ${median.toFixed(2)}°, ${disagreed}`,
    holds: inside >= 0.93 && inside <= 0.97 && width <= 1.3,
  };
}

const eastHalf = (solved: SolvedOrientation) => (1.96 * Math.sqrt(solved.covariance[0])) / DEG;

const LEVEL_DEG = 0.5;
const level = { uncertaintyDeg: LEVEL_DEG };
const lean = sigmaOf95(LEVEL_DEG);

const COVERED: [string, (random: Random) => OrientationSet | null, boolean?][] = [
  [
    'sun, level',
    (random) => {
      const turn = drawTurn(random, lean);
      return { turn, sources: { ...NOTHING, level, sun: drawSun(random, turn, drawSky(random, 5, 60)) } };
    },
  ],
  [
    'compass (declination by the model), level',
    (random) => {
      const turn = drawTurn(random, lean);
      const compass = drawCompasses(random, turn, drawSky(random, 5, 60), { readings: 2, fromModel: true });
      return { turn, sources: { ...NOTHING, level, compass } };
    },
  ],
  [
    'three marks',
    (random) => {
      const turn = drawTurn(random, 5);
      return { turn, sources: { ...NOTHING, marks: drawMarks(random, turn, 3, 0.2) } };
    },
  ],
  [
    'four picks, the camera known to 0.2°, 5 cm and 0.2 % of focal length',
    (random) => {
      const turn = drawTurn(random, 5);
      return { turn, sources: { ...NOTHING, ...drawPicks(random, turn, PICKS) } };
    },
  ],
  [
    'four picks in the set frame',
    (random) => {
      const turn = drawTurn(random, 5);
      return { turn, sources: { ...NOTHING, ...drawPicks(random, turn, { ...PICKS, heading: false }) } };
    },
  ],
  [
    'by hand, 1.5°',
    (random) => {
      const turn = drawTurn(random, lean);
      const s = sigmaOf95(1.5) * DEG;
      const off = fromRotationVector([s * random.normal(), s * random.normal(), s * random.normal()]);
      return { turn, sources: { ...NOTHING, level, hand: { quaternion: multiply(off, turn), uncertaintyDeg: 1.5 } } };
    },
  ],
  [
    'six upright edges (about east; turn by a compass)',
    (random) => {
      const turn = drawTurn(random, 2);
      const compass = drawCompasses(random, turn, drawSky(random, 5, 60));
      return { turn, sources: { ...NOTHING, compass, verticals: drawVerticals(random, turn, 6, 2048) } };
    },
    false,
  ],
  [
    'sun, compass, two marks, four picks, level, edges together',
    (random) => {
      const turn = drawTurn(random, lean);
      const sky = drawSky(random, 5, 60);
      return {
        turn,
        sources: {
          ...NOTHING,
          ...drawPicks(random, turn, PICKS),
          level,
          sun: drawSun(random, turn, sky),
          compass: drawCompasses(random, turn, sky),
          marks: drawMarks(random, turn, 2, 0.2),
          verticals: drawVerticals(random, turn, 4, 2048),
        },
      };
    },
  ],
];

/** A set of sun, two compass readings, two marks and the level, whose declination is three times the compass's interval at least. */
function wholeSet(random: Random): OrientationSet {
  const turn = drawTurn(random, lean);
  const sky = drawSky(random, 8, 60, 9);
  const compass = drawCompasses(random, turn, sky, { readings: 2, uncertaintyDeg: 3 });
  const marks = drawMarks(random, turn, 2, 0.2);
  return { turn, sources: { ...NOTHING, level, sun: drawSun(random, turn, sky), compass, marks } };
}

/** What goes wrong, to sources that were right. */
const FAULTS: [
  OrientationCause,
  string,
  (s: OrientationSources, random: Random, turn: Quaternion) => OrientationSources,
][] = [
  ['clockHour', 'clock an hour off', (s, r) => clockBy(s, r.next() < 0.5 ? 1 : -1)],
  [
    'clockHour',
    'clock some zones off',
    (s, r) => clockBy(s, (r.next() < 0.5 ? 1 : -1) * (2 + Math.floor(3 * r.next()))),
  ],
  [
    'clock',
    'clock 10 to 50 minutes off',
    (s, r) => clockBy(s, ((r.next() < 0.5 ? 1 : -1) * (10 + 40 * r.next())) / 60),
  ],
  [
    'magnetic',
    'magnetic taken for true',
    (s) => ({ ...s, compass: s.compass.map((c) => ({ ...c, declinationDeg: 0 })) }),
  ],
  ['mirrored', 'mirrored', (s) => readBy(s, (az, el) => [-az, el])],
  ['upsideDown', 'upside down', (s) => readBy(s, (az, el) => [az, -el])],
  [
    'pick',
    'one mark on the wrong thing, 3 to 40 degrees',
    (s, r, turn) => {
      const [first, ...rest] = s.marks;
      const way = 3 + 37 * r.next();
      const about = directionFromAngles(360 * r.next(), 0);
      const world = rotate(
        fromRotationVector([about[0] * way * DEG, 0, about[2] * way * DEG]),
        directionFromAngles(first.azimuthDeg, first.elevationDeg),
      );
      return { ...s, marks: [{ ...first, ...seenAt(r, turn, world, 0.2) }, ...rest] };
    },
  ],
  [
    'compass',
    'iron near the compass, 10 to 40 degrees',
    (s, r) => {
      const off = (r.next() < 0.5 ? 1 : -1) * (10 + 30 * r.next());
      return { ...s, compass: s.compass.map((c) => ({ ...c, readingDeg: c.readingDeg + off })) };
    },
  ],
];

const clockBy = (s: OrientationSources, hours: number): OrientationSources => ({
  ...s,
  sun: s.sun && { ...s.sun, utc: new Date(s.sun.utc.getTime() + 3600000 * hours) },
});

/** The same panorama read the other way. */
function readBy(s: OrientationSources, to: (az: number, el: number) => [number, number]): OrientationSources {
  const turned = <T extends { panoramaAzimuthDeg: number; panoramaElevationDeg: number }>(d: T): T => {
    const [panoramaAzimuthDeg, panoramaElevationDeg] = to(d.panoramaAzimuthDeg, d.panoramaElevationDeg);
    return { ...d, panoramaAzimuthDeg, panoramaElevationDeg };
  };
  const sun = s.sun && to(s.sun.azimuthDeg, s.sun.elevationDeg);
  return {
    ...s,
    sun: s.sun && sun && { ...s.sun, azimuthDeg: sun[0], elevationDeg: sun[1] },
    compass: s.compass.map((c) => ({ ...c, panoramaAzimuthDeg: to(c.panoramaAzimuthDeg, 0)[0] })),
    marks: s.marks.map(turned),
    picks: s.picks.map(turned),
  };
}

/** Causes that predict the same as the true one in these sets: nothing more can be asked than that they cannot be told apart. */
function causesSection(sets: number, clean: number): Section {
  const rows = FAULTS.map(([cause, what, fault]): Row => {
    const said = new Map<string, number>();
    for (let seed = 1; seed <= sets; seed++) {
      const random = createRandom(seed, `cause ${what}`);
      const { turn, sources } = wholeSet(random);
      const solved = solveOrientation(fault(sources, random, turn));
      const name = solved.verdict === 'agrees' && solved.cause === null ? 'nothing' : (solved.cause ?? 'nothing');
      said.set(name, (said.get(name) ?? 0) + 1);
    }
    const right = said.get(cause) ?? 0;
    const others = [...said].filter(([name]) => name !== cause).map(([name, n]) => `${name} ${n}`);
    return {
      what,
      bound: `${Math.ceil(0.9 * sets)} of ${sets}`,
      measured: `${right}${others.length > 0 ? `; ${others.join(', ')}` : ''}`,
      holds: right >= 0.9 * sets,
    };
  });
  let wrong = 0;
  for (let seed = 1; seed <= clean; seed++) {
    const { sources } = wholeSet(createRandom(seed, 'clean set'));
    if (solveOrientation(sources).cause !== null) wrong++;
  }
  rows.push({
    what: `nothing wrong: sets with any word of doubt`,
    bound: `at most ${Math.floor(clean / 50)} of ${clean}`,
    measured: String(wrong),
    holds: wrong <= clean / 50,
  });
  return {
    title: 'Orientation: causes named',
    how: `${sets} sets a class and ${clean} clean ones: sun 8° to 60° high (clock ± 30 s), two compass readings (± 3°) where the declination is 9° and more, two marks (σ 0.2°), level ± ${LEVEL_DEG}°. Named is the cause of the whole set.`,
    rows,
  };
}

const TAILS =
  'Errors of heavy tails: Student’s t with four degrees of freedom in place of the normal errors, of the same standard deviation, for everything that is off.';

export function orientationSections(sets: number): Section[] {
  const seeds = Array.from({ length: sets }, (_, k) => k + 1);
  const [marks, marksOff] = [asStated, heavyTailed].map((off) => seeds.map((seed) => marksTrial(seed, off)));
  const [picks, picksOff] = [asStated, heavyTailed].map((off) => seeds.map((seed) => picksTrial(seed, off)));
  const verticalRow = (what: string, trials: typeof picks): Row => {
    const vertical = rms(trials.map((t) => t.error[1]));
    return { what: `${what}: rms about the vertical`, bound: '0.3°', measured: `${vertical.toFixed(3)}°`, holds: vertical <= 0.3 }; // prettier-ignore
  };
  return [
    {
      title: 'Orientation from marks and picks',
      how: `${sets} sets each without pictures. Marks round the sphere; picks in a 2048 px plate of 40° and a 2048 px panorama, σ 1.5 px in both, the camera one to three metres from the station, things 5 to 60 m away and their distances known to 5 %; panoramas off level by 5° (one sigma), nothing said of the level. Cramér-Rao from the stated noise, by a computation of its own. ${TAILS}`,
      rows: [
        againstTheory('four marks, σ 0.2°', marks),
        againstTheory('four picks', picks),
        verticalRow('four picks', picks),
        againstTheory('four marks, errors of heavy tails', marksOff),
        againstTheory('four picks, errors of heavy tails', picksOff),
        verticalRow('four picks, errors of heavy tails', picksOff),
      ],
    },
    {
      title: 'Orientation: stated intervals',
      how: `${sets} sets a row without pictures, everything drawn from what is stated of it (95 % half widths); about the vertical where nothing else is said.`,
      rows: COVERED.map(([what, draw, vertical]) => coverageRow(what, sets, draw, vertical)),
    },
    {
      title: 'Orientation: stated intervals, off the model',
      how: `As above. ${TAILS}`,
      rows: COVERED.map(([what, draw, vertical]) => coverageRow(what, sets, draw, vertical, heavyTailed)),
    },
    causesSection(60, 200),
  ];
}
