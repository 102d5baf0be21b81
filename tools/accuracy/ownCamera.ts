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
import { createRandom } from '@tawny/simset';

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
function lookUp({ width, height, data }: RgbImage, d: Vec3, out: number[]): void {
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

/** Photographs a panorama (cd/m2, any heading) into JPEGs of a folder: an equidistant lens, sRGB codes, noise of photons and of reading. */
export async function photograph(light: RgbImage, camera: OwnCamera, seed: number, folder: string): Promise<OwnRound> {
  const random = createRandom(seed, 'own camera');
  const { sidePx: side, views, frames, stepEv } = camera;
  const half = (camera.circleDeg / 2) * (Math.PI / 180);
  // Half of the light fills half of the middle frame: the bracket is centred as a photographer would.
  const sorted = Float32Array.from(light.data).sort();
  const typical = sorted[Math.floor(sorted.length * 0.6)];
  const files: OwnRound['files'] = [];
  const attitudes: Quaternion[] = [];
  for (let v = 0; v < views; v++) {
    const attitude = quaternionFromAttitude({
      headingDeg: (360 * v) / views + camera.pointingDeg * random.normal(),
      tiltDeg: 0.4 * camera.pointingDeg * random.normal(),
      rollDeg: 0.4 * camera.pointingDeg * random.normal(),
    });
    attitudes.push(attitude);
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
    for (let f = 0; f < frames; f++) {
      const ev = (f - (frames - 1) / 2) * stepEv;
      // As far as shutters go in whole stops; what is engraved is what is meant.
      const stops = Math.round(Math.log2(typical / (0.2 * NOMINAL_LUMINANCE_PER_UNIT)) + ev);
      const shutterS = 2 ** (3 - stops);
      const exposure = photometricExposure({ shutterS, iso: 100, tStop: 2.8 / Math.sqrt(0.8), ndStops: 0 });
      const codes = new Uint8Array(sensor.length);
      for (let i = 0; i < codes.length; i++) {
        const signal = (sensor[i] * exposure) / NOMINAL_LUMINANCE_PER_UNIT;
        const noisy = signal + random.normal() * Math.sqrt(Math.max(0, signal) / 20000 + 2e-8);
        codes[i] = Math.round(CODES[Math.round(8192 * Math.max(0, Math.min(1, noisy)))]);
      }
      const name = `own_${v + 1}_${f + 1}.jpg`;
      const file = path.join(folder, name);
      await fs.writeFile(
        file,
        await encodeJpeg(codes, side, side, {
          model: 'Tarn P6',
          lensModel: 'Meniscus 6 mm fisheye',
          shutterTag: shutterS < 0.3 ? { numerator: 1, denominator: Math.round(1 / shutterS) } : { numerator: Math.round(10 * shutterS), denominator: 10 }, // prettier-ignore
          fNumberTag: 2.8,
          iso: 100,
          focalLengthMm: 6,
          takenAt: new Date(EPOCH + 60000 * v + 1500 * f),
          utcOffsetMinutes: 0,
          orientation: 1,
        }),
      );
      files.push({ name, path: file });
    }
  }
  return { files, attitudes };
}
