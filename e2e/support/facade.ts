import { conjugate, directionFromAngles, quaternionFromAttitude, rotate, type Stroke, type Vec3 } from '@tawny/core';
import sharp from 'sharp';

/** A camera before a house's corner, by numbers of the test's own: it looks along its own azimuth 0. */
export interface FacadeCamera {
  widthPx: number;
  heightPx: number;
  focalPx: number;
  tiltDeg: number;
  rollDeg: number;
  heightM: number;
}

/** The walls run away from the corner towards these azimuths from the view. */
export const WALLS = [60, 310] as const;
const CORNER_M = 9;
/** Windows on either wall: from and to along it, foot and top, metres. */
const WINDOWS = [
  [0.5, 1.7, 0.9, 2.4],
  [2.4, 3.6, 0.9, 2.4],
  [0.5, 1.7, 3.1, 4.4],
  [2.4, 3.6, 3.1, 4.4],
] as const;

/** A plate of the corner as PNG, with the windows' upright and level edges where they lie in it, and a doorstep 2 m long on the ground. */
export async function facadePlate(c: FacadeCamera) {
  const back = conjugate(quaternionFromAttitude({ headingDeg: 0, tiltDeg: c.tiltDeg, rollDeg: c.rollDeg }));
  const place = (wall: number, along: number, up: number): [number, number] => {
    const d = directionFromAngles(WALLS[wall], 0);
    const p: Vec3 = [along * d[0], up - c.heightM, along * d[2] - CORNER_M];
    const [x, y, z] = rotate(back, p);
    return [c.widthPx / 2 + (c.focalPx * x) / -z, c.heightPx / 2 - (c.focalPx * y) / -z];
  };
  const polygon = (points: [number, number][], code: number) =>
    `<polygon points="${points.map(([x, y]) => `${x.toFixed(2)},${y.toFixed(2)}`).join(' ')}" fill="rgb(${code},${code},${code})"/>`;
  const shapes: string[] = [];
  const edges = { upright: [] as Stroke[], level: [[], []] as Stroke[][] };
  for (const wall of [0, 1]) {
    shapes.push(
      polygon([place(wall, 0, 0), place(wall, 5, 0), place(wall, 5, 6), place(wall, 0, 6)], wall ? 170 : 140),
    );
    for (const [from, to, foot, top] of WINDOWS) {
      shapes.push(polygon([place(wall, from, foot), place(wall, to, foot), place(wall, to, top), place(wall, from, top)], 40)); // prettier-ignore
      edges.upright.push([...place(wall, from, foot), ...place(wall, from, top)]);
      edges.level[wall].push([...place(wall, from, top), ...place(wall, to, top)]);
      edges.level[wall].push([...place(wall, from, foot), ...place(wall, to, foot)]);
    }
  }
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="${c.widthPx}" height="${c.heightPx}"><rect width="100%" height="100%" fill="rgb(205,205,205)"/>${shapes.join('')}</svg>`;
  const step = { from: place(0, 0.5, 0), to: place(0, 2.5, 0), lengthM: 2, lying: 'ground' as const };
  return { png: await sharp(Buffer.from(svg)).png().toBuffer(), edges, step };
}
