import { cylinder, panel, sphere, type Material, type Shape } from './shapes';
import type { Scene } from './scene';
import { CHART_COLOURS, type Vec3 } from '@tawny/core';

/** Things that are carried in to be photographed and carried out again. */
export type PropKind = 'chart' | 'greyBall' | 'chromeBall';

export const GREY_BALL_REFLECTANCE = 0.18;
/** Of the simulated chrome ball, the same at every angle. */
export const CHROME_REFLECTANCE = 0.62;
export const BALL_RADIUS_M = 0.11;

/** Linear Rec. 709 reflectance of the chart's 24 patches, four rows of six, from dark skin to black; what no paint in these primaries can be is as near as it gets. */
export const CHART_PATCHES: readonly (readonly [number, number, number])[] = CHART_COLOURS.map(
  ([r, g, b]) => [r, g, b].map((v) => Math.max(0.004, v)) as [number, number, number],
);

const CHART = { width: 0.6, height: 0.42, border: 0.07, frame: 0.05 };

function chartMaterial(centre: { east: number; up: number; north: number }, facingDeg: number): Material {
  const a = (facingDeg * Math.PI) / 180;
  return (px, py, pz, _footprint, _n, out) => {
    // Seen from the front, left to right is against the panel's own axis.
    const along = -((px - centre.east) * Math.cos(a) + (pz + centre.north) * Math.sin(a)) / CHART.width + 0.5;
    const down = 0.5 - (py - centre.up) / CHART.height;
    const [column, row] = [Math.floor(along * 6), Math.floor(down * 4)];
    const [u, v] = [along * 6 - column, down * 4 - row];
    const patch =
      u > CHART.border && u < 1 - CHART.border && v > CHART.border && v < 1 - CHART.border
        ? CHART_PATCHES[Math.min(23, Math.max(0, row * 6 + column))]
        : null;
    for (let c = 0; c < 3; c++) out[c] = patch ? patch[c] : CHART.frame;
  };
}

const plain =
  (r: number): Material =>
  (_x, _y, _z, _f, _n, out) =>
    void out.fill(r);

/** The props side by side around a place, on stands at eye height. `mirrorId` is the chrome ball's id, or -1. */
export function referenceProps(
  kinds: readonly PropKind[],
  at: { east: number; north: number; facingDeg: number },
  firstId: number,
): { shapes: Shape[]; mirrorId: number } {
  const shapes: Shape[] = [];
  let id = firstId;
  let mirrorId = -1;
  const stand = (east: number, north: number, top: number) =>
    shapes.push(cylinder(id++, { east, north, bottom: 0, top, radius: 0.016 }, plain(0.05)));
  if (kinds.includes('chart')) {
    const centre = { east: at.east - 1.55, north: at.north - 0.1, up: 1.3 };
    shapes.push(
      panel(
        id++,
        { ...centre, width: CHART.width, height: CHART.height, facingDeg: at.facingDeg },
        chartMaterial(centre, at.facingDeg),
      ),
    );
    stand(centre.east + 0.02, centre.north + 0.03, 1.1);
  }
  if (kinds.includes('greyBall')) {
    shapes.push(
      sphere(
        id++,
        { east: at.east - 0.35, north: at.north, up: 1.35, radius: BALL_RADIUS_M },
        plain(GREY_BALL_REFLECTANCE),
      ),
    );
    stand(at.east - 0.35, at.north, 1.24);
  }
  if (kinds.includes('chromeBall')) {
    mirrorId = id;
    shapes.push(sphere(id++, { east: at.east - 0.8, north: at.north, up: 1.35, radius: BALL_RADIUS_M }, plain(0)));
    stand(at.east - 0.8, at.north, 1.24);
  }
  return { shapes, mirrorId };
}

interface MirroredSun {
  direction: Vec3;
  radius: number;
  radiance: readonly [number, number, number];
  /** Share of the disc that the point sees. */
  seen: () => number;
}

/** What a mirror sends along a ray: the set in the mirrored direction, the sun's disc included, times the reflectance. */
export function mirrorRay(
  trace: Scene['trace'],
  point: Vec3,
  dx: number,
  dy: number,
  dz: number,
  n: Float64Array,
  spread: number,
  sun: MirroredSun,
  out: Float64Array,
): void {
  const k = 2 * (dx * n[0] + dy * n[1] + dz * n[2]);
  const [rx, ry, rz] = [dx - k * n[0], dy - k * n[1], dz - k * n[2]];
  const origin: Vec3 = [point[0] + 1e-3 * n[0], point[1] + 1e-3 * n[1], point[2] + 1e-3 * n[2]];
  trace(origin, rx, ry, rz, spread * 4, out);
  const inDisc = rx * sun.direction[0] + ry * sun.direction[1] + rz * sun.direction[2] >= Math.cos(sun.radius);
  const share = inDisc ? sun.seen() : 0;
  for (let c = 0; c < 3; c++) out[c] = CHROME_REFLECTANCE * (out[c] + share * sun.radiance[c]);
}
