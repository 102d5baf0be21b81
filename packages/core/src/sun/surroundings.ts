import { quantile } from '../estimate/robust';
import { arcDeg, DEG, directionFromAngles, type Vec3 } from '../sphere/direction';
import { anglesAtPixel, pixelsWithin } from '../sphere/latlong';

/**
 * Where a small bright thing hangs: what tells a sun from a lamp once both are round, half a degree wide and far brighter than
 * the rest. A sun has a sky (or the window that it shines through) around it, which scatters its own light towards the camera,
 * and there is one; a lamp hangs under a ceiling that it does not light, or among others like it.
 */
export interface Surroundings {
  /** Luminance of what lies 3 to 8 degrees away, over the horizon: its upper quartile over the mean of the sphere without the thing. */
  sky: number;
  /** What is left of it from 3 to 5 degrees at 5 to 8, and at 13 to 21. */
  holds: { near: number; wide: number };
  /** Blue over red of the same; 0 where it has neither. */
  blue: number;
  /** Other small things over the horizon that are as bright as lamps of one make are. */
  alike: number;
}

/** Around a sun the air glows: this much over the mean it is a sky or a window, whatever its colour ... */
export const GLOWING = 3.8;
/** ... and this much where it is bluer than lamps are. */
const GLOWING_BLUE = 3;
const BLUER = 1.1;
/** A sky's own glow fades, but slowly, and a window is evenly bright; what a lamp sends over its ceiling falls with the square of the distance, and a white ceiling does not fade. */
const HELD = { near: 0.65, wide: 0.27, even: 0.93 };
/** A clear sky that shows no glow is at least as bright as this, and so much bluer than white light. */
const CLEAR = 0.8;
const CLEAR_BLUE = 1.3;
/** Under a white sky as even as this a light so strong is the sun: a lamp would show on its ceiling. */
const WHITE = { sky: 1.2, near: 0.95, wide: 0.9, contrast: 50000, cutOffContrast: 1000 };
/** One other light like it may be its reflection; two are a row. */
const MOST_ALIKE = 1;
/** What is seen where the almanac has the sun needs only something of a sky about it. */
const WITNESSED = 0.3;

/** What place, time and level say of the sun's height: degrees with a 95 % half width. */
export interface ExpectedHeight {
  elevationDeg: number;
  withinDeg: number;
}

/** What told a sun: its surroundings alone, or that the almanac has it at this height where they leave it open. */
export type Told = 'surroundings' | 'height';

/**
 * Whether something round and bright is the sun, by where it hangs; null when it is not. `thing` is its height, its contrast against the mean of the
 * sphere, whether its builder knows that the camera cut it off, and whether the upper half of the sphere is the brighter one. An expected height is a witness where the
 * surroundings leave it open: it neither makes a lamp among lamps a sun, nor does a wrong clock take away a sun in its own glow.
 */
export function hangsAsSun(
  { sky, holds, blue, alike }: Surroundings,
  thing: { elevationDeg: number; contrast: number; cutOff: boolean; underSky: boolean },
  expected: ExpectedHeight | null,
): Told | null {
  if (alike > MOST_ALIKE) return null;
  const fades = holds.wide < HELD.even && (holds.near >= HELD.near || holds.wide >= HELD.wide);
  if (fades && sky >= (blue < BLUER ? GLOWING : GLOWING_BLUE)) return 'surroundings';
  const white =
    thing.underSky &&
    thing.contrast >= (thing.cutOff ? WHITE.cutOffContrast : WHITE.contrast) &&
    sky >= WHITE.sky &&
    holds.near >= WHITE.near &&
    holds.wide >= WHITE.wide;
  const night = expected !== null && expected.elevationDeg + expected.withinDeg <= 0;
  if (!night && (white || (sky >= CLEAR && blue >= CLEAR_BLUE))) return 'surroundings';
  const agrees = expected !== null && Math.abs(thing.elevationDeg - expected.elevationDeg) <= expected.withinDeg;
  return agrees && sky >= WITNESSED ? 'height' : null;
}

/** Rings around it, degrees: away from the thing itself and its glare, the first two near enough to be what it hangs in. */
const RINGS_DEG = [
  [3, 5],
  [5, 8],
  [13, 21],
] as const;
/** Others of its kind have at least this share of its peak, and cover few cells of the map. */
const ALIKE_SHARE = 0.05;
const MOST_CELLS = 6;
/** What lies nearer belongs to it: a sun behind leaves shows in pieces. */
const OWN_DEG = 4;

interface Sphere {
  /** Luminance, row by row. */
  y: Float32Array;
  rgb: Float32Array;
  width: number;
  height: number;
}

/** Looks around a candidate. `peak` is its luminance over what lies behind it, `mean` the mean luminance of the rest of the sphere. */
export function surroundingsOf(
  { y, rgb, width, height }: Sphere,
  candidate: { direction: Vec3; peak: number; mean: number },
): Surroundings {
  const pixelDeg = 360 / width;
  const rings: number[][] = RINGS_DEG.map(() => []);
  const colour = [0, 0, 0];
  const directionOf = (i: number): Vec3 => {
    const { azimuthDeg, elevationDeg } = anglesAtPixel(i % width, Math.floor(i / width), width, height);
    return directionFromAngles(azimuthDeg, elevationDeg);
  };
  const overHorizon = (width * height) / 2;
  const reach = RINGS_DEG[RINGS_DEG.length - 1][1] + pixelDeg;
  for (const i of pixelsWithin(candidate.direction, reach * DEG, width, height)) {
    if (i >= overHorizon) continue;
    const away = arcDeg(directionOf(i), candidate.direction) - pixelDeg;
    const ring = RINGS_DEG.findIndex(([from, to]) => away > from && away <= to);
    if (ring >= 0) rings[ring].push(y[i]);
    if (ring === 0 || ring === 1) for (let c = 0; c < 3; c++) colour[c] += rgb[3 * i + c];
  }
  const bright: Vec3[] = [];
  for (let i = 0; i < overHorizon; i++) {
    if (y[i] < ALIKE_SHARE * candidate.peak) continue;
    const d = directionOf(i);
    if (arcDeg(d, candidate.direction) > OWN_DEG + pixelDeg) bright.push(d);
  }
  const [first, second, wide] = rings.map((values) => (values.length === 0 ? 0 : quantile(values, 0.75)));
  const ring = [...rings[0], ...rings[1]];
  return {
    sky: ring.length === 0 ? 0 : quantile(ring, 0.75) / Math.max(candidate.mean, 1e-12),
    holds: first > 0 ? { near: second / first, wide: wide / first } : { near: 0, wide: 0 },
    blue: colour[0] > 0 && colour[2] > 0 ? colour[2] / colour[0] : 0,
    alike: smallThings(bright),
  };
}

/** Cells of an equal-area map of the upper half of the sphere, degrees. */
const CELL_DEG = 1.5;
const CELLS = 256;

/** How many small things a set of bright directions over the horizon forms: what spreads farther than a lamp (a window, a bank of cloud) is none. */
function smallThings(directions: readonly Vec3[]): number {
  const cells = new Set<number>();
  for (const [x, up, z] of directions) {
    const k = Math.sqrt(2 / (1 + up)) / (CELL_DEG * DEG);
    cells.add(Math.round(x * k) + CELLS / 2 + CELLS * (Math.round(z * k) + CELLS / 2));
  }
  let things = 0;
  for (const start of cells) {
    const thing = [start];
    cells.delete(start);
    for (let k = 0; k < thing.length; k++)
      for (const step of [-CELLS - 1, -CELLS, -CELLS + 1, -1, 1, CELLS - 1, CELLS, CELLS + 1])
        if (cells.delete(thing[k] + step)) thing.push(thing[k] + step);
    if (thing.length <= MOST_CELLS) things++;
  }
  return things;
}
