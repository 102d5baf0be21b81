import type { Vec3 } from '@tawny/core';
import { bandLimit, hash, valueNoise } from './noise';
import { mirrorRay, referenceProps, type PropKind } from './props';
import { box, cylinder, panel, sphere, type Material, type Shape } from './shapes';
import type { CardLean, Scene } from './scene';
import { createSky, type SkyInput } from './sky';

/** The room in metres east, up and north of its origin. */
const ROOM = { west: -4.6, east: 4.6, south: -3.4, north: 3.4, top: 3.1 };
/** One big window in the north wall. */
const WINDOW = { west: -2.1, east: 2.1, bottom: 0.85, top: 2.55 };
/** A globe on a stand and a softbox; luminance per channel when they burn, cd/m2. */
const GLOBE = { east: 2.9, north: -1.7, up: 2.0, radius: 0.14, luminance: [21000, 15600, 8200] as const };
const BOX = {
  east: -3.5,
  north: 0.6,
  up: 2.15,
  width: 0.9,
  height: 0.7,
  facingDeg: 112,
  luminance: [5200, 4000, 2300] as const,
};
const OUTSIDE_REFLECTANCE = 0.16;
const WALL_REFLECTANCE = 0.42;

const WALL = 1;
const FLOOR = 2;
const CEILING = 3;
const SKY = 4;
const GLOBE_ID = 5;
const BOX_ID = 6;

interface Emitter {
  point: Vec3;
  /** Facing of the patch; null for a globe, which sends the same everywhere. */
  normal: Vec3 | null;
  area: number;
  rgb: readonly [number, number, number];
}

const boardsFloor = (px: number, pz: number, footprint: number, seed: number, out: Float64Array): void => {
  const board = Math.floor(px / 0.19);
  const along = pz + hash(board, 3, seed) * 2;
  const joint =
    Math.abs(px / 0.19 - board) < 0.03 || Math.abs(along / 2.4 - Math.round(along / 2.4)) < 0.002
      ? bandLimit(0.04, footprint)
      : 0;
  const tone =
    (1 + 0.4 * (hash(board, Math.floor(along / 2.4), seed + 1) - 0.5)) *
    (1 + 0.3 * bandLimit(0.1, footprint) * (valueNoise(px * 30, pz * 3, seed + 2) - 0.5));
  const k = tone * (1 - 0.6 * joint);
  out[0] = 0.27 * k;
  out[1] = 0.2 * k;
  out[2] = 0.135 * k;
};

const plaster = (u: number, v: number, footprint: number, seed: number, out: Float64Array): void => {
  const stain = 0.85 + 0.3 * valueNoise(u * 0.6, v * 0.6, seed + 7);
  const grain = 1 + 0.16 * bandLimit(0.1, footprint) * (valueNoise(u * 17, v * 17, seed + 8) - 0.5);
  const dado = v < 1.1 ? 0.62 : 1;
  const k = WALL_REFLECTANCE * stain * grain * dado;
  out[0] = 1.03 * k;
  out[1] = k;
  out[2] = 0.9 * k;
};

const wood =
  (r: number, g: number, b: number, seed: number): Material =>
  (px, py, pz, footprint, _n, out) => {
    const k = 1 + 0.35 * bandLimit(0.1, footprint) * (valueNoise(px * 6 + py * 20, pz * 6 + py * 3, seed) - 0.5);
    out[0] = r * k;
    out[1] = g * k;
    out[2] = b * k;
  };

/** Patches of a rectangle in a plane, as emitters. */
function patches(
  columns: number,
  rows: number,
  place: (u: number, v: number) => Vec3,
  normal: Vec3,
  area: number,
  rgb: (p: Vec3) => readonly [number, number, number],
): Emitter[] {
  return Array.from({ length: columns * rows }, (_, k) => {
    const point = place(((k % columns) + 0.5) / columns, (Math.floor(k / columns) + 0.5) / rows);
    return { point, normal, area: area / (columns * rows), rgb: rgb(point) };
  });
}

/**
 * The interior *net loft*: one big window to the north (sky of the day outside), a globe and a softbox that burn or not, a bench, stools, a net,
 * a grey card on a stand. Direct light from patches of window and lamps with cast shadows; interreflection as one even term from the flux
 * that enters the room. The sun does not enter.
 */
export function createNetLoft(
  input: Omit<SkyInput, 'groundReflectance'>,
  seed: number,
  lampsOn: boolean,
  props: readonly PropKind[] = [],
  { turnDeg, leanDeg }: CardLean = { turnDeg: 0, leanDeg: 0 },
): Scene {
  const sky = createSky({ ...input, groundReflectance: OUTSIDE_REFLECTANCE });
  const card = {
    centre: { eastM: 0.9, upM: 1.25, northM: 1.3 },
    widthM: 0.5,
    heightM: 0.4,
    facingDeg: 215 + turnDeg,
    leanDeg,
    reflectance: 0.18,
  };
  let id = 10;
  const grey: Material = (_x, _y, _z, _f, _n, out) => void out.fill(card.reflectance);
  const shapes: Shape[] = [
    box(id++, { west: -1.9, east: -0.1, bottom: 0.78, top: 0.85, north: 2.5, south: 1.8 }, wood(0.2, 0.14, 0.09, 11)),
    ...[-1.8, -0.2].flatMap((east) =>
      [2.4, 1.9].map((north) =>
        cylinder(id++, { east, north, bottom: 0, top: 0.78, radius: 0.04 }, wood(0.16, 0.11, 0.07, 12)),
      ),
    ),
    cylinder(id++, { east: 1.9, north: 0.7, bottom: 0, top: 0.5, radius: 0.19 }, wood(0.24, 0.15, 0.08, 13)),
    sphere(id++, { east: -2.6, north: -1.8, up: 0.32, radius: 0.42 }, wood(0.1, 0.16, 0.13, 14)),
    box(id++, { west: 3.6, east: 4.6, bottom: 0, top: 1.9, north: 2.9, south: 1.2 }, wood(0.13, 0.17, 0.19, 15)),
    box(id++, { west: -0.4, east: 1.4, bottom: 2.78, top: 2.98, north: 3.4, south: -3.4 }, wood(0.17, 0.12, 0.08, 16)),
    cylinder(
      id++,
      { east: GLOBE.east, north: GLOBE.north, bottom: 0, top: GLOBE.up - GLOBE.radius, radius: 0.02 },
      wood(0.05, 0.05, 0.05, 17),
    ),
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
      grey,
    ),
    cylinder(
      id++,
      { east: card.centre.eastM + 0.02, north: card.centre.northM + 0.03, bottom: 0, top: 1.05, radius: 0.016 },
      wood(0.05, 0.05, 0.05, 18),
    ),
  ];
  const globe = sphere(GLOBE_ID, { east: GLOBE.east, north: GLOBE.north, up: GLOBE.up, radius: GLOBE.radius }, grey);
  const softbox = panel(
    BOX_ID,
    { east: BOX.east, north: BOX.north, up: BOX.up, width: BOX.width, height: BOX.height, facingDeg: BOX.facingDeg },
    grey,
  );
  const shown = referenceProps(props, { east: 0.3, north: 1.5, facingDeg: 215 }, id);
  shapes.push(...shown.shapes);

  const sample = new Float64Array(3);
  const upE = new Float64Array(3);
  sky.irradiance(0, 1, 0, upE);
  /** What lies outside the window in a direction. */
  const outside = (dx: number, dy: number, dz: number, out: Float64Array) => {
    if (dy >= 0) sky.radiance(dx, Math.max(dy, 0.02), dz, out);
    else for (let c = 0; c < 3; c++) out[c] = (OUTSIDE_REFLECTANCE * upE[c]) / Math.PI;
  };
  const windowPatches = patches(
    4,
    2,
    (u, v) => [
      WINDOW.west + u * (WINDOW.east - WINDOW.west),
      WINDOW.bottom + v * (WINDOW.top - WINDOW.bottom),
      -ROOM.north,
    ],
    [0, 0, 1],
    (WINDOW.east - WINDOW.west) * (WINDOW.top - WINDOW.bottom),
    () => [1, 1, 1],
  );
  const facing = (BOX.facingDeg * Math.PI) / 180;
  const boxNormal: Vec3 = [Math.sin(facing), 0, -Math.cos(facing)];
  const boxPatches = patches(
    2,
    2,
    (u, v) => [
      BOX.east + Math.cos(facing) * (u - 0.5) * BOX.width,
      BOX.up + (v - 0.5) * BOX.height,
      -BOX.north + Math.sin(facing) * (u - 0.5) * BOX.width,
    ],
    boxNormal,
    BOX.width * BOX.height,
    () => BOX.luminance,
  );
  const globePatch: Emitter = {
    point: [GLOBE.east, GLOBE.up, -GLOBE.north],
    normal: null,
    area: Math.PI * GLOBE.radius ** 2,
    rgb: GLOBE.luminance,
  };
  const lamps: Emitter[] = lampsOn ? [...boxPatches, globePatch] : [];

  const all = [...shapes, globe, softbox];
  const bounds = Float64Array.from(all.flatMap((s) => s.bound));
  /** Does a ray come within the bounding sphere of shape k before a distance? The cheap question before the dear one. */
  const near = (
    k: number,
    px: number,
    py: number,
    pz: number,
    wx: number,
    wy: number,
    wz: number,
    distance: number,
  ) => {
    const cx = bounds[4 * k] - px;
    const cy = bounds[4 * k + 1] - py;
    const cz = bounds[4 * k + 2] - pz;
    const r = bounds[4 * k + 3];
    const along = cx * wx + cy * wy + cz * wz;
    return along > -r && along < distance + r && cx * cx + cy * cy + cz * cz - along * along <= r * r;
  };
  const blocked = (px: number, py: number, pz: number, wx: number, wy: number, wz: number, distance: number) => {
    for (let k = 0; k < shapes.length; k++) {
      if (near(k, px, py, pz, wx, wy, wz, distance) && shapes[k].hit(px, py, pz, wx, wy, wz) < distance - 1e-3)
        return true;
    }
    return false;
  };

  const areas =
    2 *
    ((ROOM.east - ROOM.west) * (ROOM.north - ROOM.south) +
      (ROOM.east - ROOM.west) * ROOM.top +
      (ROOM.north - ROOM.south) * ROOM.top);
  const even = [0, 0, 0];
  for (let k = 0; k < 64; k++) {
    // Cosine-weighted directions out of the window: mean radiance times pi times area is the flux that enters.
    const [r, a] = [Math.sqrt((k + 0.5) / 64), k * 2.39996];
    outside(r * Math.cos(a), r * Math.sin(a), -Math.sqrt(1 - r * r), sample);
    for (let c = 0; c < 3; c++)
      even[c] += (sample[c] / 64) * Math.PI * (WINDOW.east - WINDOW.west) * (WINDOW.top - WINDOW.bottom);
  }
  for (const l of lamps) for (let c = 0; c < 3; c++) even[c] += l.rgb[c] * l.area * (l.normal ? Math.PI : 4 * Math.PI);
  for (let c = 0; c < 3; c++) even[c] *= WALL_REFLECTANCE / (areas * (1 - WALL_REFLECTANCE));

  const n = new Float64Array(3);
  const rho = new Float64Array(3);
  const shade = (px: number, py: number, pz: number, out: Float64Array) => {
    const [ox, oy, oz] = [px + 1e-3 * n[0], py + 1e-3 * n[1], pz + 1e-3 * n[2]];
    let [r, g, b] = even;
    const add = (e: Emitter, isWindow: boolean) => {
      let wx = e.point[0] - ox;
      let wy = e.point[1] - oy;
      let wz = e.point[2] - oz;
      const d2 = wx * wx + wy * wy + wz * wz;
      const d = Math.sqrt(d2);
      wx /= d;
      wy /= d;
      wz /= d;
      const cos = wx * n[0] + wy * n[1] + wz * n[2];
      const away = e.normal ? -(wx * e.normal[0] + wy * e.normal[1] + wz * e.normal[2]) : 1;
      if (cos <= 0 || away <= 0 || blocked(ox, oy, oz, wx, wy, wz, d)) return;
      const k = (cos * away * e.area) / Math.max(d2, e.area);
      if (isWindow) {
        outside(wx, wy, wz, sample);
        r += sample[0] * k;
        g += sample[1] * k;
        b += sample[2] * k;
      } else {
        r += e.rgb[0] * k;
        g += e.rgb[1] * k;
        b += e.rgb[2] * k;
      }
    };
    for (const e of windowPatches) add(e, true);
    for (const e of lamps) add(e, false);
    out[0] = (rho[0] * r) / Math.PI;
    out[1] = (rho[1] * g) / Math.PI;
    out[2] = (rho[2] * b) / Math.PI;
  };

  /** What a ray meets first, and how far away. */
  const meet = ([ox, oy, oz]: Vec3, dx: number, dy: number, dz: number) => {
    let best = Infinity;
    let hit: Shape | null = null;
    for (let k = 0; k < all.length; k++) {
      if (!near(k, ox, oy, oz, dx, dy, dz, 100)) continue;
      const t = all[k].hit(ox, oy, oz, dx, dy, dz);
      if (t < best) {
        best = t;
        hit = all[k];
      }
    }
    // The room's own six planes: the nearest ahead.
    let plane = 0;
    let axis = 0;
    for (let k = 0; k < 3; k++) {
      const d = k === 0 ? dx : k === 1 ? dy : dz;
      const gap =
        k === 0
          ? (dx > 0 ? ROOM.east : ROOM.west) - ox
          : k === 1
            ? (dy > 0 ? ROOM.top : 0) - oy
            : (dz > 0 ? -ROOM.south : -ROOM.north) - oz;
      const t = d === 0 ? Infinity : gap / d;
      if (t > 0 && t < best) {
        best = t;
        hit = null;
        axis = k;
        plane = k === 1 ? (dy > 0 ? CEILING : FLOOR) : WALL;
      }
    }
    return { best, hit, plane, axis };
  };

  const trace: Scene['trace'] = (origin, dx, dy, dz, spread, out) => {
    const [ox, oy, oz] = origin;
    const { best, hit, plane, axis } = meet(origin, dx, dy, dz);
    const [px, py, pz] = [ox + best * dx, oy + best * dy, oz + best * dz];
    if (!hit) {
      if (axis === 2 && dz < 0 && px > WINDOW.west && px < WINDOW.east && py > WINDOW.bottom && py < WINDOW.top) {
        const bars =
          Math.abs(px / 0.7 - Math.round(px / 0.7)) < 0.04 || Math.abs((py - WINDOW.bottom) / 0.85 - 1) < 0.03;
        if (!bars) {
          outside(dx, dy, dz, out);
          return SKY;
        }
        out.fill(0);
        for (let c = 0; c < 3; c++) out[c] = (0.3 * even[c]) / Math.PI;
        return WALL;
      }
      n.fill(0);
      n[axis] = axis === 0 ? -Math.sign(dx) : axis === 1 ? -Math.sign(dy) : -Math.sign(dz);
      const footprint = (best * spread) / Math.max(0.05, Math.abs(axis === 0 ? dx : axis === 1 ? dy : dz));
      if (plane === FLOOR) boardsFloor(px, pz, footprint, seed, rho);
      else if (plane === CEILING) plaster(px, pz + 40, footprint, seed + 3, rho);
      else plaster(axis === 0 ? pz : px, py, footprint, seed + axis, rho);
      shade(px, py, pz, out);
      return plane;
    }
    if (hit.id === GLOBE_ID || hit.id === BOX_ID) {
      const lamp = hit.id === GLOBE_ID ? GLOBE.luminance : BOX.luminance;
      const front = hit.id === GLOBE_ID || dx * boxNormal[0] + dz * boxNormal[2] < 0;
      for (let c = 0; c < 3; c++) out[c] = lampsOn && front ? lamp[c] : (0.5 * even[c]) / Math.PI;
      return hit.id;
    }
    hit.normal(px, py, pz, n);
    const along = dx * n[0] + dy * n[1] + dz * n[2];
    if (along > 0) for (let c = 0; c < 3; c++) n[c] = -n[c];
    if (hit.id === shown.mirrorId) {
      mirrorRay(
        trace,
        [px, py, pz],
        dx,
        dy,
        dz,
        n.slice(),
        spread,
        { direction: sky.sunDirection, radius: sky.sunRadius, radiance: [0, 0, 0], seen: () => 0 },
        out,
      );
      return hit.id;
    }
    hit.material(px, py, pz, (best * spread) / Math.max(0.05, Math.abs(along)), n, rho);
    shade(px, py, pz, out);
    return hit.id;
  };

  return {
    name: 'netLoft',
    sky,
    trace,
    distance: (origin, dx, dy, dz) => meet(origin, dx, dy, dz).best,
    sunVisibility: () => 0,
    landmarks: { greyCard: card },
  };
}
