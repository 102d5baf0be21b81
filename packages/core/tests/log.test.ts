import fc from 'fast-check';
import {
  canDropFrames,
  correctReading,
  cropFactor,
  depthOfField,
  feetFromMetres,
  frameShift,
  framesOfTimecode,
  LUX_PER_FOOTCANDLE,
  magneticDeclinationDeg,
  metresFromFeet,
  parseLengthM,
  parseLux,
  parseTimecode,
  sighting,
  skylineElevationDeg,
  solveSurvey,
  sunEvents,
  sunOnSet,
  sunPosition,
  targetHeightM,
  timecodeDurationS,
  timecodeOfFrames,
  trueBearingDeg,
  trueHeadingDeg,
  type SurveyMark,
  type SurveyMeasure,
} from '../src';

const QUAY = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 };

describe('depth of field', () => {
  test('focused at the hyperfocal distance everything from half of it is sharp', () => {
    const h = depthOfField(32, 8, 5, 0.025).hyperfocalM;
    const s = h + 0.032 ** 2 / h; // u = H on the lens's side is s = u + f u / (u - f) from the sensor, to first order
    const d = depthOfField(32, 8, s * 1.01, 0.025);
    expect(d.farM).toBe(Infinity);
    expect(d.nearM).toBeCloseTo(h / 2, 1);
  });
  test('against the thin lens: near and far blur to exactly the circle of confusion', () => {
    const [f, n, s, c] = [50, 2.8, 3000, 0.025];
    const u = (s + Math.sqrt(s * s - 4 * f * s)) / 2;
    const v = (f * u) / (u - f);
    const { nearM, farM } = depthOfField(f, n, s / 1000, c);
    for (const x of [nearM * 1000, farM * 1000]) {
      const vx = (f * x) / (x - f);
      expect((Math.abs(vx - v) / vx) * (f / n)).toBeCloseTo(c, 6);
    }
  });
  test('impossible values are named', () => {
    expect(() => depthOfField(-5, 8, 3, 0.025)).toThrow(/focal length/);
    expect(() => depthOfField(300, 8, 1, 0.025)).toThrow(/forms no image/);
  });
  test('the crop factor of 36 x 24 is 1', () => expect(cropFactor(36, 24)).toBe(1));
});

describe('timecode', () => {
  test('drop-frame keeps real time within a frame an hour', () => {
    expect(framesOfTimecode(parseTimecode('01:00:00;00', 29.97), 29.97)).toBe(107892);
    expect(timecodeOfFrames(107892, 29.97, true)).toBe('01:00:00;00');
    expect(timecodeOfFrames(1800, 29.97, true)).toBe('00:01:00;02');
    expect(timecodeOfFrames(17982, 29.97, true)).toBe('00:10:00;00');
  });
  test('counts and names agree at every rate', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(23.976, 24, 25, 29.97, 30, 59.94, 60),
        fc.nat(2_000_000),
        fc.boolean(),
        (rate, n, drop) => {
          const dropFrame = drop && canDropFrames(rate);
          const count = Math.round(rate);
          const day = dropFrame ? 144 * (600 * count - (9 * count) / 15) : 86400 * count;
          expect(framesOfTimecode(parseTimecode(timecodeOfFrames(n, rate, dropFrame), rate), rate)).toBe(n % day);
        },
      ),
    );
  });
  test.each([
    ['10:00:00:24', 24, /00 to 23/],
    ['10:00:00;02', 24, /no drop-frame/],
    ['10:01:00;01', 29.97, /skipped/],
    ['25:00:00:00', 24, /no time of day/],
    ['10.00', 24, /no timecode/],
  ])('%s at %d is refused', (text, rate, message) => {
    expect(() => parseTimecode(text, rate)).toThrow(message);
  });
  test('a take over midnight has its length', () =>
    expect(timecodeDurationS('23:59:59:00', '00:00:00:23', 24)).toBe(2));
});

describe('the sun on the set', () => {
  const day = [new Date('2026-10-14T00:00:00Z'), new Date('2026-10-15T00:00:00Z')] as const;
  test('a level horizon: on set from rise to set, twilights in order', () => {
    const e = sunEvents(QUAY, ...day);
    expect(e.onSet).toHaveLength(1);
    for (const t of [e.onSet[0].from, e.onSet[0].to])
      expect(Math.abs(sunPosition(QUAY, t).elevationDeg)).toBeLessThan(0.003);
    expect(e.lowSun).toHaveLength(2);
    expect(Math.abs(sunPosition(QUAY, e.civilTwilight[0].from).trueElevationDeg + 6)).toBeLessThan(0.003);
    expect(e.nauticalTwilight[0].to.getTime()).toBeCloseTo(e.civilTwilight[0].from.getTime(), -4);
  });
  test('a skyline takes the sun away earlier, exactly where it stands', () => {
    const skyline = [
      { bearingDeg: 200, elevationDeg: 4 },
      { bearingDeg: 280, elevationDeg: 8 },
    ];
    const leaves = sunOnSet(QUAY, ...day, skyline)[0].to;
    const p = sunPosition(QUAY, leaves);
    expect(p.elevationDeg).toBeCloseTo(skylineElevationDeg(skyline, p.azimuthDeg), 2);
    expect(leaves.getTime()).toBeLessThan(sunOnSet(QUAY, ...day)[0].to.getTime());
  });
  test('the skyline closes over north', () => {
    const s = [
      { bearingDeg: 350, elevationDeg: 2 },
      { bearingDeg: 10, elevationDeg: 4 },
    ];
    expect(skylineElevationDeg(s, 0)).toBeCloseTo(3);
    expect(skylineElevationDeg(s, 355)).toBeCloseTo(2.5);
    expect(skylineElevationDeg([], 90)).toBe(0);
  });
});

describe('readings', () => {
  test('declination grows eastward over western Europe and has the sign of CONVENTIONS', () => {
    const at = new Date('2026-10-14T12:00:00Z');
    const west = magneticDeclinationDeg({ latitudeDeg: 52, longitudeDeg: -10, altitudeM: 0 }, at);
    const east = magneticDeclinationDeg({ latitudeDeg: 52, longitudeDeg: 20, altitudeM: 0 }, at);
    expect(west).toBeLessThan(0);
    expect(east).toBeGreaterThan(4);
    expect(magneticDeclinationDeg(QUAY, at)).toBeGreaterThan(0.5);
    expect(magneticDeclinationDeg(QUAY, at)).toBeLessThan(2.5);
    expect(trueBearingDeg(359, 1.5, 4)).toBeCloseTo(1.5);
  });
  test('bias comes off, declination goes on, uncertainties add in squares', () => {
    const c = correctReading('compass', 9, { bias: 1.5, sigma: 1 }, { deg: 1.2, sigmaDeg: 0.5 });
    expect(c.value).toBeCloseTo(8.7);
    expect(c.uncertainty).toBeCloseTo(1.96 * Math.hypot(1, 0.5));
    expect(c.steps.join()).toMatch(/bias \+1.5° taken off.*declination \+1.2° added/);
    expect(correctReading('lux', 1000, { bias: 0, sigma: 0.03 }, null).uncertainty).toBeCloseTo(58.8);
    expect(correctReading('compass', 9, null, null).steps.join()).toMatch(/magnetic, not true/);
  });
  test.each([
    ['3.2', 3.2],
    ['3,2 m', 3.2],
    ['320 cm', 3.2],
    ['10\'6"', 3.2004],
    ['10 ft 6 in', 3.2004],
    ['126 in', 3.2004],
    ['-1.5', -1.5],
  ])('%s is %d m', (text, m) => expect(parseLengthM(text)).toBeCloseTo(m, 6));
  test.each([
    ['1200', 1200],
    ['1,2 klx', 1200],
    ['100 fc', 1076.391],
  ])('%s is %d lux', (text, lux) => expect(parseLux(text)).toBeCloseTo(lux, 2));
  test('nonsense is refused', () => {
    expect(() => parseLengthM('about three')).toThrow(/no length/);
    expect(() => parseLux('bright')).toThrow(/no illuminance/);
    expect(LUX_PER_FOOTCANDLE).toBeCloseTo(10.7639, 4);
  });
  test('feet and inches come back', () => {
    fc.assert(
      fc.property(fc.nat(200), fc.nat(23), (feet, half) =>
        expect(feetFromMetres(metresFromFeet(feet, half / 2))).toEqual({ feet, inches: half / 2 }),
      ),
    );
  });
});

describe('eye lines', () => {
  test('bearing, tilt and distance', () => {
    const s = sighting({ eastM: 0, northM: 0, heightM: 1.6 }, { eastM: 3, northM: 3, heightM: 1.6 + Math.sqrt(18) });
    expect(s.bearingDeg).toBeCloseTo(45);
    expect(s.tiltDeg).toBeCloseTo(45);
    expect(s.distanceM).toBeCloseTo(6);
    expect(targetHeightM(1.6, Math.sqrt(18), 45)).toBeCloseTo(1.6 + Math.sqrt(18));
    expect(() => sighting({ eastM: 0, northM: 0, heightM: 1 }, { eastM: 0, northM: 0, heightM: 1 })).toThrow(
      /same point/,
    );
  });
});

test('a magnetic heading is turned to true, a true one and a missing one stay', () => {
  const at = { shotAt: '2026-10-14T12:00:00Z' };
  const declination = magneticDeclinationDeg(QUAY, new Date(at.shotAt));
  expect(trueHeadingDeg({ ...at, headingDeg: 8, headingNorth: 'magnetic' }, QUAY)).toBeCloseTo(8 + declination, 9);
  expect(trueHeadingDeg({ ...at, headingDeg: 359.9, headingNorth: 'magnetic' }, QUAY)).toBeCloseTo(
    declination - 0.1,
    6,
  );
  expect(trueHeadingDeg({ ...at, headingDeg: 8, headingNorth: 'true' }, QUAY)).toBe(8);
  expect(trueHeadingDeg({ ...at, headingDeg: null, headingNorth: 'magnetic' }, QUAY)).toBeNull();
});

describe('survey', () => {
  const truth: Record<string, [number, number]> = { a: [0, 0], b: [7, 1], c: [3.5, 6.2], d: [-2, 4.4] };
  const rough: SurveyMark[] = [
    { id: 'a', eastM: 0, northM: 0, fixed: true },
    { id: 'b', eastM: 6, northM: 0, fixed: false },
    { id: 'c', eastM: 3, northM: 5, fixed: false },
    { id: 'd', eastM: -1, northM: 4, fixed: false },
  ];
  const distance = (from: string, to: string) =>
    Math.hypot(truth[to][0] - truth[from][0], truth[to][1] - truth[from][1]);
  const bearing = (from: string, to: string) =>
    ((Math.atan2(truth[to][0] - truth[from][0], truth[to][1] - truth[from][1]) * 180) / Math.PI + 360) % 360;
  const measures = (noise: () => number): SurveyMeasure[] => [
    ...[
      ['a', 'b'],
      ['a', 'c'],
      ['b', 'c'],
      ['a', 'd'],
      ['c', 'd'],
      ['b', 'd'],
    ].map(([f, t]) => ({
      id: `${f}${t}`,
      from: f,
      to: t,
      kind: 'distance' as const,
      value: distance(f, t) + 0.02 * noise(),
      sigma: 0.02,
    })),
    { id: 'bearing', from: 'a', to: 'b', kind: 'bearing', value: bearing('a', 'b') + 0.5 * noise(), sigma: 0.5 },
  ];
  test('exact measures give exact marks and no residuals', () => {
    const s = solveSurvey(
      rough,
      measures(() => 0),
    );
    for (const m of s.marks) {
      expect(m.eastM).toBeCloseTo(truth[m.id][0], 5);
      expect(m.northM).toBeCloseTo(truth[m.id][1], 5);
    }
    expect(s.sigmaZero).toBeLessThan(1e-3);
    expect(s.untied).toEqual([]);
  });
  test('the 95 % ellipses hold the truth about that often', () => {
    let seed = 1;
    const uniform = () => {
      seed = (seed * 16807) % 2147483647;
      return seed / 2147483647;
    };
    const normal = () => Math.sqrt(-2 * Math.log(uniform())) * Math.cos(2 * Math.PI * uniform());
    let inside = 0;
    let all = 0;
    for (let k = 0; k < 300; k++) {
      for (const m of solveSurvey(rough, measures(normal)).marks) {
        if (m.id === 'a') continue;
        const [de, dn] = [m.eastM - truth[m.id][0], m.northM - truth[m.id][1]];
        const b = (m.ellipse!.bearingDeg * Math.PI) / 180;
        const along = de * Math.sin(b) + dn * Math.cos(b);
        const across = de * Math.cos(b) - dn * Math.sin(b);
        if ((along / m.ellipse!.majorM) ** 2 + (across / m.ellipse!.minorM) ** 2 <= 1) inside++;
        all++;
      }
    }
    expect(inside / all).toBeGreaterThan(0.92);
    expect(inside / all).toBeLessThan(0.98);
  });
  test('a mark without ties says so, a wrong measure stands out', () => {
    const s = solveSurvey(
      [...rough, { id: 'e', eastM: 9, northM: 9, fixed: false }],
      measures(() => 0).map((m) => (m.id === 'bd' ? { ...m, value: m.value + 0.5 } : m)),
    );
    expect(s.untied).toEqual(['e']);
    expect(s.residuals.reduce((a, b) => (Math.abs(b.sigmas) > Math.abs(a.sigmas) ? b : a)).id).toBe('bd');
    expect(s.sigmaZero).toBeGreaterThan(3);
    expect(() =>
      solveSurvey(rough, [{ id: 'x', from: 'a', to: 'nobody', kind: 'distance', value: 1, sigma: 1 }]),
    ).toThrow(/not on the plan/);
  });
});

describe('frame shift', () => {
  const scene = (x: number, y: number) =>
    Math.sin(x * 0.11) +
    Math.cos(y * 0.07 + x * 0.02) +
    0.4 * Math.sin((x + y) * 0.31) +
    0.3 * Math.sin(x * 0.53) * Math.cos(y * 0.47);
  const plane = (dx: number, dy: number, gain: number, walker = false) => {
    const [width, height] = [320, 180];
    const data = new Float32Array(width * height);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++)
        data[y * width + x] = walker && x > 90 && x < 150 && y > 60 ? -3 + Math.sin(x) : scene(x - dx, y - dy) + gain;
    return { width, height, data };
  };
  test.each([
    [0, 0, 0],
    [0.4, -0.3, 0.2],
    [7.25, 3.5, -0.5],
    [-17, 12, 0],
  ])('finds a shift of %d, %d px and a gain', (dx, dy, gain) => {
    const s = frameShift(plane(0, 0, 0), plane(dx, dy, gain));
    expect(s.dx).toBeCloseTo(dx, 1);
    expect(s.dy).toBeCloseTo(dy, 1);
    expect(s.stops).toBeCloseTo(gain / Math.LN2, 2);
  });
  test('somebody who walked in does not pull it', () => {
    const s = frameShift(plane(0, 0, 0), plane(1.5, 0.5, 0, true));
    expect(Math.hypot(s.dx - 1.5, s.dy - 0.5)).toBeLessThan(0.1);
    expect(s.agreeing).toBeLessThan(0.95);
  });
  test('black and cut-off spots all over hide no bump: sizes of which they leave nothing are passed over', () => {
    // One pixel of every block of sixteen is black, and moves with what is seen.
    const spotted = (dx: number, dy: number) => {
      const { width, height, data } = plane(dx, dy, 0.3);
      return {
        width,
        height,
        data: data.map((v, i) => {
          const [x, y] = [Math.round((i % width) - dx), Math.round(Math.floor(i / width) - dy)];
          return (x + 400) % 12 === 0 && (y + 400) % 12 === 0 ? NaN : v;
        }),
      };
    };
    const s = frameShift(spotted(0, 0), spotted(3.2, -1.4));
    expect(s.dx).toBeCloseTo(3.2, 1);
    expect(s.dy).toBeCloseTo(-1.4, 1);
    expect(s.agreeing).toBeGreaterThan(0.9);
  });
  test('pictures of other sizes, and black ones, are refused', () => {
    expect(() => frameShift(plane(0, 0, 0), { width: 10, height: 10, data: new Float32Array(100) })).toThrow(
      /differ in size/,
    );
    expect(() =>
      frameShift(plane(0, 0, 0), { ...plane(0, 0, 0), data: new Float32Array(320 * 180).fill(NaN) }),
    ).toThrow(/too little/);
  });
});
