import {
  anglesAtPixel,
  createImage,
  directionFromAngles,
  RELATIVE_REC709,
  type RgbImage,
  type Vec3,
} from '@tawny/core';
import { createRandom, type Random } from '@tawny/simset';

type Rgb = [number, number, number];

/** A lit shape on the ceiling, metres from the camera in the plane of the ceiling. */
interface Lamp {
  eastM: number;
  northM: number;
  /** Half its size along east and north; round ones fill the ellipse. */
  halfEastM: number;
  halfNorthM: number;
  round: boolean;
  luminance: number;
  colour: Rgb;
}

interface Room {
  /** Walls from the camera: west, east, south, north. */
  walls: [number, number, number, number];
  ceilingM: number;
  ceiling: Rgb;
  wall: Rgb;
  floor: Rgb;
  lamps: Lamp[];
  /** On the north wall: west and east edge, foot and head over the camera, and what is outside. */
  window: { fromM: number; toM: number; footM: number; headM: number; luminance: number } | null;
}

export const INTERIOR_KINDS = ['rows', 'strips', 'skylights', 'spots', 'single'] as const;
export type InteriorKind = (typeof INTERIOR_KINDS)[number];

/** Share of a lamp's light that its own ceiling sends on close by. */
const GLOW = 0.004;
const SAMPLES = 2;

const scaled = (c: Rgb, k: number): Rgb => [c[0] * k, c[1] * k, c[2] * k];

function drawRoom(kind: InteriorKind, random: Random): Room {
  const pick = (low: number, high: number) => low + (high - low) * random.next();
  const size = () => pick(2, 18);
  const warm = pick(0, 1);
  const colour: Rgb = [1 + 0.35 * warm, 1, 1 - 0.45 * warm];
  const grey = (low: number, high: number): Rgb => scaled([1 + 0.1 * random.normal(), 1, 1 - 0.1 * random.next()], 10 ** pick(low, high)); // prettier-ignore
  const ceilingM = kind === 'skylights' ? pick(3, 9) : pick(1.0, 6);
  const lamp = (eastM: number, northM: number, halfM: number, luminance: number): Lamp => ({
    eastM,
    northM,
    halfEastM: halfM,
    halfNorthM: halfM,
    round: true,
    luminance,
    colour,
  });
  const lamps: Lamp[] = [];
  /** Luminance of a round lamp by what it sends, lumens. */
  const lampOf = (lumens: number, halfM: number) => lumens / (Math.PI * Math.PI * halfM * halfM);
  const spot = (eastM: number, northM: number, halfM: number) =>
    lamp(eastM, northM, halfM, lampOf(10 ** pick(2.5, 4.5), halfM));
  if (kind === 'rows') {
    const [step, half] = [pick(0.8, 3), pick(0.02, 0.09)];
    const luminance = lampOf(10 ** pick(2.3, 3.6), half);
    const [offsetE, offsetN] = [pick(0, step), pick(0, step)];
    for (let e = -3; e <= 3; e++)
      for (let n = -3; n <= 3; n++)
        lamps.push(lamp(e * step + offsetE, n * step + offsetN, half, luminance * (1 + 0.1 * random.normal())));
  } else if (kind === 'strips') {
    const luminance = 10 ** pick(3.5, 4.8);
    for (let k = -3; k <= 3; k++)
      lamps.push({ ...lamp(k * pick(1.5, 2.5), pick(-1, 1), 0, luminance), halfEastM: pick(0.02, 0.06), halfNorthM: pick(0.5, 3), round: false }); // prettier-ignore
  } else if (kind === 'skylights') {
    const luminance = 10 ** pick(3, 4.5);
    for (let k = 0; k < 1 + Math.floor(5 * random.next()); k++)
      lamps.push({ ...lamp(pick(-6, 6), pick(-6, 6), 0, luminance), colour: [0.9, 1, 1.15], halfEastM: pick(0.1, 1.2), halfNorthM: pick(0.1, 1.2), round: random.next() < 0.4 }); // prettier-ignore
  } else if (kind === 'spots') {
    for (let k = 0; k < 2 + Math.floor(4 * random.next()); k++)
      lamps.push(spot(pick(-5, 5), pick(-5, 5), pick(0.02, 0.08)));
  } else {
    lamps.push(spot(pick(-3, 3), pick(-3, 3), pick(0.015, 0.06)));
  }
  const walls: Room['walls'] = [size(), size(), size(), size()];
  // What the lamps send comes back from all around: nothing in a room is as dark as if they were off.
  const [wide, long, high] = [walls[0] + walls[1], walls[2] + walls[3], ceilingM + 1.6];
  const surfaceM2 = 2 * (wide * long + high * (wide + long));
  const inside = lamps.filter((l) => l.eastM > -walls[0] && l.eastM < walls[1] && l.northM > -walls[2] && l.northM < walls[3]); // prettier-ignore
  const sent = inside.reduce((sum, l) => sum + l.luminance * l.halfEastM * l.halfNorthM * (l.round ? Math.PI : 4), 0);
  const reflectance = pick(0.25, 0.75);
  const ambient = (reflectance / (1 - reflectance)) * (sent / surfaceM2);
  const lit = (c: Rgb, share: number): Rgb => [0, 1, 2].map((k) => c[k] + share * ambient * colour[k]) as Rgb;
  const windowed = random.next() < 0.4;
  return {
    walls,
    ceilingM,
    // Dark halls and white ceilings alike.
    ceiling: lit(grey(-0.5, 2.3), pick(0.3, 1)),
    wall: lit(grey(0, 2), 1),
    floor: lit(grey(-0.3, 1.8), pick(0.4, 2)),
    lamps,
    window: windowed ? { fromM: pick(-3, 0), toM: pick(0.5, 4), footM: pick(-1, 0), headM: pick(0.3, 2), luminance: 10 ** pick(3, 4) } : null, // prettier-ignore
  };
}

function seen(room: Room, d: Vec3): Rgb {
  const [west, east, south, north] = room.walls;
  const along = (distance: number, component: number) => (component > 1e-9 ? distance / component : Infinity);
  const up = along(room.ceilingM, d[1]);
  const down = along(1.6, -d[1]);
  const sides = [along(west, -d[0]), along(east, d[0]), along(south, d[2]), along(north, -d[2])];
  const near = Math.min(up, down, ...sides);
  if (near === down) return room.floor;
  if (near === up) {
    const [e, n] = [d[0] * near, -d[2] * near];
    const out: Rgb = [...room.ceiling];
    for (const l of room.lamps) {
      const [x, y] = [(e - l.eastM) / l.halfEastM, (n - l.northM) / l.halfNorthM];
      if (l.round ? x * x + y * y <= 1 : Math.abs(x) <= 1 && Math.abs(y) <= 1) return scaled(l.colour, l.luminance);
      const far2 = (e - l.eastM) ** 2 + (n - l.northM) ** 2;
      const glow = (GLOW * l.luminance * l.halfEastM * l.halfNorthM) / (far2 + 0.05);
      for (let c = 0; c < 3; c++) out[c] += glow * l.colour[c];
    }
    return out;
  }
  const { window } = room;
  if (window && near === sides[3]) {
    const [e, u] = [d[0] * near, d[1] * near];
    if (e > window.fromM && e < window.toM && u > window.footM && u < window.headM)
      return scaled([0.9, 1, 1.2], window.luminance);
  }
  return room.wall;
}

/** As files are sharpened: every light gets a dark, even negative, ring. */
function ring(image: RgbImage, strength: number): RgbImage {
  const { width, height, data } = image;
  const out = createImage(width, height, image);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      for (let c = 0; c < 3; c++) {
        const at = (u: number, v: number) =>
          data[3 * (Math.max(0, Math.min(height - 1, v)) * width + ((u + width) % width)) + c];
        const own = at(x, y);
        const around = (at(x - 1, y) + at(x + 1, y) + at(x, y - 1) + at(x, y + 1)) / 4;
        out.data[3 * (y * width + x) + c] = own + strength * (own - around);
      }
    }
  }
  return out;
}

/** Photosites that a file's maker did not mend: one channel far up, or far down. */
function outliers(image: RgbImage, random: Random, count: number): void {
  for (let k = 0; k < count; k++) {
    const i = Math.floor(random.next() * image.width * image.height);
    const c = Math.floor(3 * random.next());
    image.data[3 * i + c] = (random.next() < 0.3 ? -1 : 1) * 10 ** (4 + 3 * random.next());
  }
}

/** A room under lamps, without a sun, cd/m2: deterministic by seed; a third sharpened until it rings, a quarter with single-channel outliers. */
export function interior(seed: number, width: number): { image: RgbImage; kind: InteriorKind } {
  const random = createRandom(seed, 'interior');
  const kind = INTERIOR_KINDS[seed % INTERIOR_KINDS.length];
  const room = drawRoom(kind, random);
  const image = createImage(width, width / 2, RELATIVE_REC709);
  for (let y = 0; y < width / 2; y++) {
    for (let x = 0; x < width; x++) {
      const sum: Rgb = [0, 0, 0];
      for (let k = 0; k < SAMPLES * SAMPLES; k++) {
        const u = x - 0.5 + ((k % SAMPLES) + 0.5) / SAMPLES;
        const v = y - 0.5 + (Math.floor(k / SAMPLES) + 0.5) / SAMPLES;
        const { azimuthDeg, elevationDeg } = anglesAtPixel(u, v, width, width / 2);
        const light = seen(room, directionFromAngles(azimuthDeg, elevationDeg));
        for (let c = 0; c < 3; c++) sum[c] += light[c];
      }
      for (let c = 0; c < 3; c++)
        image.data[3 * (y * width + x) + c] = (sum[c] / SAMPLES ** 2) * (1 + 0.02 * random.normal());
    }
  }
  const sharpened = random.next() < 1 / 3 ? ring(image, 0.3 + 0.7 * random.next()) : image;
  if (random.next() < 0.25) outliers(sharpened, random, 1 + Math.floor(6 * random.next()));
  return { image: sharpened, kind };
}
