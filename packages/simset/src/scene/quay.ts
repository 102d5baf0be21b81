import { anglesFromDirection, dot, type Vec3 } from '@tawny/core';
import { bandLimit, hash, valueNoise } from './noise';
import { box, cylinder, panel, sphere, type Material, type Shape } from './shapes';
import { mirrorRay, referenceProps, type PropKind } from './props';
import type { CardLean, Scene } from './scene';
import { createSky, type Sky, type SkyInput } from './sky';

const SKY = 0;
const HILL = 1;
const WATER = 2;
const GROUND = 3;

/** Quay edge, metres north of the origin; the water lies below. */
const EDGE = 8;
const WATER_LEVEL = -2.4;
const SUN_POINTS = 16;
/** Largest half width of a penumbra that any prop throws, metres. */
const PENUMBRA = 0.12;

const paint =
  (r: number, g: number, b: number, grain = 0.12, seed = 0): Material =>
  (px, py, pz, footprint, _n, out) => {
    const k = 1 + grain * bandLimit(0.12, footprint) * (2 * valueNoise(px * 14 + py * 9, pz * 14 + py * 11, seed) - 1);
    out[0] = r * k;
    out[1] = g * k;
    out[2] = b * k;
  };

/** Courses of brick on any upright face, weathered by slow noise. */
const brick =
  (seed: number): Material =>
  (px, py, pz, footprint, n, out) => {
    const along = Math.abs(n[0]) > 0.5 ? pz : px;
    const course = Math.floor(py / 0.15);
    const shift = course % 2 === 0 ? 0 : 0.22;
    const index = Math.floor((along + shift) / 0.44);
    const u = (along + shift) / 0.44 - index;
    const v = py / 0.15 - course;
    const mortar = u < 0.035 || v < 0.1 ? bandLimit(0.06, footprint) : 0;
    const tone = 1 + 0.5 * bandLimit(0.3, footprint) * (hash(index, course, seed) - 0.5);
    const stain = 0.75 + 0.5 * valueNoise(along * 0.7, py * 0.9, seed + 1);
    const k = tone * stain;
    out[0] = 0.3 * k * (1 - mortar) + 0.38 * mortar;
    out[1] = 0.16 * k * (1 - mortar) + 0.35 * mortar;
    out[2] = 0.11 * k * (1 - mortar) + 0.3 * mortar;
  };

/** Weatherboards of the net loft with dark window openings. */
const boards: Material = (px, py, pz, footprint, n, out) => {
  const along = Math.abs(n[0]) > 0.5 ? pz : px;
  const window = Math.abs((((along % 4) + 4) % 4) - 2) < 0.55 && ((py > 1.2 && py < 2.6) || (py > 4.1 && py < 5.3));
  const line = Math.abs(py / 0.22 - Math.round(py / 0.22)) < 0.08 ? 0.35 * bandLimit(0.1, footprint) : 0;
  const weather = 0.8 + 0.4 * valueNoise(along * 1.7, py * 0.4, 71);
  const k = window ? 0.12 : weather * (1 - line);
  out[0] = 0.31 * k;
  out[1] = 0.33 * k;
  out[2] = 0.32 * k;
};

/** Granite setts in rows, each with its own tone, puddle-dark patches between. */
function groundReflectance(px: number, pz: number, footprint: number, seed: number, out: Float64Array): void {
  const row = Math.floor(pz / 0.4);
  const shift = hash(row, 7, seed) * 0.6;
  const column = Math.floor((px + shift) / 0.6);
  const u = (px + shift) / 0.6 - column;
  const v = pz / 0.4 - row;
  const joint = u < 0.04 || v < 0.06 ? bandLimit(0.06, footprint) : 0;
  const tone = 1 + 0.55 * bandLimit(0.5, footprint) * (hash(column, row, seed + 3) - 0.5);
  const damp = 0.72 + 0.55 * valueNoise(px * 0.28, pz * 0.28, seed + 5) * (0.4 + 0.6 * bandLimit(3, footprint));
  const grit = 1 + 0.22 * bandLimit(0.09, footprint) * (valueNoise(px * 19, pz * 19, seed + 9) - 0.5);
  const k = tone * damp * grit * (1 - 0.65 * joint);
  out[0] = 0.235 * k;
  out[1] = 0.215 * k;
  out[2] = 0.19 * k;
}

/** Height of the far shore in degrees of elevation at an azimuth in degrees. */
function skyline(azimuthDeg: number, seed: number): number {
  const a = azimuthDeg / 360;
  return (
    0.35 +
    2.1 * valueNoise(a * 23, 3.5, seed + 21) * valueNoise(a * 5, 9.5, seed + 22) +
    0.25 * valueNoise(a * 140, 1.5, seed + 23)
  );
}

/** The exterior *quay*: setts, brick wall, net loft, mast, bollards, crates, a grey card on a stand, water to the north. */
export function createQuay(
  input: Omit<SkyInput, 'groundReflectance'>,
  seed: number,
  props: readonly PropKind[] = [],
  { turnDeg, leanDeg }: CardLean = { turnDeg: 0, leanDeg: 0 },
): Scene {
  const sky: Sky = createSky({ ...input, groundReflectance: 0.17 });
  const card = {
    centre: { eastM: 0.95, upM: 1.25, northM: 1.9 },
    widthM: 0.62,
    heightM: 0.46,
    facingDeg: 205 + turnDeg,
    leanDeg,
    reflectance: 0.18,
  };
  const cardMaterial: Material = (_x, _y, _z, _f, _n, out) => out.fill(card.reflectance);
  const iron = paint(0.06, 0.058, 0.06, 0.2, 31);
  const timber = paint(0.2, 0.145, 0.095, 0.35, 33);
  let id = 10;
  const shapes: Shape[] = [
    box(id++, { west: 9, east: 9.6, bottom: 0, top: 2.8, north: EDGE, south: -16 }, brick(seed + 11)),
    box(id++, { west: -4.5, east: 8, bottom: 0, top: 6.8, north: -14, south: -22 }, boards),
    box(id++, { west: -14, east: -12.4, bottom: 0, top: 1.1, north: 6, south: -6 }, brick(seed + 12)),
    cylinder(id++, { east: -3.6, north: 3.4, bottom: 0, top: 9, radius: 0.13 }, timber),
    box(id++, { west: -5.1, east: -2.1, bottom: 6.6, top: 6.75, north: 3.48, south: 3.32 }, timber),
    ...[-7, -1.2, 4.6].flatMap((east) => [
      cylinder(id++, { east, north: 7.2, bottom: 0, top: 0.5, radius: 0.17 }, iron),
      sphere(id++, { east, north: 7.2, up: 0.55, radius: 0.24 }, iron),
    ]),
    box(id++, { west: 4.1, east: 5.2, bottom: 0, top: 0.62, north: 3.2, south: 2.4 }, paint(0.36, 0.24, 0.09, 0.3, 35)),
    box(id++, { west: 4.4, east: 5.1, bottom: 0.62, top: 1.1, north: 3.1, south: 2.5 }, paint(0.1, 0.2, 0.24, 0.3, 36)),
    box(id++, { west: -5.6, east: -4.7, bottom: 0, top: 0.45, north: -2.4, south: -3.6 }, timber),
    cylinder(id++, { east: 0.95 + 0.02, north: 1.93, bottom: 0, top: 1.02, radius: 0.018 }, iron),
    panel(
      id++,
      {
        east: card.centre.eastM,
        north: card.centre.northM,
        up: card.centre.upM,
        width: card.widthM,
        height: card.heightM,
        facingDeg: card.facingDeg,
        leanDeg,
      },
      cardMaterial,
    ),
    cylinder(id++, { east: 6.8, north: -4.5, bottom: 0, top: 0.9, radius: 0.3 }, paint(0.42, 0.3, 0.12, 0.25, 38)),
  ];
  const shown = referenceProps(props, { east: 0.6, north: 2.2, facingDeg: 205 }, id);
  shapes.push(...shown.shapes);

  const bounds = Float64Array.from(shapes.flatMap((s) => s.bound));
  /** Does a ray pass within `margin` of the bounding sphere of shape k? The cheap question before the dear one. */
  const passes = (
    k: number,
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    margin: number,
  ) => {
    const cx = bounds[4 * k] - ox;
    const cy = bounds[4 * k + 1] - oy;
    const cz = bounds[4 * k + 2] - oz;
    const r = bounds[4 * k + 3] + margin;
    const along = cx * dx + cy * dy + cz * dz;
    const square = cx * cx + cy * cy + cz * cz;
    return square - along * along <= r * r && (along > 0 || square <= r * r);
  };

  const sun = sky.sunDirection;
  const sunPoints = discPoints(sun, sky.sunRadius);
  const sunAbove = sunPoints.map((p) => {
    const a = anglesFromDirection(p);
    return a.elevationDeg > skyline(a.azimuthDeg, seed);
  });
  const aboveShare = sunAbove.filter(Boolean).length / SUN_POINTS;
  const candidates: Shape[] = [];

  /** Share of the disc seen from a point, over 16 fixed points; only shapes whose penumbra may touch are asked. */
  const lit = (px: number, py: number, pz: number): number => {
    if (aboveShare === 0) return 0;
    candidates.length = 0;
    for (let k = 0; k < shapes.length; k++) {
      if (
        passes(k, px, py, pz, sun[0], sun[1], sun[2], PENUMBRA) &&
        shapes[k].near(px, py, pz, sun[0], sun[1], sun[2], PENUMBRA)
      )
        candidates.push(shapes[k]);
    }
    if (candidates.length === 0) return aboveShare;
    let free = 0;
    for (let k = 0; k < SUN_POINTS; k++) {
      if (!sunAbove[k]) continue;
      const p = sunPoints[k];
      if (!candidates.some((s) => s.hit(px, py, pz, p[0], p[1], p[2]) < Infinity)) free++;
    }
    return free / SUN_POINTS;
  };

  const upE = new Float64Array(3);
  sky.irradiance(0, 1, 0, upE);
  const n = new Float64Array(3);
  const rho = new Float64Array(3);
  const e = new Float64Array(3);
  const shade = (px: number, py: number, pz: number, out: Float64Array) => {
    const facing = n[0] * sun[0] + n[1] * sun[1] + n[2] * sun[2];
    const direct = facing > 0 ? facing * lit(px + n[0] * 1e-3, py + n[1] * 1e-3, pz + n[2] * 1e-3) : 0;
    if (n[1] === 1) e.set(upE);
    else sky.irradiance(n[0], n[1], n[2], e);
    for (let c = 0; c < 3; c++) out[c] = (rho[c] / Math.PI) * (sky.sunIlluminance[c] * direct + e[c]);
  };

  /** What a ray meets first, and how far away; nothing is met in the sky. */
  const meet = ([ox, oy, oz]: Vec3, dx: number, dy: number, dz: number) => {
    let best = Infinity;
    let hit: Shape | null = null;
    for (let k = 0; k < shapes.length; k++) {
      if (!passes(k, ox, oy, oz, dx, dy, dz, 0)) continue;
      const t = shapes[k].hit(ox, oy, oz, dx, dy, dz);
      if (t < best) {
        best = t;
        hit = shapes[k];
      }
    }
    let plane = 0;
    if (dy < 0) {
      const toGround = -oy / dy;
      const groundNorth = -(oz + toGround * dz);
      if (groundNorth <= EDGE) {
        if (toGround < best) [best, plane] = [toGround, GROUND];
      } else {
        const toWater = (WATER_LEVEL - oy) / dy;
        if (toWater < best) [best, plane] = [toWater, WATER];
      }
    }
    return { best, hit, plane };
  };

  const trace: Scene['trace'] = (origin, dx, dy, dz, spread, out) => {
    const [ox, oy, oz] = origin;
    const { best, hit, plane } = meet(origin, dx, dy, dz);
    if (dy < 0.06 && best > 900) {
      const angles = anglesFromDirection([dx, dy, dz]);
      if (angles.elevationDeg < skyline(angles.azimuthDeg, seed)) {
        hazeHill(sky, dx, dy, dz, angles.elevationDeg, out);
        return HILL;
      }
    }
    if (best === Infinity) {
      sky.radiance(dx, dy, dz, out);
      return SKY;
    }
    const px = ox + best * dx;
    const py = oy + best * dy;
    const pz = oz + best * dz;
    if (plane === WATER) {
      water(sky, px, pz, dx, dy, dz, best * spread, seed, upE, out);
      return WATER;
    }
    if (plane === GROUND) {
      n[0] = 0;
      n[1] = 1;
      n[2] = 0;
      groundReflectance(px, pz, (best * spread) / Math.max(0.03, -dy), seed, rho);
      shade(px, py, pz, out);
      return GROUND;
    }
    hit!.normal(px, py, pz, n);
    const facing = Math.abs(dx * n[0] + dy * n[1] + dz * n[2]);
    if (dx * n[0] + dy * n[1] + dz * n[2] > 0) for (let c = 0; c < 3; c++) n[c] = -n[c];
    if (hit!.id === shown.mirrorId) {
      mirrorRay(
        trace,
        [px, py, pz],
        dx,
        dy,
        dz,
        n,
        spread,
        { direction: sun, radius: sky.sunRadius, radiance: sky.sunRadiance, seen: () => lit(px, py, pz) },
        out,
      );
      return hit!.id;
    }
    hit!.material(px, py, pz, (best * spread) / Math.max(0.05, facing), n, rho);
    shade(px, py, pz, out);
    return hit!.id;
  };

  return {
    name: 'quay',
    sky,
    trace,
    distance: (origin, dx, dy, dz) => meet(origin, dx, dy, dz).best,
    sunVisibility: (point) => lit(point[0], point[1], point[2]),
    landmarks: { greyCard: card },
  };
}

function discPoints(centre: Vec3, radius: number): Vec3[] {
  const side: Vec3 = Math.abs(centre[1]) > 0.99 ? [1, 0, 0] : [0, 1, 0];
  const u: Vec3 = [
    side[1] * centre[2] - side[2] * centre[1],
    side[2] * centre[0] - side[0] * centre[2],
    side[0] * centre[1] - side[1] * centre[0],
  ];
  const ul = Math.sqrt(dot(u, u));
  const ux: Vec3 = [u[0] / ul, u[1] / ul, u[2] / ul];
  const vx: Vec3 = [
    centre[1] * ux[2] - centre[2] * ux[1],
    centre[2] * ux[0] - centre[0] * ux[2],
    centre[0] * ux[1] - centre[1] * ux[0],
  ];
  return Array.from({ length: SUN_POINTS }, (_, k) => {
    const r = radius * Math.sqrt((k + 0.5) / SUN_POINTS);
    const a = k * Math.PI * (3 - Math.sqrt(5));
    const [c, s] = [r * Math.cos(a), r * Math.sin(a)];
    return [centre[0] + c * ux[0] + s * vx[0], centre[1] + c * ux[1] + s * vx[1], centre[2] + c * ux[2] + s * vx[2]];
  });
}

/** The far shore: dark land lightened by the haze in front of it. */
function hazeHill(sky: Sky, dx: number, dy: number, dz: number, elevationDeg: number, out: Float64Array): void {
  sky.radiance(dx, Math.max(dy, 0.02), dz, out);
  const haze = 0.35 + 0.1 * Math.max(0, elevationDeg);
  for (let c = 0; c < 3; c++) out[c] *= haze * [0.8, 0.95, 1.05][c];
}

/** Rough water: the sky above mirrored with Schlick's reflectance over a dark body; no mirrored sun disc. */
function water(
  sky: Sky,
  px: number,
  pz: number,
  dx: number,
  dy: number,
  dz: number,
  footprint: number,
  seed: number,
  upE: Float64Array,
  out: Float64Array,
): void {
  const grazing = Math.max(0.03, -dy);
  const size = footprint / grazing;
  const ripple =
    0.5 * bandLimit(1.2, size) * (valueNoise(px * 1.1, pz * 2.6, seed + 41) - 0.5) +
    0.35 * bandLimit(6, size) * (valueNoise(px * 0.2, pz * 0.45, seed + 42) - 0.5);
  const lift = Math.max(0.06, -dy + 0.25 * ripple + 0.08);
  const norm = 1 / Math.hypot(dx, lift, dz);
  sky.radiance(dx * norm, lift * norm, dz * norm, out);
  const fresnel = 0.02 + 0.98 * Math.pow(1 - Math.min(1, grazing + 0.08), 5);
  const body = [0.012, 0.022, 0.024];
  for (let c = 0; c < 3; c++) out[c] = out[c] * fresnel * (1 + ripple) + (body[c] * upE[c]) / Math.PI;
}

/** Elevation of the far shore at an azimuth, for plans and tests. */
export function quaySkylineDeg(azimuthDeg: number, seed: number): number {
  return skyline(((azimuthDeg % 360) + 360) % 360, seed);
}
