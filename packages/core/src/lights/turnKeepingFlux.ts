import { quantile } from '../estimate/robust';
import { type RgbImage } from '../image/image';
import { rotate, type Quaternion } from '../orient/quaternion';
import { arcDeg, anglesFromDirection, DEG, directionFromAngles, dot, type Vec3 } from '../sphere/direction';
import { anglesAtPixel, pixelAtAngles, pixelsWithin, rowSolidAngles } from '../sphere/latlong';
import { rotatePanorama } from '../sphere/rotatePanorama';
import type { DetectedSun } from '../sun/detect';
import { separateSun } from './sunLight';

/** Pixels this many times as bright as half of the others are lights: each is carried over by itself. */
const BRIGHT = 8;
/** Parts of a bright pixel each way, and of a pixel that the disc's edge crosses. */
const PARTS = 4;
const DISC_PARTS = 12;

/**
 * Turns a panorama's content by a whole rotation, what stood in direction d stands at q d, and keeps its flux: the sun is taken out and drawn anew as
 * a disc of its size at its turned place, bright pixels are carried over part by part, and the rest is interpolated and scaled to the flux that it had.
 * @param sun what `detectSun` found in it; null turns a sun as any bright thing
 * @throws RangeError unless width = 2 x height
 */
export function turnKeepingFlux(panorama: RgbImage, q: Quaternion, sun: DetectedSun | null): RgbImage {
  if (Math.hypot(q[0], q[1], q[2]) < 1e-9) return panorama;
  const separated = sun && separateSun(panorama, sun);
  const { even, bright } = splitBright(separated?.residual ?? panorama);
  const out = rotatePanorama(even, q);
  const [before, after] = [flux(even), flux(out)];
  const scale = before.map((f, c) => (after[c] > 0 ? f / after[c] : 1));
  for (let i = 0; i < out.data.length; i++) out.data[i] *= scale[i % 3];
  for (const i of bright) carry(separated?.residual ?? panorama, even, i, q, out);
  if (sun && separated) drawDisc(out, rotate(q, sun.direction), (sun.diameterDeg / 2) * DEG, separated.illuminance);
  return out;
}

/** The picture with its bright pixels cut to what the rest reaches, and which they are. */
function splitBright(image: RgbImage): { even: RgbImage; bright: number[] } {
  const { width, height, data } = image;
  const brightest = (i: number) => Math.max(data[3 * i], data[3 * i + 1], data[3 * i + 2]);
  const step = Math.max(1, Math.floor((width * height) / 100000));
  const sample: number[] = [];
  for (let i = 0; i < width * height; i += step) sample.push(brightest(i));
  const limit = BRIGHT * quantile(sample, 0.5);
  const even: RgbImage = { ...image, data: data.slice() };
  const bright: number[] = [];
  for (let i = 0; i < width * height; i++) {
    const most = brightest(i);
    if (!(most > limit)) continue;
    bright.push(i);
    for (let c = 0; c < 3; c++) even.data[3 * i + c] *= limit / most;
  }
  return { even, bright };
}

/** Luminous flux of each channel: value times solid angle. */
function flux({ width, height, data }: RgbImage): [number, number, number] {
  const omega = rowSolidAngles(width, height);
  const sums: [number, number, number] = [0, 0, 0];
  for (let i = 0; i < width * height; i++)
    for (let c = 0; c < 3; c++) sums[c] += data[3 * i + c] * omega[(i / width) | 0];
  return sums;
}

/** Carries what a bright pixel holds above the even picture over to its turned place, split between the pixels that it falls on. */
function carry(source: RgbImage, even: RgbImage, i: number, q: Quaternion, out: RgbImage): void {
  const { width, height } = out;
  const row = Math.floor(i / width);
  const excess = [0, 1, 2].map((c) => source.data[3 * i + c] - even.data[3 * i + c]);
  const omegaOf = (y: number) => Math.sin((0.5 - y / height) * Math.PI) - Math.sin((0.5 - (y + 1) / height) * Math.PI);
  for (let v = 0; v < PARTS; v++) {
    const y = row + v / PARTS;
    const part =
      (Math.sin((0.5 - y / height) * Math.PI) - Math.sin((0.5 - (y + 1 / PARTS) / height) * Math.PI)) / PARTS;
    for (let u = 0; u < PARTS; u++) {
      const a = anglesAtPixel(i - row * width + (u + 0.5) / PARTS - 0.5, y + 0.5 / PARTS - 0.5, width, height);
      const to = anglesFromDirection(rotate(q, directionFromAngles(a.azimuthDeg, a.elevationDeg)));
      const at = pixelAtAngles(to.azimuthDeg, to.elevationDeg, width, height);
      const [x0, y0] = [Math.floor(at.x), Math.floor(Math.max(0, Math.min(height - 1, at.y)))];
      const [tx, ty] = [at.x - x0, Math.max(0, Math.min(height - 1, at.y)) - y0];
      for (const [dx, dy, w] of [
        [0, 0, (1 - tx) * (1 - ty)],
        [1, 0, tx * (1 - ty)],
        [0, 1, (1 - tx) * ty],
        [1, 1, tx * ty],
      ]) {
        if (w === 0) continue;
        const ty2 = Math.min(height - 1, y0 + dy);
        const o = 3 * (ty2 * width + ((((x0 + dx) % width) + width) % width));
        for (let c = 0; c < 3; c++) out.data[o + c] += (excess[c] * part * w) / omegaOf(ty2);
      }
    }
  }
}

/** Adds a disc that gives an illuminance on a plane facing it, averaged over the pixels that its edge crosses. */
function drawDisc(image: RgbImage, direction: Vec3, radius: number, illuminance: readonly number[]): void {
  const { width, height, data } = image;
  const omega = rowSolidAngles(width, height);
  const reach = radius + (2 * Math.PI) / width;
  const covered: { i: number; share: number }[] = [];
  let sum = 0;
  for (const i of pixelsWithin(direction, reach, width, height)) {
    const row = Math.floor(i / width);
    let inside = 0;
    for (let v = 0; v < DISC_PARTS; v++)
      for (let u = 0; u < DISC_PARTS; u++) {
        const x = i - row * width + (u + 0.5) / DISC_PARTS - 0.5;
        const a = anglesAtPixel(x, row + (v + 0.5) / DISC_PARTS - 0.5, width, height);
        if (arcDeg(directionFromAngles(a.azimuthDeg, a.elevationDeg), direction) * DEG <= radius) inside++;
      }
    if (inside === 0) continue;
    const share = inside / DISC_PARTS ** 2;
    const centre = anglesAtPixel(i - row * width, row, width, height);
    covered.push({ i, share });
    sum += share * omega[row] * dot(directionFromAngles(centre.azimuthDeg, centre.elevationDeg), direction);
  }
  for (const { i, share } of covered) for (let c = 0; c < 3; c++) data[3 * i + c] += (share * illuminance[c]) / sum;
}
