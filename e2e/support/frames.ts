import { linearToSrgb } from '@tawny/core';
import { encodeJpeg, encodePng, type WrittenTags } from '@tawny/formats';
import type { TestFile } from './api';

const tags = (denominator: number, at: number): WrittenTags => ({
  model: 'Fathom 360', lensModel: 'Twin', shutterTag: { numerator: 1, denominator }, fNumberTag: 8, iso: 100, focalLengthMm: 4, takenAt: new Date(at), utcOffsetMinutes: 0, orientation: 1,
});

/** A latitude-longitude frame of a plain set: sky, ground and one bright patch, exposed at 1/denominator. */
export async function latlongFrame(name: string, denominator: number, order: number, width = 256): Promise<TestFile> {
  const height = width / 2;
  const codes = new Uint8Array(width * height * 3);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const patch = Math.hypot(x - 0.6 * width, y - 0.3 * height) < width / 20;
      const light = patch ? 400 : y < height / 2 ? 20 + (10 * x) / width : 6;
      codes.fill(Math.round(255 * linearToSrgb(light / denominator)), 3 * (y * width + x), 3 * (y * width + x) + 3);
    }
  }
  return { name, mimeType: 'image/jpeg', buffer: await encodeJpeg(codes, width, height, tags(denominator, Date.UTC(2026, 9, 14, 12, 0, order))) };
}

/** A bracket of a one-shot camera. */
export const latlongBracket = () => Promise.all([15, 60, 250, 1000].map((d, i) => latlongFrame(`one_${i}.jpg`, d, i)));

export async function withoutMetadata(): Promise<TestFile> {
  return { name: 'stripped.png', mimeType: 'image/png', buffer: await encodePng(new Uint8Array(256 * 128 * 3).fill(90), 256, 128) };
}

export async function onePixel(): Promise<TestFile> {
  return { name: 'dot.png', mimeType: 'image/png', buffer: await encodePng(Uint8Array.from([1, 2, 3]), 1, 1) };
}
