import {
  clearSunLuminance,
  engravedShutterSeconds,
  exactShutterSeconds,
  planBracket,
  planViews,
  roundTime,
  NOMINAL_LUMINANCE_PER_UNIT,
  type BracketCamera,
} from '../src';

const CAMERA: BracketCamera = {
  fastestS: 1 / 8000,
  slowestS: 30,
  iso: 100,
  tStop: 16,
  ndStops: [0, 3, 6, 10, 13],
  bits: 14,
  stepEv: 2,
  mostFrames: 12,
  mainsHz: null,
};
const SUN = 1.6e9;

describe('bracket planner', () => {
  test('at ISO 100, 1/8000 s and f/16 the sun is about 9 stops over', () => {
    const plan = planBracket({ darkest: 5, brightest: SUN }, { ...CAMERA, ndStops: [0] });
    expect(plan.missingBrightStops).toBeGreaterThan(8);
    expect(plan.missingBrightStops).toBeLessThan(10);
    expect(plan.warnings.join()).toMatch(/ND of (9|10) stops would hold it/);
  });
  test('with ND the whole range is held, and no more ND than needed', () => {
    const need = { darkest: 5, brightest: SUN };
    const plan = planBracket(need, CAMERA);
    expect(plan.ndStops).toBe(10);
    expect(plan.missingBrightStops).toBe(0);
    expect(plan.missingDarkStops).toBe(0);
    expect(plan.rungs[0].holds.to).toBeGreaterThanOrEqual(need.brightest * 0.999);
    expect(plan.rungs[plan.rungs.length - 1].holds.from).toBeLessThanOrEqual(need.darkest * 1.001);
    // Only what the fastest shutter cannot hold goes through the ND.
    for (const r of plan.rungs)
      expect(r.ndStops).toBe(r.exposure >= 0.999 * plan.rungs.find((q) => q.ndStops === 0)!.exposure ? 0 : 10);
    expect(plan.warnings.join()).toMatch(/frames? with the ND, \d+ without/);
    // Neighbours share light all the way.
    plan.rungs.slice(1).forEach((r, i) => expect(r.holds.from).toBeLessThan(plan.rungs[i].holds.to));
  });
  test('too few frames: the step grows to 3, then the shadows give way and it is said by how much', () => {
    const plan = planBracket({ darkest: 1, brightest: SUN }, { ...CAMERA, mostFrames: 4 });
    expect(plan.rungs).toHaveLength(4);
    expect(plan.missingBrightStops).toBe(0);
    expect(plan.missingDarkStops).toBeGreaterThan(3);
    expect(plan.warnings.join()).toMatch(/the step has to be 3\.0 EV/);
    expect(plan.warnings.join()).toMatch(/the deepest shadow is \d+\.\d stops under/);
  });
  test('a step so wide that 8-bit frames hardly tell their response is said; raw frames need no telling', () => {
    const need = { darkest: 1, brightest: 1e5 };
    const warned = (more: Partial<BracketCamera>) => planBracket(need, { ...CAMERA, ...more }).warnings.join();
    expect(warned({ bits: 8, stepEv: 4 })).toMatch(
      /^steps of 4\.0 EV: the frames hardly tell the camera's response, .* 4 to 7 %/,
    );
    expect(warned({ bits: 8, stepEv: 3 })).not.toMatch(/steps of/);
    expect(warned({ stepEv: 4 })).not.toMatch(/steps of/);
  });
  test('8-bit frames hold less below white, so they need more frames', () => {
    const need = { darkest: 14, brightest: 2e6 };
    expect(planBracket(need, { ...CAMERA, bits: 8 }).rungs.length).toBeGreaterThan(
      planBracket(need, CAMERA).rungs.length,
    );
  });
  test('a scene that one frame holds is one frame', () => {
    expect(planBracket({ darkest: 100, brightest: 3000 }, CAMERA).rungs).toHaveLength(1);
  });
  test('on the mains: whole half-cycles, and a warning for shorter ones', () => {
    const plan = planBracket({ darkest: 0.2, brightest: 500000 }, { ...CAMERA, tStop: 8, ndStops: [0], mainsHz: 50 });
    for (const r of plan.rungs.filter((x) => x.shutterS >= 0.01))
      expect(Math.abs(r.shutterS / 0.01 - Math.round(r.shutterS / 0.01))).toBeLessThan(1e-9);
    expect(plan.warnings.join()).toMatch(/shorter than a half-cycle of 50 Hz/);
  });
  test('the shortest frame keeps a twentieth of headroom under white', () => {
    const plan = planBracket({ darkest: 10, brightest: 1e5 }, { ...CAMERA, ndStops: [0] });
    expect(plan.rungs[0].holds.to).toBeCloseTo((0.95 * NOMINAL_LUMINANCE_PER_UNIT) / plan.rungs[0].exposure, 6);
  });
  test.each([
    [{ darkest: 0, brightest: 10 }, {}, /luminance above 0/],
    [{ darkest: 10, brightest: 1 }, {}, /luminance above 0/],
    [{ darkest: 1, brightest: 10 }, { slowestS: 1e-5 }, /slowest shutter/],
    [{ darkest: 1, brightest: 10 }, { stepEv: 9 }, /1\/3 to 4 EV/],
    [{ darkest: 1, brightest: 10 }, { ndStops: [] }, /state the ND/],
  ])('what no camera or scene has is refused', (need, more, message) => {
    expect(() => planBracket(need, { ...CAMERA, ...more })).toThrow(message);
  });
});

describe('the clear sun as a prior', () => {
  test('1.6e9 cd/m2 high up, dimmer low down, nothing at night', () => {
    expect(clearSunLuminance(60)).toBeGreaterThan(1.3e9);
    expect(clearSunLuminance(60)).toBeLessThan(1.8e9);
    expect(clearSunLuminance(5) / clearSunLuminance(60)).toBeLessThan(0.3);
    expect(clearSunLuminance(-1)).toBe(0);
  });
});

describe('views and time', () => {
  test('a hemisphere lens goes around once; two of them back to back for more', () => {
    expect(planViews(185, 185, 0.3)).toEqual([{ tiltDeg: 0, views: 3 }]);
    expect(planViews(220, 220, 0.1)).toEqual([{ tiltDeg: 0, views: 2 }]);
  });
  test('a rectilinear lens gets rows with zenith and nadir, and they overlap', () => {
    const rows = planViews(54, 68, 0.3);
    expect(rows.filter((r) => Math.abs(r.tiltDeg) === 90).map((r) => r.views)).toEqual([1, 1]);
    expect(rows[0].tiltDeg).toBe(0);
    expect(rows[0].views * 54 * 0.7).toBeGreaterThanOrEqual(360);
    const tilts = [...new Set(rows.map((r) => Math.abs(r.tiltDeg)))].sort((a, b) => a - b);
    tilts.slice(1).forEach((t, i) => expect(t - tilts[i]).toBeLessThan(68));
  });
  test('every direction of the sphere is seen by some view of the plan', () => {
    const [across, up] = [54, 68];
    const rows = planViews(across, up, 0.3);
    for (let el = -88; el <= 88; el += 4) {
      for (let az = 0; az < 360; az += 5) {
        const seen = rows.some((row) =>
          Array.from({ length: row.views }, (_, i) => (360 * i) / row.views).some((heading) => {
            const [a, e, t] = [((az - heading) * Math.PI) / 180, (el * Math.PI) / 180, (row.tiltDeg * Math.PI) / 180];
            const [x, y, z] = [Math.sin(a) * Math.cos(e), Math.sin(e), Math.cos(a) * Math.cos(e)];
            const depth = z * Math.cos(t) + y * Math.sin(t);
            const rise = y * Math.cos(t) - z * Math.sin(t);
            return (
              depth > 0 &&
              Math.abs(x / depth) <= Math.tan((across * Math.PI) / 360) &&
              Math.abs(rise / depth) <= Math.tan((up * Math.PI) / 360)
            );
          }),
        );
        expect({ az, el, seen }).toEqual({ az, el, seen: true });
      }
    }
  });
  test('the sun moves a quarter of a degree a minute, and the round takes the sum of its parts', () => {
    const time = roundTime(
      6,
      5,
      6,
      { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 },
      new Date('2026-10-14T12:00:00Z'),
    );
    expect(time.seconds).toBe(60);
    expect(time.sunDriftDeg).toBeGreaterThan(0.2);
    expect(time.sunDriftDeg).toBeLessThan(0.26);
  });
  test.each([
    [2, 60, 0.3, /not possible/],
    [60, 400, 0.3, /not possible/],
    [60, 60, 0.95, /overlap/],
  ])('angles that no lens has', (across, up, overlap, message) => {
    expect(() => planViews(across, up, overlap)).toThrow(message);
  });
});

test('engraved times and exact ones go there and back', () => {
  for (const mark of [30, 4, 1, 1 / 15, 1 / 60, 1 / 250, 1 / 1600, 1 / 8000])
    expect(engravedShutterSeconds(exactShutterSeconds(mark))).toBeCloseTo(mark, 9);
  expect(engravedShutterSeconds(0.014)).toBe(0.014);
});
