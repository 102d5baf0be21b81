import {
  arcDeg,
  conjugate,
  anglesFromDirection,
  directionFromAngles,
  horizonDipDeg,
  multiply,
  noSources,
  quaternionFromAttitude,
  rotate,
  solveOrientation,
  sunPosition,
  toRotationVector,
  yawOf,
  yawQuaternion,
  type OrientationSources,
  type Quaternion,
  type Vec3,
} from '../src';

const PLACE = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 };
const UTC = new Date('2026-10-14T15:20:00Z');

const NOTHING = noSources(2048);
const LEVEL = { uncertaintyDeg: 0.3 };

/** How a panorama lies: 133 degrees about the vertical, leaning by two and a half. */
const TURN = multiply(yawQuaternion(133), quaternionFromAttitude({ headingDeg: 0, tiltDeg: 2, rollDeg: 1.5 }));

const seen = (turn: Quaternion, world: Vec3) => {
  const a = anglesFromDirection(rotate(conjugate(turn), world));
  return { panoramaAzimuthDeg: a.azimuthDeg, panoramaElevationDeg: a.elevationDeg };
};
const mark = (turn: Quaternion, name: string, azimuthDeg: number, elevationDeg: number, uncertaintyDeg = 0.4) => ({
  name,
  ...seen(turn, directionFromAngles(azimuthDeg, elevationDeg)),
  azimuthDeg,
  elevationDeg,
  uncertaintyDeg,
});
const sunSource = (turn: Quaternion, clockS: number | null, hours = 0): OrientationSources['sun'] => {
  const at = seen(turn, sunPosition(PLACE, UTC).direction);
  return {
    azimuthDeg: at.panoramaAzimuthDeg,
    elevationDeg: at.panoramaElevationDeg,
    uncertaintyDeg: 0.1,
    place: PLACE,
    utc: new Date(UTC.getTime() + 3600000 * hours),
    clockS,
  };
};
const compass = (turn: Quaternion, name: string, bearingDeg: number, declinationDeg: number, offDeg = 0) => {
  const own = anglesFromDirection(rotate(conjugate(turn), directionFromAngles(bearingDeg, 0))).azimuthDeg;
  const bearing = anglesFromDirection(rotate(turn, directionFromAngles(own, 0))).azimuthDeg;
  return {
    name,
    panoramaAzimuthDeg: own,
    readingDeg: bearing - 12 + offDeg,
    biasDeg: 0,
    declinationDeg,
    declinationSigmaDeg: 0,
    modelDeg: 12,
    uncertaintyDeg: 2,
  };
};
const offDeg = (a: Quaternion, b: Quaternion) =>
  (Math.hypot(...toRotationVector(multiply(a, conjugate(b)))) * 180) / Math.PI;
const byName = (solved: ReturnType<typeof solveOrientation>, name: string) =>
  solved.sources.find((s) => s.name === name)!;

describe('each source by itself', () => {
  test('marks give the whole rotation, however the panorama leans', () => {
    const marks = [mark(TURN, 'mill', 10, 5), mark(TURN, 'mast', 120, 20), mark(TURN, 'chimney', 250, 2)];
    const solved = solveOrientation({ ...NOTHING, marks });
    expect(offDeg(solved.turn, TURN)).toBeLessThan(1e-3);
    expect(solved.frame).toBe('trueNorth');
    expect(solved.verdict).toBe('agrees');
    expect(solved.sources.reduce((sum, s) => sum + s.weight, 0)).toBeCloseTo(1, 9);
    expect(solved.uncertaintyDeg).toBeGreaterThan(0.1);
    expect(solved.uncertaintyDeg).toBeLessThan(0.6);
  });

  test('a panorama on its head is no other case than one that leans', () => {
    const turn = multiply(yawQuaternion(40), quaternionFromAttitude({ headingDeg: 0, tiltDeg: 0, rollDeg: 175 }));
    const marks = [mark(turn, 'a', 10, 5), mark(turn, 'b', 120, 20), mark(turn, 'c', 250, 2)];
    expect(offDeg(solveOrientation({ ...NOTHING, marks }).turn, turn)).toBeLessThan(1e-3);
  });

  test('the sun with a level; an unknown clock and level widen what it tells', () => {
    const level = yawQuaternion(133);
    const known = solveOrientation({ ...NOTHING, level: LEVEL, sun: sunSource(level, 5) });
    expect(known.yawDeg).toBeCloseTo(133, 3);
    const unknown = solveOrientation({ ...NOTHING, sun: sunSource(level, null) });
    expect(unknown.yawDeg).toBeCloseTo(133, 3);
    expect(unknown.uncertaintyDeg).toBeGreaterThan(2 * known.uncertaintyDeg);
    expect(unknown.sources.map((s) => s.name)).toContain('level (assumed)');
  });

  test('one compass and the level: nothing checks it', () => {
    const turn = yawQuaternion(-70);
    const solved = solveOrientation({ ...NOTHING, level: LEVEL, compass: [compass(turn, 'c', 200, 12)] });
    expect(solved.yawDeg).toBeCloseTo(-70, 3);
    expect(solved.verdict).toBe('cannotTell');
    expect(solved.uncertaintyDeg).toBeCloseTo(2, 1);
  });

  test('a hand turn is taken as it is, in the frame of nobody knows which north', () => {
    const solved = solveOrientation({ ...NOTHING, hand: { quaternion: TURN, uncertaintyDeg: 1 } });
    expect(offDeg(solved.turn, TURN)).toBeLessThan(1e-6);
    expect(solved.frame).toBe('set');
    expect(solved.verdict).toBe('cannotTell');
  });

  test('upright edges tell the level, not the turn', () => {
    const edge = (az: number): [number, number, number, number] => {
      const [low, high] = [seen(TURN, directionFromAngles(az, -10)), seen(TURN, directionFromAngles(az, 30))];
      return [low.panoramaAzimuthDeg, low.panoramaElevationDeg, high.panoramaAzimuthDeg, high.panoramaElevationDeg];
    };
    const verticals = [edge(0), edge(75), edge(160), edge(260)];
    const solved = solveOrientation({ ...NOTHING, verticals, compass: [compass(TURN, 'c', 200, 12)] });
    expect(arcDeg(rotate(conjugate(solved.turn), [0, 1, 0]), rotate(conjugate(TURN), [0, 1, 0]))).toBeLessThan(0.2);
    expect(solved.uncertaintyTiltDeg).toBeLessThan(0.8);
    const fingered = verticals.map(([a, e, b, f]) => [a, e, b, f, 0.9] as const);
    const loose = solveOrientation({ ...NOTHING, verticals: fingered, compass: [compass(TURN, 'c', 200, 12)] });
    expect(loose.uncertaintyTiltDeg).toBeGreaterThan(1.5 * solved.uncertaintyTiltDeg);
    expect(() => solveOrientation({ ...NOTHING, verticals })).toThrow(/nothing tells the turn about the vertical/);
  });

  test('points of the sea’s horizon tell the level, below level by the eye’s height over the water', () => {
    // 4 m over the water it lies 0.059 degrees down, with the standard refraction (1.76 minutes of arc by the root of the metres).
    expect(horizonDipDeg(4) * 60).toBeCloseTo(3.5, 1);
    const points = [0, 70, 150, 260].map((az): [number, number] => {
      const at = seen(TURN, directionFromAngles(az, -horizonDipDeg(4)));
      return [at.panoramaAzimuthDeg, at.panoramaElevationDeg];
    });
    const horizon = { points, heightM: 4 };
    const solved = solveOrientation({ ...NOTHING, horizon, compass: [compass(TURN, 'c', 200, 12)] });
    expect(arcDeg(rotate(conjugate(solved.turn), [0, 1, 0]), rotate(conjugate(TURN), [0, 1, 0]))).toBeLessThan(0.02);
    expect(solved.uncertaintyTiltDeg).toBeLessThan(0.6);
    expect(() => solveOrientation({ ...NOTHING, horizon })).toThrow(/nothing tells the turn about the vertical/);
    // Pointed at by a finger they tell less than by a mouse.
    const by = (withinDeg: number) =>
      solveOrientation({
        ...NOTHING,
        horizon: { points: points.map(([a, e]) => [a, e, withinDeg] as const), heightM: 4 },
        compass: [compass(TURN, 'c', 200, 12)],
      }).uncertaintyTiltDeg;
    expect(by(0.05)).toBeCloseTo(solved.uncertaintyTiltDeg, 6);
    expect(by(0.9)).toBeGreaterThan(1.5 * by(0.3));
    // A point on a hill is named among the others.
    const hill = { points: [...points, [200, points[0][1] + 8] as [number, number]], heightM: 4 };
    const odd = solveOrientation({ ...NOTHING, horizon: hill, compass: [compass(TURN, 'c', 200, 12)] });
    expect(odd.verdict).toBe('disagrees');
    expect(odd.sources.filter((s) => s.cause === 'pick').map((s) => s.name)).toEqual(['horizon 5']);
  });
});

describe('picks in plate and panorama', () => {
  const pose = { headingDeg: 250, tiltDeg: -4, rollDeg: 1 };
  const station = { eastM: 2, upM: 1.6, northM: -3 };
  const position = { eastM: 4, upM: 1.4, northM: -2 };
  const plate: NonNullable<OrientationSources['plate']> = {
    focalXPx: 2800,
    focalYPx: 2800,
    centreXPx: 1024,
    centreYPx: 576,
    distortion: null,
    ...pose,
    position,
    uncertainty: { focalShare: 0.002, headingDeg: 0.2, tiltDeg: 0.1, rollDeg: 0.1, positionM: 0.02 },
  };
  const picksOf = (turn: Quaternion, headingDeg: number) =>
    (
      [
        [200, 150, 8],
        [1800, 200, 30],
        [300, 1000, 12],
        [1700, 900, 5],
      ] as const
    ).map(([xPx, yPx, distanceM], k) => {
      const ray = rotate(quaternionFromAttitude({ ...pose, headingDeg }), [
        (xPx - 1024) / 2800,
        (576 - yPx) / 2800,
        -1,
      ]);
      const n = distanceM / Math.hypot(...ray);
      const point: Vec3 = [
        position.eastM - station.eastM + n * ray[0],
        position.upM - station.upM + n * ray[1],
        station.northM - position.northM + n * ray[2],
      ];
      const length = Math.hypot(...point);
      const world: Vec3 = [point[0] / length, point[1] / length, point[2] / length];
      return { name: `pick ${k + 1}`, ...seen(turn, world), xPx, yPx, distanceM, distanceShare: 0.05, sigmaPx: 1.5 };
    });

  test('parallax is counted: two metres apart and five away', () => {
    const picks = picksOf(TURN, 250);
    const solved = solveOrientation({ ...NOTHING, picks, plate, station });
    expect(offDeg(solved.turn, TURN)).toBeLessThan(0.02);
    expect(solved.frame).toBe('trueNorth');
    const far = picks.map((p) => ({ ...p, distanceM: 10000 }));
    expect(solveOrientation({ ...NOTHING, picks: far, plate, station }).verdict).toBe('disagrees');
  });

  test('without a heading: the set frame, whose azimuth 0 the plate looks along', () => {
    const picks = picksOf(TURN, 0);
    const solved = solveOrientation({ ...NOTHING, picks, plate: { ...plate, headingDeg: null }, station });
    expect(offDeg(solved.turn, TURN)).toBeLessThan(0.02);
    expect(solved.frame).toBe('set');
  });

  test('an offset that was paced does as well as two places on the plan, with or without a heading', () => {
    const [east, up, north] = [station.eastM - position.eastM, station.upM - position.upM, station.northM - position.northM]; // prettier-ignore
    const [sin, cos] = [Math.sin((250 * Math.PI) / 180), Math.cos((250 * Math.PI) / 180)];
    const stationOffset = { aheadM: east * sin + north * cos, rightM: east * cos - north * sin, upM: up };
    const paced = { ...plate, position: null, stationOffset };
    const picks = picksOf(TURN, 250);
    const byPlan = solveOrientation({ ...NOTHING, picks, plate, station });
    const solved = solveOrientation({ ...NOTHING, picks, plate: paced });
    expect(offDeg(solved.turn, TURN)).toBeLessThan(0.02);
    // What the heading is off by turns the offset too: a little less is left open.
    expect(solved.uncertaintyDeg / byPlan.uncertaintyDeg).toBeGreaterThan(0.85);
    expect(solved.uncertaintyDeg / byPlan.uncertaintyDeg).toBeLessThan(1.05);
    expect(solved.degenerate).toBeNull();
    // It turns with the camera: no plan is needed in the set frame, and none where the sun tells the plate's heading.
    const noHeading = { ...paced, headingDeg: null };
    const inSet = multiply(yawQuaternion(-250), TURN);
    expect(offDeg(solveOrientation({ ...NOTHING, picks, plate: noHeading }).turn, inSet)).toBeLessThan(0.02);
    const lit = solveOrientation({ ...NOTHING, picks, plate: noHeading, sun: sunSource(TURN, 5) });
    expect(offDeg(lit.turn, TURN)).toBeLessThan(0.1);
    expect(lit.plateHeadingDeg).toBeCloseTo(250 - 360, 0);
  });

  test('the sun gives north to a plate that has no heading of its own', () => {
    const picks = picksOf(TURN, 250);
    const free = { ...plate, headingDeg: null };
    // Everything far away: where the camera stood plays no part.
    const far = picks.map((p) => {
      const ray = rotate(quaternionFromAttitude(pose), [(p.xPx - 1024) / 2800, (576 - p.yPx) / 2800, -1]);
      return { ...p, ...seen(TURN, ray), distanceM: 1e6 };
    });
    const solved = solveOrientation({ ...NOTHING, picks: far, plate: free, station, sun: sunSource(TURN, 5) });
    expect(offDeg(solved.turn, TURN)).toBeLessThan(0.05);
    expect(solved.plateHeadingDeg).toBeCloseTo(250 - 360, 1);
    expect(solved.frame).toBe('trueNorth');
  });

  test('an unknown distance widens, and what would settle it is said', () => {
    const known = solveOrientation({ ...NOTHING, picks: picksOf(TURN, 250), plate, station });
    const picks = picksOf(TURN, 250).map((p) => ({ ...p, distanceM: null }));
    const solved = solveOrientation({ ...NOTHING, picks, plate, station: null });
    expect(solved.uncertaintyDeg).toBeGreaterThan(3 * known.uncertaintyDeg);
    expect(solved.degenerate).toMatch(/state where it stood and the distances/);
  });

  test('two picks on one point speak once, and it is said', () => {
    const picks = picksOf(TURN, 250);
    const solved = solveOrientation({ ...NOTHING, picks: [...picks, { ...picks[0], name: 'again' }], plate, station });
    expect(byName(solved, 'again').weight).toBe(0);
    expect(solved.degenerate).toMatch(/again lies on a point that was picked before/);
    const one = [picks[0], { ...picks[0], name: 'again' }];
    const alone = solveOrientation({ ...NOTHING, picks: one, plate, station });
    expect(alone.degenerate).toMatch(/too near each other/);
    expect(alone.uncertaintyTiltDeg).toBeGreaterThan(1);
  });

  test('a pick on the wrong thing is named among four', () => {
    const picks = picksOf(TURN, 250).map((p, k) => (k === 2 ? { ...p, panoramaAzimuthDeg: p.panoramaAzimuthDeg + 6 } : p)); // prettier-ignore
    const solved = solveOrientation({ ...NOTHING, picks, plate, station });
    expect(byName(solved, 'pick 3')).toMatchObject({ outlier: true, cause: 'pick', weight: 0 });
    expect(offDeg(solved.turn, TURN)).toBeLessThan(0.3);
  });

  test('picks without a camera are refused', () =>
    expect(() => solveOrientation({ ...NOTHING, picks: picksOf(TURN, 0), station })).toThrow(/camera of their plate/));
});

describe('sources that contradict each other', () => {
  const whole = (turn: Quaternion, hours = 0, declinationDeg = 12, offDegCompass = 0): OrientationSources => ({
    ...NOTHING,
    level: LEVEL,
    sun: sunSource(turn, 20, hours),
    compass: [
      compass(turn, 'first', 30, declinationDeg, offDegCompass),
      compass(turn, 'second', 200, declinationDeg, offDegCompass),
    ],
    marks: [mark(turn, 'mill', 10, 5), mark(turn, 'mast', 120, 20)],
  });
  const turn = yawQuaternion(133);

  test('while nothing does, no cause is named', () => {
    const solved = solveOrientation(whole(turn));
    expect(solved).toMatchObject({ verdict: 'agrees', cause: null });
    expect(solved.yawDeg).toBeCloseTo(133, 3);
  });

  test.each([
    ['clockHour', whole(turn, 1), 'sun'],
    ['clockHour', whole(turn, -2), 'sun'],
    ['clock', whole(turn, 0.4), 'sun'],
    ['magnetic', whole(turn, 0, 0), 'first'],
    ['compass', whole(turn, 0, 12, 31), 'second'],
  ] as const)('%s is named and set aside', (cause, sources, name) => {
    const solved = solveOrientation(sources);
    expect(solved.cause).toBe(cause);
    expect(byName(solved, name)).toMatchObject({ outlier: true, cause, weight: 0 });
    expect(Math.abs(solved.yawDeg - 133)).toBeLessThan(0.1);
    expect(solved.verdict).toBe('agrees');
  });

  test.each([
    ['mirrored', (az: number, el: number) => [-az, el]],
    ['upsideDown', (az: number, el: number) => [az, -el]],
  ] as const)('a %s panorama is named, and nothing of it is adopted', (cause, read) => {
    const s = whole(turn);
    const [azimuthDeg, elevationDeg] = read(s.sun!.azimuthDeg, s.sun!.elevationDeg);
    const solved = solveOrientation({
      ...s,
      sun: { ...s.sun!, azimuthDeg, elevationDeg },
      compass: s.compass.map((c) => ({ ...c, panoramaAzimuthDeg: read(c.panoramaAzimuthDeg, 0)[0] })),
      marks: s.marks.map((m) => {
        const [panoramaAzimuthDeg, panoramaElevationDeg] = read(m.panoramaAzimuthDeg, m.panoramaElevationDeg);
        return { ...m, panoramaAzimuthDeg, panoramaElevationDeg };
      }),
    });
    expect(solved).toMatchObject({ verdict: 'disagrees', cause });
  });

  test('of two that differ neither is adopted', () => {
    const sources = {
      ...NOTHING,
      hand: { quaternion: yawQuaternion(133), uncertaintyDeg: 1 },
      compass: [compass(yawQuaternion(150), 'c', 30, 12)],
    };
    const solved = solveOrientation(sources);
    expect(solved.verdict).toBe('disagrees');
    expect(solved.sources.every((s) => !s.outlier)).toBe(true);
    // The interval holds both.
    expect(Math.abs(solved.yawDeg - 133)).toBeLessThan(solved.uncertaintyDeg + 5);
    expect(solved.uncertaintyDeg).toBeGreaterThan(8);
  });
});

test('yaw is that of the panorama once it is level', () => {
  expect(yawOf(yawQuaternion(-91))).toBeCloseTo(-91, 9);
  const lean = quaternionFromAttitude({ headingDeg: 0, tiltDeg: 3, rollDeg: 0 });
  expect(yawOf(multiply(yawQuaternion(25), lean))).toBeCloseTo(25, 9);
});
