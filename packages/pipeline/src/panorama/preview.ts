import { inSpace, linearToSrgb, luminance, type RgbImage } from '@tawny/core';
import { encodeJpeg } from '@tawny/formats';

const ENCODED = Uint8Array.from({ length: 4096 }, (_, i) => Math.round(255 * linearToSrgb(i / 4095)));

/** A display picture, its median at mid grey (0.18); a plate is shown at a given gain instead. */
export async function previewJpeg(picture: RgbImage, gain?: number): Promise<Buffer> {
  const image = inSpace(picture, 'rec709');
  const k = gain ?? 0.18 / Math.max(1e-12, medianLuminance(image));
  const codes = new Uint8Array(image.data.length);
  for (let i = 0; i < codes.length; i++)
    codes[i] = ENCODED[Math.min(4095, Math.max(0, Math.round(image.data[i] * k * 4095)))];
  return encodeJpeg(codes, image.width, image.height, undefined, 88);
}

function medianLuminance(image: RgbImage): number {
  const step = Math.max(1, Math.floor((image.width * image.height) / 20000));
  const values: number[] = [];
  for (let i = 0; i < image.width * image.height; i += step)
    values.push(luminance(image.data[3 * i], image.data[3 * i + 1], image.data[3 * i + 2], image.space));
  values.sort((a, b) => a - b);
  return values[values.length >> 1];
}
