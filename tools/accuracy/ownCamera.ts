import fs from 'node:fs/promises';
import path from 'node:path';
import {
  linearToSrgb,
  photometricExposure,
  quaternionFromAttitude,
  rotate,
  anglesFromDirection,
  NOMINAL_LUMINANCE_PER_UNIT,
  type Quaternion,
  type RgbImage,
  type Vec3,
} from '@tawny/core';
import { encodeJpeg } from '@tawny/formats';
import { createRandom, type Random } from '@tawny/simset';

/** A camera that shares neither lens nor falloff nor bracket with the simulated rig. */
export interface OwnCamera {
  /** Full angle of its image circle, degrees. */
  circleDeg: number;
  /** Side of its square frames; the circle fills them. */
  sidePx: number;
  views: number;
  frames: number;
  stepEv: number;
  /** Relative illumination at an angle (radians) off its axis. */
  falloff: (theta: number) => number;
  /** How far heads are off, one sigma in degrees. */
  pointingDeg: number;
}

export interface OwnRound {
  files: { name: string; path: string }[];
  /** Where its views really looked. */
  attitudes: Quaternion[];
}

const EPOCH = Date.UTC(2026, 9, 14, 12, 0, 0);
const CODES = Float32Array.from({ length: 8193 }, (_, i) => 255 * linearToSrgb(i / 8192));

/** Luminance of three channels in a direction, linear between pixel centres. */
export function lookUp({ width, height, data }: RgbImage, d: Vec3, out: number[]): void {
  const a = anglesFromDirection(d);
  const fx = (a.azimuthDeg / 360) * width - 0.5;
  const fy = Math.max(0, Math.min(height - 1.001, ((90 - a.elevationDeg) / 180) * height - 0.5));
  const [xa, ya] = [Math.floor(fx), Math.floor(fy)];
  const [tx, ty] = [fx - xa, fy - ya];
  const [x0, x1] = [(xa + width) % width, (xa + 1) % width];
  for (let c = 0; c < 3; c++)
    out[c] =
      (data[3 * (ya * width + x0) + c] * (1 - tx) + data[3 * (ya * width + x1) + c] * tx) * (1 - ty) +
      (data[3 * ((ya + 1) * width + x0) + c] * (1 - tx) + data[3 * ((ya + 1) * width + x1) + c] * tx) * ty;
}

/** Light on the sensor of one view, cd/m2, and where it really looks. */
export interface OwnView {
  sensor: Float32Array;
  attitude: Quaternion;
}

/** What the lens throws on the sensor when it looks from an attitude at a panorama (cd/m2, any heading). */
export function lookFrom(light: RgbImage, camera: OwnCamera, attitude: Quaternion): OwnView {
  const side = camera.sidePx;
  const half = (camera.circleDeg / 2) * (Math.PI / 180);
  const sensor = new Float32Array(3 * side * side);
  const rgb = [0, 0, 0];
  for (let y = 0; y < side; y++) {
    for (let x = 0; x < side; x++) {
      const [dx, dy] = [(x + 0.5 - side / 2) / (side / 2), (y + 0.5 - side / 2) / (side / 2)];
      const r = Math.hypot(dx, dy);
      if (r > 1) continue;
      const theta = r * half;
      const s = r > 0 ? Math.sin(theta) / r : 0;
      lookUp(light, rotate(attitude, [dx * s, -dy * s, -Math.cos(theta)]), rgb);
      const k = camera.falloff(theta);
      for (let c = 0; c < 3; c++) sensor[3 * (y * side + x) + c] = k * Math.max(0, rgb[c]);
    }
  }
  return { sensor, attitude };
}

/** Attitudes of a camera's views: equal steps, heads off as it says, `turned` degrees more where a view was put elsewhere. */
export function attitudesOf(
  camera: OwnCamera,
  random: Random,
  turned: (view: number) => number = () => 0,
): Quaternion[] {
  return Array.from({ length: camera.views }, (_, v) =>
    quaternionFromAttitude({
      headingDeg: (360 * v) / camera.views + turned(v) + camera.pointingDeg * random.normal(),
      tiltDeg: 0.4 * camera.pointingDeg * random.normal(),
      rollDeg: 0.4 * camera.pointingDeg * random.normal(),
    }),
  );
}

/** One frame as it is taken. */
export interface OwnExposure {
  /** Engraved exposure time, and what the shutter and the light really make of it. */
  shutterS: number;
  factor: number;
  /** Light of the frame in place of its view's. */
  sensor?: Float32Array;
  /** Codes of linear values in place of the sRGB curve. */
  encode?: (linear: number, pixel: number) => number;
}

export const exposureOf = (shutterS: number): number =>
  photometricExposure({ shutterS, iso: 100, tStop: 2.8 / Math.sqrt(0.8), ndStops: 0 }) / NOMINAL_LUMINANCE_PER_UNIT;

/** Takes the frames of one view into JPEGs of a folder: noise of photons and of reading, codes, tags. Frames are in the order in which they are taken. */
export async function takeFrames(
  { sensor }: Pick<OwnView, 'sensor'>,
  exposures: readonly OwnExposure[],
  how: { sidePx: number; view: number; random: Random; folder: string; chroma?: '4:4:4' | '4:2:0'; quality?: number },
): Promise<{ name: string; path: string }[]> {
  const { sidePx: side, view, random } = how;
  return Promise.all(
    exposures.map(async ({ shutterS, factor, sensor: own = sensor, encode }, f) => {
      const exposure = exposureOf(shutterS) * factor;
      const codes = new Uint8Array(own.length);
      for (let i = 0; i < codes.length; i++) {
        const signal = own[i] * exposure;
        const noisy = signal + random.normal() * Math.sqrt(Math.max(0, signal) / 20000 + 2e-8);
        const linear = Math.max(0, Math.min(1, noisy));
        codes[i] = Math.round(encode ? 255 * encode(linear, Math.floor(i / 3)) : CODES[Math.round(8192 * linear)]);
      }
      const name = `own_${view + 1}_${f + 1}.jpg`;
      const file = path.join(how.folder, name);
      const tags = {
        model: 'Tarn P6',
        lensModel: 'Meniscus 6 mm fisheye',
        shutterTag: shutterS < 0.3 ? { numerator: 1, denominator: Math.round(1 / shutterS) } : { numerator: Math.round(10 * shutterS), denominator: 10 }, // prettier-ignore
        fNumberTag: 2.8,
        iso: 100,
        focalLengthMm: 6,
        takenAt: new Date(EPOCH + 60000 * view + 1500 * f),
        utcOffsetMinutes: 0,
        orientation: 1,
      };
      await fs.writeFile(file, await encodeJpeg(codes, side, side, tags, how.quality, how.chroma));
      return { name, path: file };
    }),
  );
}

/** Photographs a panorama (cd/m2, any heading) into JPEGs of a folder: an equidistant lens, sRGB codes, noise of photons and of reading. */
export async function photograph(light: RgbImage, camera: OwnCamera, seed: number, folder: string): Promise<OwnRound> {
  const random = createRandom(seed, 'own camera');
  const { sidePx, frames, stepEv } = camera;
  // Half of the light fills half of the middle frame: the bracket is centred as a photographer would.
  const sorted = Float32Array.from(light.data).sort();
  const typical = sorted[Math.floor(sorted.length * 0.6)];
  const middle = Math.log2(typical / (0.2 * NOMINAL_LUMINANCE_PER_UNIT));
  // As far as shutters go in whole stops; what is engraved is what is meant.
  const exposures = Array.from({ length: frames }, (_, f) => ({
    shutterS: 2 ** (3 - Math.round(middle + (f - (frames - 1) / 2) * stepEv)),
    factor: 1,
  }));
  const attitudes = attitudesOf(camera, random);
  const files: OwnRound['files'] = [];
  for (const [view, attitude] of attitudes.entries())
    files.push(...(await takeFrames(lookFrom(light, camera, attitude), exposures, { sidePx, view, random, folder })));
  return { files, attitudes };
}
