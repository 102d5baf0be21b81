import { DEG, directionFromAngles, dot, type Vec3 } from '@tawny/core';

type Rgb = [number, number, number];

/**
 * Clear-sky luminance and colour after Preetham, Shirley and Smits (1999): Perez distributions of Y, x, y for a turbidity.
 * Values are linear Rec. 709 with luminance in cd/m2. Valid for sun elevations from about 2 degrees up; the sun's disc is not in it.
 */
export interface Sky {
  /** Towards the sun. */
  sunDirection: Vec3;
  /** Radiance of the disc per channel, cd/m2. */
  sunRadiance: Rgb;
  /** Illuminance of the disc on a facing plane per channel, lx. */
  sunIlluminance: Rgb;
  sunRadius: number;
  /** Writes the radiance of a direction above the horizon into out. */
  radiance(dx: number, dy: number, dz: number, out: Float64Array): void;
  /** Irradiance from sky and reflected ground on a plane with unit normal n, per channel, lx; order-2 spherical harmonics. */
  irradiance(nx: number, ny: number, nz: number, out: Float64Array): void;
}

export interface SkyInput {
  azimuthDeg: number;
  elevationDeg: number;
  diameterDeg: number;
  turbidity: number;
  /** Mean reflectance of the ground, for light from below. */
  groundReflectance: number;
  /** Closed cloud instead: the CIE standard overcast sky without a sun disc. */
  overcast?: boolean;
}

interface Perez {
  a: number;
  b: number;
  c: number;
  d: number;
  e: number;
}

const perez = (k: Perez, cosTheta: number, gamma: number, cosGamma: number) =>
  (1 + k.a * Math.exp(k.b / Math.max(cosTheta, 0.01))) * (1 + k.c * Math.exp(k.d * gamma) + k.e * cosGamma * cosGamma);

/** Relative optical air mass, Kasten and Young (1989). */
function airMass(elevationDeg: number): number {
  const h = Math.max(elevationDeg, 0);
  return 1 / (Math.sin(h * DEG) + 0.50572 * Math.pow(h + 6.07995, -1.6364));
}

function toRec709(Y: number, x: number, y: number, out: Float64Array): void {
  const X = (x / y) * Y;
  const Z = ((1 - x - y) / y) * Y;
  out[0] = Math.max(0, 3.2404542 * X - 1.5371385 * Y - 0.4985314 * Z);
  out[1] = Math.max(0, -0.969266 * X + 1.8760108 * Y + 0.041556 * Z);
  out[2] = Math.max(0, 0.0556434 * X - 0.2040259 * Y + 1.0572252 * Z);
}

/** Horizontal illuminance under closed cloud, lux, for a sun elevation: 300 + 21000 sin(el). */
const overcastLux = (elevationDeg: number) => 300 + 21000 * Math.sin(Math.max(0, elevationDeg) * DEG);

/** Colour of cloud light against Rec. 709 white, luminance 1. */
const CLOUD: Rgb = [0.965, 1.003, 1.076];

/** `L = Lz (1 + 2 sin el) / 3` (CIE overcast), Lz = 9 E / (7 pi). */
function createOvercast(input: SkyInput): Sky {
  const zenith = (9 * overcastLux(input.elevationDeg)) / (7 * Math.PI);
  const radiance: Sky['radiance'] = (_dx, dy, _dz, out) => {
    const l = (zenith * (1 + 2 * Math.max(dy, 0))) / 3;
    for (let c = 0; c < 3; c++) out[c] = l * CLOUD[c];
  };
  const sunDirection = directionFromAngles(input.azimuthDeg, input.elevationDeg);
  const harmonics = projectToHarmonics(radiance, [0, 0, 0], sunDirection, input.groundReflectance);
  return {
    sunDirection,
    sunRadiance: [0, 0, 0],
    sunIlluminance: [0, 0, 0],
    sunRadius: (input.diameterDeg / 2) * DEG,
    radiance,
    irradiance: (x, y, z, out) => evaluateHarmonics(harmonics, x, y, z, out),
  };
}

export function createSky(input: SkyInput): Sky {
  if (input.overcast) return createOvercast(input);
  const { azimuthDeg, elevationDeg, turbidity: T } = input;
  const sunDirection = directionFromAngles(azimuthDeg, elevationDeg);
  const ts = (90 - elevationDeg) * DEG;
  const chi = (4 / 9 - T / 120) * (Math.PI - 2 * ts);
  const zenithY = 1000 * Math.max(0.5, (4.0453 * T - 4.971) * Math.tan(chi) - 0.2155 * T + 2.4192);
  const t2 = ts * ts;
  const t3 = t2 * ts;
  const zenithX =
    T * T * (0.00166 * t3 - 0.00375 * t2 + 0.00209 * ts) +
    T * (-0.02903 * t3 + 0.06377 * t2 - 0.03202 * ts + 0.00394) +
    (0.11693 * t3 - 0.21196 * t2 + 0.06052 * ts + 0.25886);
  const zenithSmallY =
    T * T * (0.00275 * t3 - 0.0061 * t2 + 0.00317 * ts) +
    T * (-0.04214 * t3 + 0.0897 * t2 - 0.04153 * ts + 0.00516) +
    (0.15346 * t3 - 0.26756 * t2 + 0.0667 * ts + 0.26688);
  const kY: Perez = {
    a: 0.1787 * T - 1.463,
    b: -0.3554 * T + 0.4275,
    c: -0.0227 * T + 5.3251,
    d: 0.1206 * T - 2.5771,
    e: -0.067 * T + 0.3703,
  };
  const kx: Perez = {
    a: -0.0193 * T - 0.2592,
    b: -0.0665 * T + 0.0008,
    c: -0.0004 * T + 0.2125,
    d: -0.0641 * T - 0.8989,
    e: -0.0033 * T + 0.0452,
  };
  const ky: Perez = {
    a: -0.0167 * T - 0.2608,
    b: -0.095 * T + 0.0092,
    c: -0.0079 * T + 0.2102,
    d: -0.0441 * T - 1.6537,
    e: -0.0109 * T + 0.0529,
  };
  const cosTs = Math.cos(ts);
  const norm = (k: Perez) => perez(k, 1, ts, cosTs);
  const nY = zenithY / norm(kY);
  const nx = zenithX / norm(kx);
  const ny = zenithSmallY / norm(ky);

  const radiance = (dx: number, dy: number, dz: number, out: Float64Array) => {
    const cosGamma = Math.max(-1, Math.min(1, dx * sunDirection[0] + dy * sunDirection[1] + dz * sunDirection[2]));
    const gamma = Math.acos(cosGamma);
    const cosTheta = Math.max(dy, 0.01);
    toRec709(
      nY * perez(kY, cosTheta, gamma, cosGamma),
      nx * perez(kx, cosTheta, gamma, cosGamma),
      ny * perez(ky, cosTheta, gamma, cosGamma),
      out,
    );
  };

  const m = airMass(elevationDeg);
  const extinction = [0.11, 0.17, 0.29].map((tau) => Math.exp(-m * tau * (0.55 + 0.15 * T)));
  const sunIlluminance = extinction.map((t) => 127500 * t) as Rgb;
  const sunRadius = (input.diameterDeg / 2) * DEG;
  const solid = 2 * Math.PI * (1 - Math.cos(sunRadius));
  const sunRadiance = sunIlluminance.map((e) => e / solid) as Rgb;

  const harmonics = projectToHarmonics(radiance, sunIlluminance, sunDirection, input.groundReflectance);
  return {
    sunDirection,
    sunRadiance,
    sunIlluminance,
    sunRadius,
    radiance,
    irradiance: (nx2, ny2, nz2, out) => evaluateHarmonics(harmonics, nx2, ny2, nz2, out),
  };
}

/** Nine coefficients a channel of sky above and uniform ground below (Ramamoorthi and Hanrahan 2001). */
function projectToHarmonics(radiance: Sky['radiance'], sunE: Rgb, sun: Vec3, ground: number): Float64Array[] {
  const steps = 64;
  const out = [new Float64Array(9), new Float64Array(9), new Float64Array(9)];
  const sample = new Float64Array(3);
  const horizontal = [0, 0, 0];
  const cell = ((Math.PI / 2 / steps) * (2 * Math.PI)) / (4 * steps);
  const each = (visit: (d: Vec3, omega: number) => void) => {
    for (let i = 0; i < steps; i++) {
      const el = ((i + 0.5) / steps) * (Math.PI / 2);
      for (let j = 0; j < 4 * steps; j++)
        visit(directionFromAngles(((j + 0.5) / (4 * steps)) * 360, el / DEG), cell * Math.cos(el));
    }
  };
  each((d, omega) => {
    radiance(d[0], d[1], d[2], sample);
    const basis = basis9(d[0], d[1], d[2]);
    for (let c = 0; c < 3; c++) {
      horizontal[c] += sample[c] * d[1] * omega;
      for (let k = 0; k < 9; k++) out[c][k] += sample[c] * basis[k] * omega;
    }
  });
  const up = Math.max(0, dot(sun, [0, 1, 0]));
  each((d, omega) => {
    const basis = basis9(d[0], -d[1], d[2]);
    for (let c = 0; c < 3; c++) {
      const l = (ground * (horizontal[c] + sunE[c] * up)) / Math.PI;
      for (let k = 0; k < 9; k++) out[c][k] += l * basis[k] * omega;
    }
  });
  return out;
}

function basis9(x: number, y: number, z: number): number[] {
  return [
    0.282095,
    0.488603 * y,
    0.488603 * z,
    0.488603 * x,
    1.092548 * x * y,
    1.092548 * y * z,
    0.315392 * (3 * z * z - 1),
    1.092548 * x * z,
    0.546274 * (x * x - y * y),
  ];
}

const BAND = [
  Math.PI,
  (2 * Math.PI) / 3,
  (2 * Math.PI) / 3,
  (2 * Math.PI) / 3,
  Math.PI / 4,
  Math.PI / 4,
  Math.PI / 4,
  Math.PI / 4,
  Math.PI / 4,
];

function evaluateHarmonics(h: Float64Array[], x: number, y: number, z: number, out: Float64Array): void {
  const basis = basis9(x, y, z);
  for (let c = 0; c < 3; c++) {
    let e = 0;
    for (let k = 0; k < 9; k++) e += BAND[k] * h[c][k] * basis[k];
    out[c] = Math.max(0, e);
  }
}
