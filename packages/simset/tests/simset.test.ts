import {
  createImage,
  RELATIVE_REC709,
  directionFromAngles,
  illuminance,
  lensFromFov,
  luminance,
  quaternionFromAttitude,
  rowSolidAngles,
  type Vec3,
} from '@tawny/core';
import {
  addSunDisc,
  createQuay,
  createRandom,
  expose,
  latlongRays,
  projectSet,
  renderRows,
  simulatedVignetting,
  toWorld,
} from '../src';

const QUAY = { azimuthDeg: 220, elevationDeg: 12, diameterDeg: 0.53, turbidity: 4 };
const STATION = toWorld({ eastM: 0, upM: 1.62, northM: 0 });
const scene = createQuay(QUAY, 7);

function render(width: number) {
  const image = createImage(width, width / 2, RELATIVE_REC709);
  renderRows(
    {
      scene,
      origin: STATION,
      width,
      height: width / 2,
      ray: latlongRays(width, width / 2),
      pixelAngle: (2 * Math.PI) / width,
    },
    0,
    width / 2,
    image.data,
  );
  return image;
}

describe('random numbers', () => {
  test('the same seed gives the same numbers, another seed others', () => {
    const draw = (seed: number) => {
      const r = createRandom(seed, 'x');
      return [r.next(), r.next(), r.normal()];
    };
    expect(draw(4)).toEqual(draw(4));
    expect(draw(4)).not.toEqual(draw(5));
  });
  test('normal numbers have mean 0 and variance 1', () => {
    const r = createRandom(1, 'n');
    const v = Array.from({ length: 40000 }, () => r.normal());
    const mean = v.reduce((a, b) => a + b, 0) / v.length;
    expect(mean).toBeCloseTo(0, 1);
    expect(v.reduce((a, b) => a + (b - mean) ** 2, 0) / v.length).toBeCloseTo(1, 1);
  });
});

describe('the quay', () => {
  const image = render(256);

  test('is the same at every rendering', () => expect(render(256).data).toEqual(image.data));

  test('the grey card is Lambert: luminance = 0.18 E / pi of the light that falls on it', () => {
    const { centre, facingDeg } = scene.landmarks.greyCard;
    const card = toWorld(centre);
    const from: Vec3 = [card[0] - STATION[0], card[1] - STATION[1], card[2] - STATION[2]];
    const n = Math.hypot(...from);
    const out = new Float64Array(3);
    scene.trace(STATION, from[0] / n, from[1] / n, from[2] / n, 0.001, out);
    const normal = directionFromAngles(facingDeg, 0);
    const sky = new Float64Array(3);
    scene.sky.irradiance(normal[0], normal[1], normal[2], sky);
    const cos = Math.max(0, normal[0] * scene.sky.sunDirection[0] + normal[2] * scene.sky.sunDirection[2]);
    const e = [0, 1, 2].map((c) => sky[c] + cos * scene.sky.sunIlluminance[c]);
    for (let c = 0; c < 3; c++) expect(out[c]).toBeCloseTo((0.18 * e[c]) / Math.PI, 3);
  });

  test('the mast casts a shadow away from the sun, and next to it the ground is lit', () => {
    const foot = { eastM: -3.6, northM: 3.4 };
    const away = directionFromAngles(QUAY.azimuthDeg + 180, 0);
    const at = (t: number, side: number): Vec3 => [
      foot.eastM + t * away[0] + side * -away[2],
      0.001,
      -foot.northM + t * away[2] + side * away[0],
    ];
    expect(scene.sunVisibility(at(1.5, 0))).toBe(0);
    expect(scene.sunVisibility(at(1.5, 0.6))).toBe(1);
    const edge = scene.sunVisibility(at(4, 0.13));
    expect(edge).toBeGreaterThan(0);
    expect(edge).toBeLessThan(1);
  });

  test('sky light from rendering and from harmonics agree on the horizontal', () => {
    const open = createImage(256, 128, RELATIVE_REC709);
    const out = new Float64Array(3);
    latlongTrace(open, out);
    const harmonics = new Float64Array(3);
    scene.sky.irradiance(0, 1, 0, harmonics);
    expect(
      luminance(...illuminance(open, [0, 1, 0]), 'rec709') /
        luminance(harmonics[0], harmonics[1], harmonics[2], 'rec709'),
    ).toBeCloseTo(1, 1);
  });

  function latlongTrace(open: ReturnType<typeof createImage>, out: Float64Array) {
    const ray = latlongRays(256, 128);
    const d = new Float64Array(3);
    for (let y = 0; y < 64; y++) {
      for (let x = 0; x < 256; x++) {
        ray(x + 0.5, y + 0.5, d);
        scene.sky.radiance(d[0], d[1], d[2], out);
        open.data.set(out, 3 * (y * 256 + x));
      }
    }
  }
});

describe("the sun's disc", () => {
  test.each([128, 1024])('keeps its flux at width %s', (width) => {
    const image = createImage(width, width / 2, RELATIVE_REC709);
    const radius = (0.2665 * Math.PI) / 180;
    addSunDisc(image, { direction: directionFromAngles(100, 30), radius, radiance: [1e6, 1e6, 1e6] });
    const omega = rowSolidAngles(width, width / 2);
    const flux = Array.from(image.data).reduce(
      (s, v, i) => (i % 3 === 0 ? s + v * omega[Math.floor(i / 3 / width)] : s),
      0,
    );
    expect(flux / (1e6 * 2 * Math.PI * (1 - Math.cos(radius)))).toBeCloseTo(1, 2);
  });
});

describe('cameras', () => {
  const noise = { fullWellE: 30000, readNoiseE: 4 };

  test('shot noise grows with the root of the light and clips at the full well', () => {
    const light = new Float32Array(3 * 20000).fill(100);
    const sensor = { noise, sensitivity: 1, whiteBalance: [1, 1, 1] as const, bits: 14 as const };
    const codes = expose(light, 1.2 * 0.0025, sensor, 3, 'a') as Uint16Array;
    const e = Array.from(codes, (c) => (c / 65535) * 30000);
    const mean = e.reduce((a, b) => a + b, 0) / e.length;
    expect(mean / 7500).toBeCloseTo(1, 2);
    expect(Math.sqrt(e.reduce((a, b) => a + (b - mean) ** 2, 0) / e.length) / Math.sqrt(7500 + 16)).toBeCloseTo(1, 1);
    expect(Math.min(...(expose(light, 1, sensor, 3, 'b') as Uint16Array).slice(0, 100))).toBe(65535);
  });

  test('a fisheye sees the right part of the set, dimmed by its vignetting, and black outside its circle', () => {
    const set = createImage(128, 64, RELATIVE_REC709);
    set.data.fill(10);
    const lens = lensFromFov('equidistant', 185, { width: 60, height: 60 });
    const out = new Float32Array(60 * 60 * 3);
    const sun = { direction: directionFromAngles(0, 0), radius: 0.02, radiance: [1000, 1000, 1000] as const };
    projectSet(set, sun, lens, quaternionFromAttitude({ headingDeg: 90, tiltDeg: 0, rollDeg: 0 }), 0, 60, out);
    expect(out[3 * (30 * 60 + 30)]).toBeCloseTo(10 * simulatedVignetting(0.038), 1);
    expect(out[0]).toBe(0);
    // The sun stands at the left rim when the camera looks east.
    const brightest = out.indexOf(Math.max(...out));
    expect(Math.floor(brightest / 3) % 60).toBeLessThan(4);
  });
});
