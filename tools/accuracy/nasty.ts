import {
  anglesFromDirection,
  directionFromAngles,
  multiply,
  quaternionFromAttitude,
  rotate,
  unprojectPixel,
  type Quaternion,
  type RgbImage,
  type Vec3,
} from '@tawny/core';
import { buildPanorama, checkViews, inspectPanorama, type BuildResult } from '@tawny/pipeline';
import { blur, createRandom, shifted, stampWalker, type Random } from '@tawny/simset';
import { inFolder } from '../onDisk';
import { kept } from './kept';
import { stitch } from './offModel';
import { attitudesOf, lookFrom, takeFrames, type OwnExposure, type OwnView } from './ownCamera';
import { commonRotation } from './roundTrip';
import type { Row, Section } from './table';
import { bracketFor, cameraOf, LENS, SIDE, VERDICT_RIG, verdictPlaces, type Place } from './verdictRounds';

const PANORAMA_PX = 1024;
const PLACES = ['quay, sun', 'net loft', 'sunrise', 'forest'];
/** Pixels of the panorama that are compared together: frames of this size show no finer. */
const CELL = 4;
const DEGREE = 180 / Math.PI;

/** What a place or a camera does beside what the other tables have: each alone, and without any. */
interface Effect {
  name: string;
  /** The place itself is another. */
  light?: (image: RgbImage) => RgbImage;
  /** How much a view leans more than the one before, degrees. */
  sinksDeg?: number;
  /** What the sensor gets in one frame. */
  frame?: (
    view: OwnView,
    at: { view: number; frame: number; frames: number; random: Random; seed: number },
  ) => Float32Array;
  /** Real over engraved exposure of a rung, more than the 3 % of every shutter. */
  rung?: (random: Random) => number;
  quality?: number;
  chroma?: '4:2:0';
  /** Directions of which there is no one truth. */
  unsettled?: (d: Vec3) => boolean;
}

/** Band of elevations and bearings in which leaves move before the sky, degrees. */
const LEAVES = { low: 8, high: 50, from: 40, to: 160 };
const inLeaves = (d: Vec3, margin: number): boolean => {
  const a = anglesFromDirection(d);
  return (
    a.elevationDeg > LEAVES.low - margin &&
    a.elevationDeg < LEAVES.high + margin &&
    a.azimuthDeg > LEAVES.from - margin &&
    a.azimuthDeg < LEAVES.to + margin
  );
};

const EFFECTS: Effect[] = [
  { name: 'nothing more' },
  { name: 'JPEG at quality 80 with halved colour', quality: 80, chroma: '4:2:0' },
  { name: 'sharpened until edges ring', frame: ({ sensor }) => sharpened(sensor) },
  { name: 'a tripod that sinks: 0.3° a view, a quarter of a pixel a frame', sinksDeg: 0.3, frame: ({ sensor }, { frame }) => (frame === 0 ? sensor : shifted(sensor, SIDE, SIDE, 0, 0.25 * frame)) }, // prettier-ignore
  { name: 'exposure tags rounded: up to 7 % off', rung: (random) => 1 + 0.14 * (random.next() - 0.5) },
  { name: '300 hot photosites', frame: ({ sensor }) => withHot(sensor) },
  { name: 'haze: 2 % of the light as a veil, 3 % thrown 12 px far', frame: ({ sensor }) => hazy(sensor) },
  { name: 'four people, elsewhere in every frame of three views', frame: withPeople, unsettled: (d) => Math.abs(anglesFromDirection(d).elevationDeg + 8) < 22 }, // prettier-ignore
  { name: 'leaves that move before a third of the sky', frame: withLeaves, unsettled: (d) => inLeaves(d, 3) },
  { name: 'wet ground that mirrors a third of the sky', light: wet },
];

/** Unsharp mask over the root of the light, as a camera's rendering does: dark and bright lines beside edges. */
function sharpened(sensor: Float32Array): Float32Array {
  const root = sensor.map(Math.sqrt);
  const soft = blur(root, SIDE, SIDE, 1.2, 0);
  return root.map((v, i) => Math.max(0, v + 0.8 * (v - soft[i])) ** 2);
}

function hazy(sensor: Float32Array): Float32Array {
  const far = blur(sensor, SIDE, SIDE, 12, 0);
  return blur(
    sensor.map((v, i) => 0.97 * v + 0.03 * far[i]),
    SIDE,
    SIDE,
    0,
    0.02,
  );
}

/** Photosites that gather as much in every second as twenty times the mean light gives: the same ones in every frame of the camera. */
function withHot(sensor: Float32Array): Float32Array {
  const random = createRandom(7, 'hot photosites');
  const level = (20 * sensor.reduce((s, v) => s + v, 0)) / sensor.length;
  const out = sensor.slice();
  for (let k = 0; k < 300; k++) out[Math.floor(random.next() * out.length)] += level * random.next();
  return out;
}

function withPeople(
  { sensor, attitude }: OwnView,
  { view, seed, frame }: { view: number; seed: number; frame: number },
): Float32Array {
  if (view % 2 === 1) return sensor;
  const random = createRandom(seed, 'people', `${view} ${frame}`);
  let out: Float32Array = sensor.slice();
  for (let k = 0; k < 4; k++)
    out = stampWalker(out, LENS, attitude, 60 * view - 60 + 120 * random.next(), 3 + 4 * random.next(), 20 + 10 * random.next()); // prettier-ignore
  return out;
}

/** Twigs of about a degree, half of them before the sky at a time; the wind moves them from frame to frame. */
function withLeaves(
  { sensor, attitude }: OwnView,
  { view, seed, frame }: { view: number; seed: number; frame: number },
): Float32Array {
  const random = createRandom(seed, 'wind', `${view} ${frame}`);
  const [east, up] = [random.normal(), random.normal()];
  const out = sensor.slice();
  for (let p = 0; p < SIDE * SIDE; p++) {
    const ray = unprojectPixel(LENS, (p % SIDE) + 0.5, Math.floor(p / SIDE) + 0.5);
    if (!ray) continue;
    const d = rotate(attitude, ray);
    if (!inLeaves(d, 0)) continue;
    const a = anglesFromDirection(d);
    const [x, y] = [a.azimuthDeg * Math.cos(a.elevationDeg / DEGREE) + 0.4 * east, a.elevationDeg + 0.4 * up];
    const twig = Math.sin(5.1 * x + 1.7 * Math.sin(2.3 * y)) + Math.sin(4.3 * y + 1.9 * Math.sin(1.9 * x));
    if (twig > 0) for (let c = 0; c < 3; c++) out[3 * p + c] *= 0.12;
  }
  return out;
}

/** Below the horizon a third of what stands as high above it is seen as well. */
function wet(image: RgbImage): RgbImage {
  const { width, height } = image;
  const data = image.data.slice();
  for (let y = height >> 1; y < height; y++)
    for (let x = 0; x < 3 * width; x++) data[3 * y * width + x] += image.data[3 * (height - 1 - y) * width + x] / 3;
  return { ...image, data };
}

/** What one round of a place under an effect came to. */
interface Figure {
  pointingDeg: number;
  medianPercent: number;
  p95Percent: number;
  /** The sun that was found against that of the place; null where the place has none and none was found. */
  sunDeg: number | 'missed' | 'false' | null;
  /** How far the panorama leans, and what is stated of that (95 %); null when nothing is. */
  levelDeg: number;
  statedDeg: number | null;
  words: string[];
}

async function figureOf(place: Place, effect: Effect, seed: number): Promise<Figure> {
  const image = effect.light?.(place.image) ?? place.image;
  const random = createRandom(seed, 'nasty', place.name);
  const camera = { ...cameraOf(seed), pointingDeg: 1 };
  const attitudes = attitudesOf(camera, random).map((q, v): Quaternion => {
    const lean = (effect.sinksDeg ?? 0) * v;
    return multiply(quaternionFromAttitude({ headingDeg: 0, tiltDeg: lean, rollDeg: 0.7 * lean }), q);
  });
  const views = attitudes.map((a) => lookFrom(image, camera, a));
  const bracket = bracketFor(views, random, null, false);
  if (!bracket) throw new RangeError(`${place.name}: no bracket of nine frames holds it`);
  const { shutters } = bracket;
  const rungs = shutters.map(
    () => (1 + 0.03 * Math.max(-2, Math.min(2, random.normal()))) * (effect.rung?.(random) ?? 1),
  );
  return inFolder(async (folder) => {
    const files: { name: string; path: string }[] = [];
    for (const [v, view] of views.entries()) {
      const exposures = shutters.map((shutterS, frame): OwnExposure => ({
        shutterS,
        factor: rungs[frame],
        sensor: effect.frame?.(view, { view: v, frame, frames: shutters.length, random, seed }),
      }));
      const how = { sidePx: SIDE, view: v, random, folder, quality: effect.quality ?? 93, chroma: effect.chroma };
      files.push(...(await takeFrames(view, exposures, how)));
    }
    const looks = await checkViews({ files, rig: VERDICT_RIG });
    const built = await buildPanorama({ files, rig: VERDICT_RIG, width: PANORAMA_PX });
    const { common, rmsDeg } = commonRotation(built.attitudes, attitudes);
    const radiance = stitch(built, image, common, { cell: CELL, skip: effect.unsettled });
    const up = rotate(common, [0, 1, 0]);
    return {
      pointingDeg: rmsDeg,
      medianPercent: radiance.median,
      p95Percent: radiance.p95,
      sunDeg: sunError(place, built, common),
      levelDeg: Math.acos(Math.min(1, up[1])) * DEGREE,
      statedDeg: built.level?.uncertaintyDeg ?? null,
      words: [...looks.flatMap((l, i) => l.findings.map((f) => `view ${i + 1} ${f}`)), ...built.warnings],
    };
  });
}

function sunError(place: Place, built: BuildResult, common: Quaternion): Figure['sunDeg'] {
  const truth = place.kind === 'sun' ? inspectPanorama(place.image).sun : null;
  const found = inspectPanorama(built.panorama, { clippedSr: built.clippedSr }).sun;
  if (!truth) return found ? 'false' : null;
  if (!found) return 'missed';
  const [a, b] = [
    directionFromAngles(truth.azimuthDeg, truth.elevationDeg),
    rotate(common, directionFromAngles(found.azimuthDeg, found.elevationDeg)),
  ];
  return Math.acos(Math.min(1, a[0] * b[0] + a[1] * b[1] + a[2] * b[2])) * DEGREE;
}

const BOUND = { median: 2, p95: 8 };

/** Truth that is nastier than the world, one thing at a time. */
export async function nastySection(): Promise<Section> {
  const places = (await verdictPlaces()).filter((p) => PLACES.includes(p.name));
  const say = (line: string) => process.stderr.write(`    ${line}\n`);
  const rows: Row[] = [];
  for (const effect of EFFECTS) {
    const figures: Figure[] = [];
    for (const [k, place] of places.entries()) {
      const figure = await kept(import.meta.url, 'nasty', `${effect.name} ${place.name}`, () =>
        figureOf(place, effect, 60 + k),
      );
      say(`${effect.name}, ${place.name}: ${JSON.stringify(figure)}`);
      figures.push(figure);
    }
    const each = (f: (x: Figure) => string) => figures.map(f).join(' / ');
    const angle = (v: Figure['sunDeg']) => (typeof v === 'number' ? v.toFixed(2) : (v ?? 'none'));
    rows.push({
      what: effect.name,
      bound: `${BOUND.median} %; ${BOUND.p95} %`,
      measured: `${each((f) => f.medianPercent.toFixed(2))} %; ${each((f) => f.p95Percent.toFixed(1))} %; pointing ${each((f) => f.pointingDeg.toFixed(3))}°; sun ${each((f) => angle(f.sunDeg))}°; leans ${each((f) => `${f.levelDeg.toFixed(1)} (± ${f.statedDeg?.toFixed(1) ?? 'unknown'})`)}°; words ${each((f) => String(f.words.length))}`,
      holds: figures.every((f) => f.medianPercent <= BOUND.median && f.p95Percent <= BOUND.p95),
    });
  }
  return {
    title: 'Nastier than the world',
    how: `Six fisheye views of ${SIDE} px by the verdicts' camera (heads a degree off, shutters 3 %), built at ${PANORAMA_PX} px, of ${places.map((p) => p.name).join(' / ')}; each effect alone. Radiance of cells of ${CELL} x ${CELL} px against truth: median; 95th percentile (where people or leaves stand there is no one truth, and it is left out). Then pointing, the sun (found where there is none: "false"), how far the panorama leans and what is stated of that (how level the real ones stood nobody knows), and how many things were said at the station and on building. The leafy forest (third) breaks 8 % in every row, also in the first: its light changes from pixel to pixel. Beside it: haze breaks light alone (nobody states it for a rig whose glare was not measured), rounded tags the loft by 0.1 %; a sinking tripod leans the quay by 1.0° where ± 0.8° is stated; a sun that wet ground mirrors is not found, and neither is the sunrise in most rows (a sun is missed, none is false); people on the quay were not told at the station.`,
    rows,
  };
}
