import {
  lensFromFov,
  linearToSrgb,
  multiply,
  pixelSolidAngle,
  quaternionFromAttitude,
  type RgbImage,
} from '@tawny/core';
import { DEMO_PLACE, DEMO_STATION, truthPanorama } from '@tawny/pipeline';
import { createRandom, shifted, type Random } from '@tawny/simset';
import {
  attitudesOf,
  exposureOf,
  lookFrom,
  takeFrames,
  type OwnCamera,
  type OwnExposure,
  type OwnView,
} from './ownCamera';
import { realPanoramas } from './realPanoramas';

/** What may be wrong with a round; each is done to one view, tone mapping and a bracket that is too short to all. */
export const FAULTS = ['clipped', 'dark', 'flicker', 'not held', 'shaken', 'foreign', 'not turned', 'out of place', 'tone-mapped'] as const; // prettier-ignore
export type Fault = (typeof FAULTS)[number];

/** A fault of the size of the bound, of half of it, or none. */
export interface RoundCase {
  seed: number;
  fault: Fault | null;
  half: boolean;
}

export const SIDE = 480;
export const VIEWS = 6;
const CIRCLE_DEG = 185;
export const VERDICT_RIG = { projection: 'equidistant' as const, fovDeg: CIRCLE_DEG, views: VIEWS };
export const LENS = lensFromFov('equidistant', CIRCLE_DEG, { width: SIDE, height: SIDE }, 'longSide');
const WITHIN = Uint8Array.from({ length: SIDE * SIDE }, (_, p) =>
  Number(Math.hypot((p % SIDE) + 0.5 - SIDE / 2, Math.floor(p / SIDE) + 0.5 - SIDE / 2) < SIDE / 2 - 1),
);
const OMEGA = Float32Array.from({ length: SIDE * SIDE }, (_, p) =>
  WITHIN[p] ? pixelSolidAngle(LENS, (p % SIDE) + 0.5, Math.floor(p / SIDE) + 0.5) : 0,
);
const SEEN = OMEGA.reduce((s, v) => s + v, 0);
/**
 * The signal at which noise of photons and reading is a third of its luminance, to which three channels add up (0.75 of the noise of one): below, the
 * verdicts call it dark.
 */
const LEAST_SIGNAL = 4.7e-4;
/** Attitudes of a place: so many rounds are exposed anew from one look at its light. */
const LOOKS = 4;

export interface Place {
  name: string;
  kind: 'sun' | 'overcast' | 'interior';
  image: RgbImage;
}

/** Sun, overcast and interior: simulated places, and real ones where they are there (of unknown brightness: as if their mean were that of a room). */
export async function verdictPlaces(): Promise<Place[]> {
  const base = { seed: 41, place: DEMO_PLACE, utc: '2026-10-14T13:20:00Z', turbidity: 3 } as const;
  const slipway = { eastM: -6, upM: 1.62, northM: 5 };
  const set = async (name: string, kind: Place['kind'], spec: Parameters<typeof truthPanorama>[0], station: Parameters<typeof truthPanorama>[1]) => ({ name, kind, image: await truthPanorama(spec, station, 1024) }); // prettier-ignore
  const real = await realPanoramas();
  const inside = ['apartment', 'esplanade', 'lab'];
  return [
    await set('quay, sun', 'sun', { ...base, scene: 'quay' }, DEMO_STATION),
    await set('quay, overcast', 'overcast', { ...base, scene: 'quay', overcast: true }, DEMO_STATION),
    await set('slipway, sun', 'sun', { ...base, scene: 'quay', utc: '2026-10-14T15:40:00Z' }, slipway),
    await set('slipway, overcast', 'overcast', { ...base, scene: 'quay', overcast: true }, slipway),
    await set('net loft', 'interior', { ...base, scene: 'netLoft' }, { eastM: 0, upM: 1.6, northM: -0.6 }),
    ...real.map(({ name, image, sun }) => ({
      name,
      kind: sun ? ('sun' as const) : inside.includes(name) ? ('interior' as const) : ('overcast' as const),
      image: { ...image, data: image.data.map((v) => Math.max(0, v) * 200) },
    })),
  ];
}

/** Views of one place from a few heads, kept: only the exposure is made anew. */
export function looksAt(place: Place): (look: number) => OwnView[] {
  const kept = new Map<number, OwnView[]>();
  return (look) => {
    const known = kept.get(look);
    if (known) return known;
    const random = createRandom(look, 'looks', place.name);
    const camera = { ...cameraOf(look), pointingDeg: 0.3 + 0.9 * random.next() };
    const views = attitudesOf(camera, random).map((a) => lookFrom(place.image, camera, a));
    kept.set(look, views);
    return views;
  };
}

export const cameraOf = (look: number): OwnCamera => ({
  circleDeg: CIRCLE_DEG,
  sidePx: SIDE,
  views: VIEWS,
  frames: 0,
  stepEv: 0,
  falloff: look % 2 === 0 ? (t) => 1 / (1 + 0.04 * t ** 4) : (t) => 1 - 0.03 * t * t,
  pointingDeg: 0,
});

/** Levels of a view from dark to bright, the solid angle up to each, and the brightest value of any channel. */
interface Sorted {
  levels: Float32Array;
  sums: Float64Array;
  brightest: number;
}

const sortedOf = new WeakMap<OwnView, Sorted>();

/** Places of values that are not negative, from the least to the greatest: bits of such floats sort as the floats do, and numbers without a callback. */
function orderOf(values: Float32Array): Uint32Array {
  const bits = new Uint32Array(values.buffer, values.byteOffset, values.length);
  const keys = Float64Array.from(bits, (b, i) => b * 2 ** 20 + i).sort();
  return Uint32Array.from(keys, (k) => k % 2 ** 20);
}

/** Sorted once: the looks at a place serve many rounds. */
function sorted(view: OwnView): Sorted {
  const known = sortedOf.get(view);
  if (known) return known;
  const { sensor } = view;
  const level = new Float32Array(OMEGA.length);
  for (let p = 0; p < level.length; p++) level[p] = (sensor[3 * p] + sensor[3 * p + 1] + sensor[3 * p + 2]) / 3;
  const order = orderOf(level).filter((p) => OMEGA[p] > 0);
  let sum = 0;
  const made: Sorted = {
    levels: Float32Array.from(order, (p) => level[p]),
    sums: Float64Array.from(order, (p) => (sum += OMEGA[p])),
    brightest: order.reduce((m, p) => Math.max(m, sensor[3 * p], sensor[3 * p + 1], sensor[3 * p + 2]), 0),
  };
  sortedOf.set(view, made);
  return made;
}

/** What a round needs of its exposures: its brightest pixel, and the level below which a share of what a view sees lies (the view that has most of it). */
function needOf(views: readonly OwnView[], share: number): { brightest: number; darkest: number } {
  const all = views.map(sorted);
  return {
    brightest: Math.max(...all.map((s) => s.brightest)),
    darkest: Math.min(...all.map(({ levels, sums }) => levels[sums.findIndex((s) => s >= share * SEEN)])),
  };
}

const shutterFor = (signal: number, light: number) => signal / (light * exposureOf(1));

export interface ShotRound {
  place: Place;
  frames: number;
  stepEv: number;
  /** Of a fault of one view, which. */
  faulty: number | null;
  files: { name: string; path: string }[];
}

/** Exposure times that hold a place whole, or lose of it what the fault says; null when nine frames three stops apart cannot. */
export function bracketFor(views: readonly OwnView[], random: Random, fault: Fault | null, half: boolean) {
  // What a bracket that is too short loses: a twentieth of a view and more; half of that.
  const share = fault === 'dark' ? (half ? 0.025 : 0.06 + 0.15 * random.next()) : 0.002;
  const { brightest, darkest } = needOf(views, share);
  const over = fault === 'clipped' ? (half ? 1.02 : 1.5 + 4 * random.next()) : 0.55;
  const shortest = shutterFor(over, brightest);
  const longest = shutterFor(fault === 'dark' ? LEAST_SIGNAL : 3 * LEAST_SIGNAL, Math.max(darkest, 1e-9));
  const stops = Math.max(0, Math.log2(longest / shortest));
  const steps = [4 / 3, 2, 2, 8 / 3, 3].filter((s) => Math.ceil(stops / s) + 1 <= 9 && Math.ceil(stops / s) + 1 >= 3);
  const stepEv = steps.length === 0 ? (stops < 4 ? 2 : null) : steps[Math.floor(steps.length * random.next())];
  if (stepEv === null) return null;
  const frames = Math.max(3, Math.ceil(stops / stepEv) + 1);
  // What remains of the last step goes to the shadows, unless they are what is to be lost; then to the lights.
  const first = fault === 'dark' ? longest : shortest * 2 ** ((frames - 1) * stepEv);
  return { frames, stepEv, shutters: Array.from({ length: frames }, (_, f) => first * 2 ** (-f * stepEv)) };
}

/**
 * Takes a round of a place: JPEGs of full or halved chroma, real shutters 3 % off (the same in every view) and 1 % from frame to frame, heads up to a
 * degree off, with one fault or none. Null when no bracket of nine frames holds the place.
 */
export async function shootRound(
  place: Place,
  looks: (look: number) => OwnView[],
  { seed, fault, half }: RoundCase,
  folder: string,
): Promise<ShotRound | null> {
  const random = createRandom(seed, 'verdict round', fault ?? 'complete', String(half));
  const look = Math.floor(LOOKS * random.next());
  const views = looks(look);
  const bracket = bracketFor(views, random, fault, half);
  if (!bracket) return null;
  const { frames, stepEv, shutters } = bracket;
  const rungFactors = shutters.map(() => 1 + 0.03 * Math.max(-2, Math.min(2, random.normal())));
  const shoulder = random.next() < 0.3 ? 0.25 * random.next() : 0;
  const curve = Float32Array.from({ length: 8193 }, (_, i) => linearToSrgb((i / 8192) * (1 + shoulder * (1 - i / 8192)))); // prettier-ignore
  const chroma = random.next() < 0.5 ? '4:2:0' : '4:4:4';
  const quality = 90 + Math.floor(8 * random.next());
  const everywhere = fault === 'tone-mapped' || fault === 'clipped' || fault === 'dark';
  // The first view has none before it that it could show again.
  const first = fault === 'not turned' ? 1 : 0;
  const faulty = fault === null || everywhere ? null : first + Math.floor((VIEWS - first) * random.next());
  const size = half ? 0.5 : 1;
  const sign = random.next() < 0.5 ? -1 : 1;
  const bad = middleFrame(views[faulty ?? 0], shutters, random);
  const from = 1 + Math.floor((frames - 1) * random.next());
  const flicker = 1 + size * (0.1 + (half ? 0 : 0.2 * random.next()));
  const notHeld = 2 ** (size * (1 / 3 + (half ? 0 : 0.6 * random.next())));
  const angle = 2 * Math.PI * random.next();
  const shift = size * (2 + (half ? 0 : 4 * random.next()));
  const turn = sign * size * (5 + (half ? 0 : 7 * random.next()));
  // A head that was forgotten was touched at least; of half the size, it went on by a step of its clicks.
  const bump = sign * (half ? 5 : random.next());
  const files: ShotRound['files'] = [];
  for (let v = 0; v < VIEWS; v++) {
    let view = views[v];
    if (fault === 'out of place' && v === faulty) view = turned(place, look, view, turn);
    if (fault === 'not turned' && v === faulty) view = crossed(turned(place, look, views[v - 1], bump), random);
    const exposures = shutters.map((shutterS, f): OwnExposure => {
      const factor = rungFactors[f] * (1 + 0.01 * random.normal());
      const encode = fault === 'tone-mapped' ? toneMapper(view, exposureOf(shutterS) * factor, half) : null;
      const own: OwnExposure = {
        shutterS,
        factor,
        encode: (l, p) => curve[Math.round(8192 * (encode ? encode(l, p) : l))],
      };
      if (v !== faulty) return own;
      if (fault === 'flicker' && f === bad) own.factor *= flicker ** sign;
      if (fault === 'not held' && f >= from) own.factor *= notHeld ** sign;
      if (fault === 'shaken' && f === bad)
        own.sensor = shifted(view.sensor, SIDE, SIDE, shift * Math.cos(angle), shift * Math.sin(angle));
      if (fault === 'foreign' && f === bad)
        own.sensor = half ? turned(place, look, view, 8 * sign).sensor : views[(v + 2) % VIEWS].sensor;
      return own;
    });
    files.push(...(await takeFrames(view, exposures, { sidePx: SIDE, view: v, random, folder, chroma, quality })));
  }
  return { place, frames, stepEv, faulty, files };
}

/** A frame that holds most of a view: a fault in one that is white or black is none. */
function middleFrame({ sensor }: OwnView, shutters: readonly number[], random: Random): number {
  const lit = sensor.filter((_, i) => i % 3 === 1 && WITHIN[(i - 1) / 3] !== 0).sort();
  const middle = lit[lit.length >> 1];
  const held = shutters.flatMap((s, f) => {
    const level = middle * exposureOf(s);
    return level > 0.03 && level < 0.6 ? [f] : [];
  });
  return held.length > 0 ? held[Math.floor(held.length * random.next())] : shutters.length >> 1;
}

/** The view as seen when its head stands so many degrees further round. */
const turned = (place: Place, look: number, { attitude }: OwnView, deg: number): OwnView =>
  lookFrom(
    place.image,
    cameraOf(look),
    multiply(quaternionFromAttitude({ headingDeg: deg, tiltDeg: 0, rollDeg: 0 }), attitude),
  );

/** The view with somebody standing in it who was not there before. */
function crossed(view: OwnView, random: Random): OwnView {
  const [x, y] = [SIDE * (0.3 + 0.4 * random.next()), SIDE * (0.4 + 0.2 * random.next())];
  const [wide, tall] = [SIDE * (0.03 + 0.05 * random.next()), SIDE * (0.1 + 0.1 * random.next())];
  const light = 2 ** (2 * random.normal());
  const sensor = view.sensor.map((v, i) => {
    const p = Math.floor(i / 3);
    const within = Math.hypot(((p % SIDE) - x) / wide, (Math.floor(p / SIDE) - y) / tall) < 1;
    return within ? v * light : v;
  });
  return { ...view, sensor };
}

/** Levels of neighbourhoods, so many a side, that a tone mapper looks at. */
const CELLS = 24;
const cellOf = (p: number) =>
  Math.floor((Math.floor(p / SIDE) * CELLS) / SIDE) * CELLS + Math.floor(((p % SIDE) * CELLS) / SIDE);

/**
 * What a camera does that lifts shadows and holds lights back place by place: a gain for every pixel by how bright its neighbourhood is in this very
 * frame, smooth from neighbourhood to neighbourhood. So the same light has other codes elsewhere, and others in another frame.
 */
function toneMapper({ sensor }: OwnView, exposure: number, half: boolean): (linear: number, pixel: number) => number {
  const sums = new Float64Array(CELLS * CELLS);
  const n = new Float64Array(CELLS * CELLS);
  for (let p = 0; p < SIDE * SIDE; p++)
    if (WITHIN[p]) {
      sums[cellOf(p)] += Math.min(1, sensor[3 * p + 1] * exposure);
      n[cellOf(p)]++;
    }
  const stops = Float64Array.from(sums, (v, i) => Math.log2(0.18 / Math.max(0.01, n[i] > 0 ? v / n[i] : 0.18)));
  const at = (column: number, row: number) =>
    stops[Math.max(0, Math.min(CELLS - 1, row)) * CELLS + Math.max(0, Math.min(CELLS - 1, column))];
  const power = half ? 0.15 : 0.3;
  return (linear, p) => {
    const [x, y] = [((p % SIDE) * CELLS) / SIDE - 0.5, (Math.floor(p / SIDE) * CELLS) / SIDE - 0.5];
    const [i, j] = [Math.floor(x), Math.floor(y)];
    const [tx, ty] = [x - i, y - j];
    const lift =
      (at(i, j) * (1 - tx) + at(i + 1, j) * tx) * (1 - ty) + (at(i, j + 1) * (1 - tx) + at(i + 1, j + 1) * tx) * ty;
    return Math.min(1, linear * 2 ** (power * lift * (1 - linear)));
  };
}
