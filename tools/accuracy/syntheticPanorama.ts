import {
  arcDeg,
  createImage,
  RELATIVE_REC709,
  DEG,
  directionFromAngles,
  anglesAtPixel,
  type RgbImage,
  type Vec3,
} from '@tawny/core';
import { addSunDisc, createRandom, type Random } from '@tawny/simset';

export interface SyntheticPanorama {
  image: RgbImage;
  sun: Vec3 | null;
}

type Rgb = [number, number, number];

/** Adds a uniform blob: a disc, or a rectangle when given an aspect; edges are softened over a pixel. */
function addBlob(
  image: RgbImage,
  centre: { azimuthDeg: number; elevationDeg: number },
  widthDeg: number,
  heightDeg: number,
  value: number,
  round: boolean,
): void {
  const { width, height, data } = image;
  const direction = directionFromAngles(centre.azimuthDeg, centre.elevationDeg);
  const reach = Math.hypot(widthDeg, heightDeg) / 2 + 360 / width;
  for (let y = 0; y < height; y++) {
    if (Math.abs(anglesAtPixel(0, y, width, height).elevationDeg - centre.elevationDeg) > reach) continue;
    for (let x = 0; x < width; x++) {
      const a = anglesAtPixel(x, y, width, height);
      const d = directionFromAngles(a.azimuthDeg, a.elevationDeg);
      if (arcDeg(d, direction) > reach) continue;
      const dx =
        ((((a.azimuthDeg - centre.azimuthDeg + 540) % 360) - 180) * Math.cos(a.elevationDeg * DEG)) / (widthDeg / 2);
      const dy = (a.elevationDeg - centre.elevationDeg) / (heightDeg / 2);
      if (round ? dx * dx + dy * dy > 1 : Math.abs(dx) > 1 || Math.abs(dy) > 1) continue;
      const i = 3 * (y * width + x);
      for (let c = 0; c < 3; c++) data[i + c] += value;
    }
  }
}

function backdrop(width: number, random: Random, sky: Rgb, ground: number): RgbImage {
  const image = createImage(width, width / 2, RELATIVE_REC709);
  const slope = random.next() * 2;
  for (let y = 0; y < image.height; y++) {
    const el = 90 - (180 * (y + 0.5)) / image.height;
    for (let x = 0; x < width; x++) {
      const i = 3 * (y * width + x);
      const grain = 1 + 0.15 * random.normal();
      for (let c = 0; c < 3; c++)
        image.data[i + c] =
          el > 0
            ? sky[c] * (1 + slope * (1 - el / 90)) * Math.max(0.2, 1 + 0.03 * random.normal())
            : ground * Math.max(0.1, grain);
    }
  }
  return image;
}

/** An exterior of random ground and haze with a sun of an illuminance (lux) in a direction; cd/m2. */
export function sunnyPanorama(
  random: Random,
  width: number,
  direction: Vec3,
  lux: number,
): { image: RgbImage; discLuminance: number } {
  const image = backdrop(width, random, [2200, 3000, 4600], 300 + 900 * random.next());
  const radius = 0.2665 * DEG;
  const discLuminance = lux / (Math.PI * radius * radius);
  addSunDisc(image, { direction, radius, radiance: [discLuminance, 0.92 * discLuminance, 0.75 * discLuminance] });
  return { image, discLuminance };
}

/** Illuminance of a sun at an elevation, lux: a plain line through clear-air values. */
export const plainSunLux = (elevationDeg: number) => 12000 + 90000 * (elevationDeg / 62);

/** An exterior with a sun of random place, haze and clipping; cd/m2. */
export function withSun(seed: number, width: number): SyntheticPanorama & { clipped: boolean } {
  const random = createRandom(seed, 'with sun');
  const elevation = 2 + 60 * random.next();
  const direction = directionFromAngles(360 * random.next(), elevation);
  const { image, discLuminance } = sunnyPanorama(random, width, direction, plainSunLux(elevation));
  const clipped = random.next() < 0.4;
  if (clipped) {
    const level = discLuminance / 2 ** (1 + 3 * random.next());
    for (let i = 0; i < image.data.length; i++) image.data[i] = Math.min(image.data[i], level);
  }
  return { image, sun: direction, clipped };
}

/** A set without a sun: overcast or interior with lamps, windows and glints; cd/m2. */
export function withoutSun(seed: number, width: number): SyntheticPanorama {
  const random = createRandom(seed, 'without sun');
  const kind = seed % 4;
  const pick = (low: number, high: number) => low + (high - low) * random.next();
  if (kind === 0) {
    const image = backdrop(width, random, [4000, 4200, 4500], 500);
    addBlob(
      image,
      { azimuthDeg: pick(0, 360), elevationDeg: pick(20, 60) },
      pick(20, 60),
      pick(15, 40),
      pick(4000, 30000),
      true,
    );
    return { image, sun: null };
  }
  const image = backdrop(width, random, [60, 55, 45], 40);
  if (kind === 1) {
    for (let i = 0; i < 4; i++)
      addBlob(
        image,
        { azimuthDeg: pick(0, 360), elevationDeg: pick(-10, 60) },
        pick(1.2, 12),
        pick(1.2, 12),
        10 ** pick(3, 5.5),
        true,
      );
  } else if (kind === 2) {
    for (let i = 0; i < 2; i++)
      addBlob(
        image,
        { azimuthDeg: pick(0, 360), elevationDeg: pick(0, 30) },
        pick(8, 40),
        pick(8, 40),
        pick(2000, 9000),
        false,
      );
  } else {
    for (let i = 0; i < 30; i++)
      addBlob(
        image,
        { azimuthDeg: pick(0, 360), elevationDeg: pick(-60, 40) },
        pick(0.1, 0.4),
        pick(0.1, 0.4),
        10 ** pick(3, 5),
        true,
      );
    addBlob(
      image,
      { azimuthDeg: pick(0, 360), elevationDeg: pick(10, 60) },
      pick(2, 6),
      pick(0.4, 1),
      10 ** pick(4, 6),
      false,
    );
  }
  return { image, sun: null };
}
