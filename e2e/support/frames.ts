import { createImage, RELATIVE_REC709, linearToSrgb, type RgbImage } from '@tawny/core';
import { encodeDng, encodeJpeg, encodePng, writeExr, type WrittenTags } from '@tawny/formats';
import sharp from 'sharp';
import type { TestFile } from './api';

/** A PNG that says by its profile that it follows the sRGB curve. */
export const srgbPng = (codes: Uint8Array, width: number, height: number) =>
  sharp(codes, { raw: { width, height, channels: 3 } })
    .withIccProfile('srgb')
    .png()
    .toBuffer();

const tags = (denominator: number, at: number, more: Partial<WrittenTags> = {}): WrittenTags => ({
  model: 'Fathom 360',
  lensModel: 'Twin',
  shutterTag: { numerator: 1, denominator },
  fNumberTag: 8,
  iso: 100,
  focalLengthMm: 4,
  takenAt: new Date(at),
  utcOffsetMinutes: 0,
  orientation: 1,
  ...more,
});

/** Light of a plain set at a pixel: sky, ground and one bright patch. */
function light(x: number, y: number, width: number): number {
  const height = width / 2;
  return Math.hypot(x - 0.6 * width, y - 0.3 * height) < width / 20 ? 400 : y < height / 2 ? 20 + (10 * x) / width : 6;
}

/** A latitude-longitude frame of the plain set, exposed at 1/denominator. */
export async function latlongFrame(
  name: string,
  denominator: number,
  order: number,
  width = 256,
  more: Partial<WrittenTags> = {},
): Promise<TestFile> {
  const height = width / 2;
  const codes = new Uint8Array(width * height * 3);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++)
      codes.fill(
        Math.round(255 * linearToSrgb(light(x, y, width) / denominator)),
        3 * (y * width + x),
        3 * (y * width + x) + 3,
      );
  }
  return {
    name,
    mimeType: 'image/jpeg',
    buffer: await encodeJpeg(codes, width, height, tags(denominator, Date.UTC(2026, 9, 14, 12, 0, order), more)),
  };
}

/** Share of a source's light that the rig of `sunFrame` throws over the sphere, per steradian, at an angle. */
export const sunGlarePerSr = (angleDeg: number) => 0.05 * Math.exp(-angleDeg / 40);

/** A fisheye look (180 degrees across 240 px) at an even sky with a sun, seen or behind a cover of five degrees, with the rig's glare. */
export async function sunFrame(name: string, denominator: number, order: number, seen: boolean): Promise<TestFile> {
  const side = 240;
  const focal = side / Math.PI;
  const sun = 9000;
  const radius = 1.5;
  const energy = sun * Math.PI * (radius * (Math.PI / 180)) ** 2;
  const codes = new Uint8Array(3 * side * side);
  for (let y = 0; y < side; y++) {
    for (let x = 0; x < side; x++) {
      // The sun stands in the middle of the picture: the angle from it is the radius.
      const angle = (Math.hypot(x + 0.5 - side / 2, y + 0.5 - side / 2) / focal) * (180 / Math.PI);
      const sky = !seen && angle < 4.5 ? 0.2 : angle < 90 ? 1 : 0;
      const value = seen ? sky + (angle < radius ? sun : 0) + energy * sunGlarePerSr(angle) : sky;
      codes.fill(
        Math.min(255, Math.round(255 * linearToSrgb(Math.min(1, value / denominator)))),
        3 * (y * side + x),
        3 * (y * side + x) + 3,
      );
    }
  }
  return {
    name,
    mimeType: 'image/jpeg',
    buffer: await encodeJpeg(
      codes,
      side,
      side,
      tags(denominator, Date.UTC(2026, 9, 14, 12, 30, order), { model: 'Tarn P6', lensModel: 'Meniscus' }),
    ),
  };
}

/** A frame of one code all over. */
export async function evenFrame(
  name: string,
  code: number,
  denominator: number,
  order: number,
  width = 256,
): Promise<TestFile> {
  return {
    name,
    mimeType: 'image/jpeg',
    buffer: await encodeJpeg(
      new Uint8Array(width * (width / 2) * 3).fill(code),
      width,
      width / 2,
      tags(denominator, Date.UTC(2026, 9, 14, 12, 0, order)),
    ),
  };
}

/** A raw still of the plate camera: an even grey. */
export async function rawStill(name: string, more: Partial<WrittenTags> = {}): Promise<TestFile> {
  const mosaic = new Uint16Array(1920 * 1080).fill(4000);
  const sensor = {
    black: [512, 512, 512, 512],
    white: 16383,
    colourMatrix: [0.9, -0.2, -0.1, -0.4, 1.2, 0.2, -0.1, 0.2, 0.6],
    asShotNeutral: [0.5, 1, 0.6],
  } as const;
  return {
    name,
    mimeType: 'image/x-adobe-dng',
    buffer: encodeDng(
      mosaic,
      1920,
      1080,
      { ...sensor, colourMatrix: [...sensor.colourMatrix] },
      tags(50, Date.UTC(2026, 9, 14, 12, 40), { model: 'Corrie 35', ...more }),
    ),
  };
}

/** A whole frame of a one-shot camera with more than 8 MiB: grain does not compress. */
export async function largeFrame(): Promise<TestFile> {
  const [width, height] = [4000, 2000];
  let state = 5;
  const codes = Uint8Array.from({ length: width * height * 3 }, () => {
    state = (state * 1103515245 + 12345) & 0x7fffffff;
    return (state >> 16) & 0xff;
  });
  return {
    name: 'large_0.jpg',
    mimeType: 'image/jpeg',
    buffer: Buffer.from(await encodeJpeg(codes, width, height, tags(60, Date.UTC(2026, 9, 14, 12)))),
  };
}

/** A bracket of a one-shot camera. */
export const latlongBracket = () => Promise.all([15, 60, 250, 1000].map((d, i) => latlongFrame(`one_${i}.jpg`, d, i)));

/** The plain set as a finished panorama; `clipAt` cuts its lights off. */
export function plainPanorama(width = 256, clipAt = Infinity): RgbImage {
  const image = createImage(width, width / 2, RELATIVE_REC709);
  for (let y = 0; y < width / 2; y++)
    for (let x = 0; x < width; x++)
      image.data.fill(Math.min(clipAt, light(x, y, width)), 3 * (y * width + x), 3 * (y * width + x) + 3);
  return image;
}

export async function panoramaFile(name: string, image: RgbImage): Promise<TestFile> {
  return { name, mimeType: 'image/x-exr', buffer: await writeExr(image, { latlong: true }) };
}

export async function withoutMetadata(): Promise<TestFile> {
  return {
    name: 'stripped.png',
    mimeType: 'image/png',
    buffer: await encodePng(new Uint8Array(256 * 128 * 3).fill(90), 256, 128),
  };
}

export async function onePixel(): Promise<TestFile> {
  return { name: 'dot.png', mimeType: 'image/png', buffer: await encodePng(Uint8Array.from([1, 2, 3]), 1, 1) };
}

export const textFile = (name: string): TestFile => ({
  name,
  mimeType: 'image/jpeg',
  buffer: Buffer.from('call at seven, bring the ball'),
});
