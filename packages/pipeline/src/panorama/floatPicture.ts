import { createImage, type Pixels, type RgbImage } from '@tawny/core';
import { fromHalf, toHalf } from '@tawny/formats';

const MAGIC = 0x464e5754; // "TWNF"
const HEADER_BYTES = 16;
const PEAK = 32768;

/**
 * The float derivative that screens read: 16-byte header (magic, width, height as uint32, scale as float32; little endian), then RGB halves,
 * row 0 on top. value = half / scale; the scale puts the brightest value at 32768, so that the sun survives.
 */
export function encodeFloatPicture(image: RgbImage): Buffer {
  let max = 0;
  for (const v of image.data) if (v > max) max = v;
  const scale = max > 0 ? PEAK / max : 1;
  const out = Buffer.alloc(HEADER_BYTES + image.data.length * 2);
  out.writeUInt32LE(MAGIC, 0);
  out.writeUInt32LE(image.width, 4);
  out.writeUInt32LE(image.height, 8);
  out.writeFloatLE(scale, 12);
  const exact = out.readFloatLE(12);
  const halves = new Uint16Array(image.data.length);
  for (let i = 0; i < halves.length; i++) halves[i] = toHalf(Math.min(PEAK, image.data[i] * exact));
  Buffer.from(halves.buffer).copy(out, HEADER_BYTES);
  return out;
}

/** Inverse of `encodeFloatPicture`; what the numbers are its record says. @throws RangeError when the bytes are none */
export function decodeFloatPicture(bytes: Buffer, pixels: Pixels): RgbImage {
  if (bytes.length < HEADER_BYTES || bytes.readUInt32LE(0) !== MAGIC) throw new RangeError('not a float picture');
  const image = createImage(bytes.readUInt32LE(4), bytes.readUInt32LE(8), pixels);
  const inverse = 1 / bytes.readFloatLE(12);
  for (let i = 0; i < image.data.length; i++)
    image.data[i] = fromHalf(bytes.readUInt16LE(HEADER_BYTES + 2 * i)) * inverse;
  return image;
}
