import fc from 'fast-check';
import {
  expectedHeight,
  arcDeg,
  createImage,
  RELATIVE_REC709,
  detectSun,
  directionFromAngles,
  illuminance,
  luminance,
  northFromSun,
  UNKNOWN_LEVEL_DEG,
  refractionDeg,
  separateSun,
  standardAir,
  stickShadow,
  sunDay,
  sunPosition,
  sunRates,
  sunTrack,
  DEG,
  type RgbImage,
} from '../src';
import { anglesAtPixel } from '../src';

const PLACE = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 };

/** Even sky and ground with a hard disc, sampled 32 x 32 a pixel. */
function scene(width: number, sun: { az: number; el: number; value: number; radiusDeg: number } | null): RgbImage {
  const image = createImage(width, width / 2, RELATIVE_REC709);
  for (let y = 0; y < width / 2; y++) {
    for (let x = 0; x < width; x++) {
      const a = anglesAtPixel(x, y, width, width / 2);
      let v = a.elevationDeg > 0 ? 3000 : 800;
      if (
        sun &&
        arcDeg(directionFromAngles(a.azimuthDeg, a.elevationDeg), directionFromAngles(sun.az, sun.el)) <
          sun.radiusDeg + 720 / width
      ) {
        let inside = 0;
        for (let k = 0; k < 1024; k++) {
          const s = anglesAtPixel(
            x - 0.5 + ((k % 32) + 0.5) / 32,
            y - 0.5 + (Math.floor(k / 32) + 0.5) / 32,
            width,
            width / 2,
          );
          if (
            arcDeg(directionFromAngles(s.azimuthDeg, s.elevationDeg), directionFromAngles(sun.az, sun.el)) <=
            sun.radiusDeg
          )
            inside++;
        }
        v += (inside / 1024) * sun.value;
      }
      image.data.fill(v, 3 * (y * width + x), 3 * (y * width + x) + 3);
    }
  }
  return image;
}

describe('sun position', () => {
  test('published NREL case within 0.002 degrees', () => {
    const s = sunPosition(
      { latitudeDeg: 39.742476, longitudeDeg: -105.1786, altitudeM: 1830.14 },
      new Date('2003-10-17T19:30:30Z'),
      { pressureHpa: 820, temperatureC: 11 },
    );
    expect(Math.abs(s.azimuthDeg - 194.34024)).toBeLessThan(0.002);
    expect(Math.abs(90 - s.elevationDeg - 50.11162)).toBeLessThan(0.002);
  });

  test('diameter between aphelion and perihelion', () => {
    expect(sunPosition(PLACE, new Date('2026-07-06T12:00:00Z')).diameterDeg).toBeCloseTo(0.5243, 3);
    expect(sunPosition(PLACE, new Date('2026-01-03T12:00:00Z')).diameterDeg).toBeCloseTo(0.5422, 3);
  });

  test('a day holds rise, transit and set in order, and none in the polar night', () => {
    const day = sunDay(PLACE, new Date('2026-11-24T00:00:00Z'), new Date('2026-11-25T00:00:00Z'));
    expect(day.rise!.getTime()).toBeLessThan(day.transit.getTime());
    expect(day.transit.getTime()).toBeLessThan(day.set!.getTime());
    expect(sunPosition(PLACE, day.set!).trueElevationDeg).toBeCloseTo(-0.83, 1);
    const polar = sunDay(
      { latitudeDeg: 78, longitudeDeg: 15, altitudeM: 0 },
      new Date('2026-12-10T00:00:00Z'),
      new Date('2026-12-11T00:00:00Z'),
    );
    expect(polar.rise).toBeNull();
  });

  test('a track of many times is the position at each of them, wherever and whenever', () => {
    const place = fc.record({
      latitudeDeg: fc.double({ min: -89, max: 89, noNaN: true }),
      longitudeDeg: fc.double({ min: -180, max: 180, noNaN: true }),
      altitudeM: fc.double({ min: 0, max: 4000, noNaN: true }),
    });
    const time = fc.date({ min: new Date('1950-01-01'), max: new Date('2100-01-01'), noInvalidDate: true });
    fc.assert(
      fc.property(place, time, (at, utc) => {
        const [track, alone] = [sunTrack(at)(utc), sunPosition(at, utc)];
        expect(arcDeg(track.direction, alone.direction)).toBeLessThan(1e-4);
        expect(track.trueElevationDeg).toBeCloseTo(alone.trueElevationDeg, 4);
        expect(track.diameterDeg).toBeCloseTo(alone.diameterDeg, 8);
      }),
      { numRuns: 300 },
    );
    expect(() => sunTrack({ ...PLACE, latitudeDeg: 91 })).toThrow(/latitude 91/);
    expect(() => sunTrack(PLACE)(new Date('x'))).toThrow(/valid UTC/);
  });

  test('shadow of a stick points away from the sun', () => {
    expect(stickShadow({ azimuthDeg: 200, elevationDeg: 45 }, 2)).toEqual({
      lengthM: expect.closeTo(2, 9) as number,
      azimuthDeg: 20,
    });
    expect(stickShadow({ azimuthDeg: 200, elevationDeg: -1 }, 2)).toBeNull();
  });

  test.each([
    [{ ...PLACE, latitudeDeg: 120 }, /latitude 120/],
    [{ ...PLACE, longitudeDeg: -181 }, /longitude -181/],
    [{ ...PLACE, altitudeM: 99999 }, /altitude/],
  ])('places that are not on Earth are refused', (place, message) => {
    expect(() => sunPosition(place, new Date())).toThrow(message);
  });
  test('an invalid time is refused', () => expect(() => sunPosition(PLACE, new Date('x'))).toThrow(/valid UTC/));
  test('standard air at sea level', () => expect(standardAir(0).pressureHpa).toBeCloseTo(1013.25, 2));
});

describe('sun in the panorama', () => {
  test.each([
    [512, 33.3, 12.3],
    [1024, 359.9, 5],
    [1024, 120.2, 55],
  ])('found at width %s, azimuth %s, elevation %s', (width, az, el) => {
    const sun = detectSun(scene(width, { az, el, value: 6e8, radiusDeg: 0.2665 }), { clipped: false })!;
    expect(arcDeg(sun.direction, directionFromAngles(az, el))).toBeLessThan((0.25 * 360) / width);
    expect(sun.clipped).toBe(false);
    const expected = 6e8 * 2 * Math.PI * (1 - Math.cos(0.2665 * DEG));
    expect(luminance(...sun.illuminanceNormal, 'rec709') / expected).toBeCloseTo(1, 1);
  });

  test('a sun cut off by the camera is found and called clipped', () => {
    const sun = detectSun(scene(1024, { az: 200, el: 20, value: 3e6, radiusDeg: 0.2665 }), { clipped: true })!;
    expect(sun.clipped).toBe(true);
    expect(arcDeg(sun.direction, directionFromAngles(200, 20))).toBeLessThan(360 / 1024);
  });

  test('an even picture, and a sky that is bright all over, end at once and hold none', () => {
    const [width, height] = [4096, 2048];
    const even = createImage(width, height, RELATIVE_REC709);
    even.data.fill(1);
    // The test's own time, whatever else the machine does.
    const started = process.cpuUsage();
    expect(detectSun(even)).toBeNull();
    // Half of the sphere at nine tenths of the brightest: one region of four million pixels.
    even.data.fill(0.9, 0, even.data.length / 2);
    even.data.fill(0.01, even.data.length / 2);
    even.data.fill(1, 3 * width * 100, 3 * width * 100 + 3);
    expect(detectSun(even)).toBeNull();
    expect(process.cpuUsage(started).user / 1000).toBeLessThan(10_000);
  });
  test.each([
    ['no sun', null],
    ['a lamp of 3 degrees', { az: 50, el: 20, value: 1e6, radiusDeg: 1.5 }],
    ['a sun below the horizon', { az: 50, el: -15, value: 6e8, radiusDeg: 0.2665 }],
    ['a faint disc', { az: 50, el: 15, value: 2e4, radiusDeg: 0.2665 }],
  ])('%s is no sun', (_name, lamp) => {
    expect(detectSun(scene(1024, lamp))).toBeNull();
  });

  test('taking the sun out keeps the light on a facing plane', () => {
    const image = scene(1024, { az: 77, el: 30, value: 6e8, radiusDeg: 0.2665 });
    const sun = detectSun(image, { clipped: false })!;
    const { residual, illuminance: taken } = separateSun(image, sun);
    const before = luminance(...illuminance(image, sun.direction), 'rec709');
    const after = luminance(...illuminance(residual, sun.direction), 'rec709') + luminance(...taken, 'rec709');
    expect(after / before).toBeCloseTo(1, 5);
    expect(detectSun(residual)).toBeNull();
  });
});

describe('north', () => {
  const utc = new Date('2026-10-14T15:20:00Z');
  const at = sunPosition(PLACE, utc);
  const known = { levelDeg: 0.1, clockS: 10 };

  test('the turn is computed minus found azimuth, across north', () => {
    const n = northFromSun({
      detected: { azimuthDeg: (at.azimuthDeg + 200) % 360, elevationDeg: at.elevationDeg, uncertaintyDeg: 0.02 },
      place: PLACE,
      utc,
      ...known,
    });
    expect(n.yawDeg).toBeCloseTo(160, 4);
    expect(n.agrees).toBe(true);
    expect(n.uncertaintyDeg).toBeGreaterThan(0.02);
    expect(n.uncertaintyDeg).toBeLessThan(0.15);
  });

  test('a wrong clock shows as a disagreement of elevation', () => {
    const n = northFromSun({
      detected: { azimuthDeg: 0, elevationDeg: at.elevationDeg, uncertaintyDeg: 0.02 },
      place: PLACE,
      utc: new Date(utc.getTime() + 3600000),
      ...known,
    });
    expect(n.agrees).toBe(false);
  });

  test('the interval widens when the sun stands high', () => {
    const wide = northFromSun({
      detected: { azimuthDeg: 0, elevationDeg: 60, uncertaintyDeg: 0.02 },
      place: PLACE,
      utc: new Date('2026-06-21T12:00:00Z'),
      ...known,
    });
    const low = northFromSun({
      detected: { azimuthDeg: 0, elevationDeg: 10, uncertaintyDeg: 0.02 },
      place: PLACE,
      utc,
      ...known,
    });
    expect(wide.uncertaintyDeg).toBeGreaterThan(2 * low.uncertaintyDeg);
  });

  test('a level and a clock that nobody knows are not taken for good ones', () => {
    const seen = { azimuthDeg: 10, elevationDeg: at.elevationDeg, uncertaintyDeg: 0.02 };
    const told = northFromSun({ detected: seen, place: PLACE, utc, ...known });
    const noLevel = northFromSun({ detected: seen, place: PLACE, utc, levelDeg: null, clockS: 10 });
    const nothing = northFromSun({ detected: seen, place: PLACE, utc, levelDeg: null, clockS: null });
    expect(noLevel.uncertaintyDeg).toBeCloseTo(UNKNOWN_LEVEL_DEG * Math.tan((at.elevationDeg * Math.PI) / 180), 1);
    expect(noLevel.uncertaintyDeg).toBeGreaterThan(5 * told.uncertaintyDeg);
    expect(nothing.uncertaintyDeg).toBeGreaterThan(noLevel.uncertaintyDeg);
  });

  test("the sun's height sets a clock that is off, as far as the level is known", () => {
    // In the afternoon the sun falls: it was seen 100 s before the time that the clock wrote.
    const seen = sunPosition(PLACE, new Date(utc.getTime() - 100_000));
    const detected = { azimuthDeg: seen.azimuthDeg, elevationDeg: seen.elevationDeg, uncertaintyDeg: 0.02 };
    const good = northFromSun({ detected, place: PLACE, utc, levelDeg: 0.05, clockS: 180 });
    expect(good.clock.valueS).toBeGreaterThan(90);
    expect(good.clock.valueS).toBeLessThan(105);
    expect(good.clock.uncertaintyS).toBeLessThan(40);
    expect(Math.abs(good.yawDeg)).toBeLessThan(good.uncertaintyDeg);
    expect(Math.abs(good.yawDeg)).toBeLessThan(0.05);
    // Off level as it may be, the height says little of the clock, and the interval says so.
    const loose = northFromSun({ detected, place: PLACE, utc, levelDeg: null, clockS: 180 });
    expect(loose.clock.uncertaintyS).toBeGreaterThan(150);
    expect(Math.abs(loose.yawDeg)).toBeLessThan(loose.uncertaintyDeg);
  });

  test('where the sun may show itself: by level and clock, wide where nobody knows them', () => {
    const utc = new Date('2026-10-14T15:20:00Z');
    const { elevationDeg } = sunPosition(PLACE, utc);
    const known = expectedHeight({ place: PLACE, utc, levelDeg: 0.2, clockS: 1 });
    expect(known.elevationDeg).toBe(elevationDeg);
    expect(known.withinDeg).toBeCloseTo(0.2, 2);
    // Half an hour off in the afternoon: about three and a half degrees of height, and the usual lean.
    expect(expectedHeight({ place: PLACE, utc, levelDeg: null, clockS: 1800 }).withinDeg).toBeGreaterThan(4);
    expect(expectedHeight({ place: PLACE, utc, levelDeg: null, clockS: null }).withinDeg).toBeGreaterThan(3);
  });
  test('about noon its height cannot tell an hour; in the afternoon it does', () => {
    const heightTells = (time: string, levelDeg: number | null) => {
      const when = new Date(time);
      const { azimuthDeg, elevationDeg } = sunPosition(PLACE, when);
      const detected = { azimuthDeg, elevationDeg, uncertaintyDeg: 0.05 };
      return northFromSun({ detected, place: PLACE, utc: when, levelDeg, clockS: 30 }).heightTestsHour;
    };
    expect(heightTells('2026-10-14T15:20:00Z', 0.2)).toBe(true);
    expect(heightTells('2026-10-14T11:45:00Z', null)).toBe(false);
  });
});

describe('the sky around the sun', () => {
  const QUAY_SIDE = { latitudeDeg: 52.957, longitudeDeg: 0.951, altitudeM: 4 };
  test('refraction lifts the horizon by half a degree, less the higher, less in thin or warm air', () => {
    const air = { pressureHpa: 1010, temperatureC: 10 };
    // The Astronomical Almanac's value at the horizon is 34 minutes of arc.
    expect(refractionDeg(-34 / 60, air) * 60).toBeCloseTo(34, -0.5);
    expect(refractionDeg(10, air) * 60).toBeCloseTo(5.4, 0);
    expect(refractionDeg(45, air) * 60).toBeCloseTo(1, 1);
    for (let e = 0; e < 80; e += 5) expect(refractionDeg(e + 5, air)).toBeLessThan(refractionDeg(e, air));
    expect(refractionDeg(5, { pressureHpa: 700, temperatureC: 10 }) / refractionDeg(5, air)).toBeCloseTo(700 / 1010, 6);
    expect(refractionDeg(5, { pressureHpa: 1010, temperatureC: 40 })).toBeLessThan(refractionDeg(5, air));
    expect(refractionDeg(-5, air)).toBe(0);
  });
  test('it moves fifteen degrees an hour about the pole, whatever azimuth and elevation make of it', () => {
    for (const hour of [8, 11, 13, 15.5]) {
      const at = new Date(Date.UTC(2026, 9, 14, 0, Math.round(60 * hour)));
      const { azimuthDegPerS, elevationDegPerS } = sunRates(QUAY_SIDE, at);
      const { elevationDeg } = sunPosition(QUAY_SIDE, at);
      const arc = Math.hypot(azimuthDegPerS * Math.cos((elevationDeg * Math.PI) / 180), elevationDegPerS);
      // The sun stands some eight degrees south of the celestial equator then: its circle is that much smaller.
      expect(arc / (15 / 3600)).toBeGreaterThan(0.97);
      expect(arc / (15 / 3600)).toBeLessThan(1.01);
    }
  });
  test('places that cannot be are named', () => {
    const at = new Date('2026-10-14T12:00:00Z');
    expect(() => sunPosition({ ...QUAY_SIDE, latitudeDeg: 90.1 }, at)).toThrow('latitude 90.1 is not between');
    expect(() => sunPosition({ ...QUAY_SIDE, longitudeDeg: -200 }, at)).toThrow('longitude -200');
    expect(() => sunPosition({ ...QUAY_SIDE, altitudeM: NaN }, at)).toThrow('altitude NaN');
    expect(() => sunPosition(QUAY_SIDE, new Date('no day'))).toThrow('not a valid UTC time');
  });
});
