import { createImage, linearToSrgb, type RgbImage } from '@tawny/core';
import { encodeJpeg, encodePng, writeExr, type WrittenTags } from '@tawny/formats';
import type { TestFile } from './api';

const tags = (denominator: number, at: number, more: Partial<WrittenTags> = {}): WrittenTags => ({
  model: 'Fathom 360', lensModel: 'Twin', shutterTag: { numerator: 1, denominator }, fNumberTag: 8, iso: 100, focalLengthMm: 4, takenAt: new Date(at), utcOffsetMinutes: 0, orientation: 1, ...more,
});

/** Light of a plain set at a pixel: sky, ground and one bright patch. */
function light(x: number, y: number, width: number): number {
  const height = width / 2;
  return Math.hypot(x - 0.6 * width, y - 0.3 * height) < width / 20 ? 400 : y < height / 2 ? 20 + (10 * x) / width : 6;
}

/** A latitude-longitude frame of the plain set, exposed at 1/denominator. */
export async function latlongFrame(name: string, denominator: number, order: number, width = 256, more: Partial<WrittenTags> = {}): Promise<TestFile> {
  const height = width / 2;
  const codes = new Uint8Array(width * height * 3);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) codes.fill(Math.round(255 * linearToSrgb(light(x, y, width) / denominator)), 3 * (y * width + x), 3 * (y * width + x) + 3);
  }
  return { name, mimeType: 'image/jpeg', buffer: await encodeJpeg(codes, width, height, tags(denominator, Date.UTC(2026, 9, 14, 12, 0, order), more)) };
}

/** A frame of one code all over. */
export async function evenFrame(name: string, code: number, denominator: number, order: number, width = 256): Promise<TestFile> {
  return { name, mimeType: 'image/jpeg', buffer: await encodeJpeg(new Uint8Array(width * (width / 2) * 3).fill(code), width, width / 2, tags(denominator, Date.UTC(2026, 9, 14, 12, 0, order))) };
}

/** A bracket of a one-shot camera. */
export const latlongBracket = () => Promise.all([15, 60, 250, 1000].map((d, i) => latlongFrame(`one_${i}.jpg`, d, i)));

/** The plain set as a finished panorama; `clipAt` cuts its lights off. */
export function plainPanorama(width = 256, clipAt = Infinity): RgbImage {
  const image = createImage(width, width / 2);
  for (let y = 0; y < width / 2; y++) for (let x = 0; x < width; x++) image.data.fill(Math.min(clipAt, light(x, y, width)), 3 * (y * width + x), 3 * (y * width + x) + 3);
  return image;
}

export async function panoramaFile(name: string, image: RgbImage): Promise<TestFile> {
  return { name, mimeType: 'image/x-exr', buffer: await writeExr(image, { latlong: true }) };
}

export async function withoutMetadata(): Promise<TestFile> {
  return { name: 'stripped.png', mimeType: 'image/png', buffer: await encodePng(new Uint8Array(256 * 128 * 3).fill(90), 256, 128) };
}

export async function onePixel(): Promise<TestFile> {
  return { name: 'dot.png', mimeType: 'image/png', buffer: await encodePng(Uint8Array.from([1, 2, 3]), 1, 1) };
}

export const textFile = (name: string): TestFile => ({ name, mimeType: 'image/jpeg', buffer: Buffer.from('call at seven, bring the ball') });
