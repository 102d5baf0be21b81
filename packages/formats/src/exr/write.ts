import { promisify } from 'node:util';
import { deflate } from 'node:zlib';
import { WORKING_SPACES, type RgbImage, type WorkingSpace } from '@tawny/core';
import { encodeAttributes, type PanoramaAttributes } from './attributes';
import { HALF_LIMIT, toHalf } from './half';

const deflateAsync = promisify(deflate);
export const ROWS_PER_BLOCK = 16;

export type PixelType = 'half' | 'float';

/**
 * Writes an OpenEXR scanline file, ZIP compressed, channels B G R.
 * Half only while every value is below 32768 (CONVENTIONS.md section 6), else float, unless `pixelType` says otherwise.
 * @throws RangeError on NaN or infinite values, and when half is demanded for values that it cannot hold
 */
export async function writeExr(
  image: RgbImage,
  attributes: PanoramaAttributes = {},
  pixelType?: PixelType,
): Promise<Buffer> {
  const { width, height, data } = image;
  let max = 0;
  for (let i = 0; i < data.length; i++) {
    const v = data[i];
    if (!Number.isFinite(v)) throw new RangeError(`value ${v} at pixel ${(i / 3) | 0} cannot be written`);
    if (v > max) max = v;
    else if (-v > max) max = -v;
  }
  const type = pixelType ?? (max < HALF_LIMIT ? 'half' : 'float');
  if (type === 'half' && max > 65504) throw new RangeError(`half cannot hold ${max}`);
  const header = exrHeader(width, height, inSpaceOf(attributes, image.space), type);
  const blocks: Promise<Buffer>[] = [];
  for (let y = 0; y < height; y += ROWS_PER_BLOCK) {
    blocks.push(
      exrBlock(data.subarray(3 * y * width, 3 * Math.min(height, y + ROWS_PER_BLOCK) * width), width, y, type),
    );
  }
  const done = await Promise.all(blocks);
  const table = Buffer.alloc(8 * done.length);
  let offset = header.length + table.length;
  done.forEach((b, i) => {
    table.writeBigUInt64LE(BigInt(offset), 8 * i);
    offset += b.length;
  });
  return Buffer.concat([header, table, ...done]);
}

/** Attributes of pixels of a working space: every file states its primaries. */
export const inSpaceOf = (attributes: PanoramaAttributes, space: WorkingSpace): PanoramaAttributes => ({
  ...attributes,
  chromaticities: WORKING_SPACES[space].chromaticities,
});

/** Everything before the table of offsets. */
export function exrHeader(width: number, height: number, attributes: PanoramaAttributes, type: PixelType): Buffer {
  const head: Buffer[] = [Buffer.from([0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0])];
  const attribute = (name: string, kind: string, bytes: Buffer) => {
    const size = Buffer.alloc(4);
    size.writeInt32LE(bytes.length);
    head.push(Buffer.from(`${name}\0${kind}\0`, 'latin1'), size, bytes);
  };
  const channels = Buffer.concat([
    ...['B', 'G', 'R'].map((name) => {
      const b = Buffer.alloc(18);
      b.write(name, 0, 'latin1');
      b.writeInt32LE(type === 'half' ? 1 : 2, 2);
      b.writeInt32LE(1, 10);
      b.writeInt32LE(1, 14);
      return b;
    }),
    Buffer.from([0]),
  ]);
  const box = Buffer.alloc(16);
  box.writeInt32LE(width - 1, 8);
  box.writeInt32LE(height - 1, 12);
  const one = Buffer.alloc(4);
  one.writeFloatLE(1);
  attribute('channels', 'chlist', channels);
  attribute('compression', 'compression', Buffer.from([3]));
  attribute('dataWindow', 'box2i', box);
  attribute('displayWindow', 'box2i', box);
  attribute('lineOrder', 'lineOrder', Buffer.from([0]));
  attribute('pixelAspectRatio', 'float', one);
  attribute('screenWindowCenter', 'v2f', Buffer.alloc(8));
  attribute('screenWindowWidth', 'float', one);
  for (const { name, value } of encodeAttributes(attributes)) attribute(name, value.type, value.bytes);
  head.push(Buffer.from([0]));
  return Buffer.concat(head);
}

/** One block of at most `ROWS_PER_BLOCK` rows with its own head; `rows` holds just them. */
export async function exrBlock(rows: Float32Array, width: number, y0: number, type: PixelType): Promise<Buffer> {
  const bytesPerSample = type === 'half' ? 2 : 4;
  const raw = Buffer.alloc(rows.length * bytesPerSample);
  const view = new DataView(raw.buffer, raw.byteOffset, raw.length);
  let at = 0;
  for (let y = 0; y < rows.length / (3 * width); y++) {
    for (let c = 2; c >= 0; c--) {
      for (let x = 0, i = 3 * y * width + c; x < width; x++, i += 3, at += bytesPerSample) {
        if (bytesPerSample === 2) view.setUint16(at, toHalf(rows[i]), true);
        else view.setFloat32(at, rows[i], true);
      }
    }
  }
  const packed = await deflateAsync(predict(raw), { level: 2 });
  const body = packed.length < raw.length ? packed : raw;
  const head = Buffer.alloc(8);
  head.writeInt32LE(y0, 0);
  head.writeInt32LE(body.length, 4);
  return Buffer.concat([head, body]);
}

/** OpenEXR's ZIP preparation: even bytes first, odd bytes after, then differences. */
function predict(raw: Buffer): Buffer {
  const out = Buffer.alloc(raw.length);
  const half = (raw.length + 1) >> 1;
  for (let i = 0, a = 0, b = half; i < raw.length; i += 2) {
    out[a++] = raw[i];
    if (i + 1 < raw.length) out[b++] = raw[i + 1];
  }
  let previous = out[0];
  for (let i = 1; i < out.length; i++) {
    const current = out[i];
    out[i] = (current - previous + 384) & 255;
    previous = current;
  }
  return out;
}
