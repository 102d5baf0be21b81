import fs from 'node:fs/promises';
import { promisify } from 'node:util';
import { inflate } from 'node:zlib';
import { createImage, type Pixels, type RgbImage } from '@tawny/core';
import { FileProblem } from '../errors';
import { fromHalf } from './half';

const inflateAsync = promisify(inflate);
const ROWS_PER_BLOCK = 16;
const HEADER_BYTES = 65536;

interface Layout {
  width: number;
  height: number;
  bytesPerSample: 2 | 4;
  /** Where each block of 16 rows begins. */
  offsets: number[];
}

/**
 * A window of a panorama that we wrote (scanlines, ZIP, channels B G R), read without the rest of the file.
 * @throws FileProblem naming the file when it is laid out otherwise, RangeError when the window lies outside
 */
export async function readExrWindow(
  path: string,
  name: string,
  window: { x: number; y: number; width: number; height: number },
  pixels: Pixels,
): Promise<RgbImage> {
  const file = await fs.open(path, 'r');
  try {
    const layout = await readLayout(file, name);
    const { x, y, width, height } = window;
    if (!(x >= 0 && y >= 0 && width > 0 && height > 0 && x + width <= layout.width && y + height <= layout.height))
      throw new RangeError(
        `the window ${width} x ${height} at ${x}, ${y} lies outside the picture of ${layout.width} x ${layout.height} pixels`,
      );
    const out = createImage(width, height, pixels);
    const first = Math.floor(y / ROWS_PER_BLOCK);
    const last = Math.floor((y + height - 1) / ROWS_PER_BLOCK);
    await Promise.all(
      Array.from({ length: last - first + 1 }, (_, k) => copyBlock(file, layout, first + k, window, out)),
    );
    return out;
  } finally {
    await file.close();
  }
}

async function readLayout(file: fs.FileHandle, name: string): Promise<Layout> {
  const head = Buffer.alloc(HEADER_BYTES);
  const { bytesRead } = await file.read(head, 0, HEADER_BYTES, 0);
  const refuse = (why: string) => new FileProblem('unsupported', name, `is not an OpenEXR panorama of ours (${why})`);
  if (bytesRead < 16 || head.readUInt32LE(0) !== 0x01312f76) throw refuse('no such file head');
  const attributes = new Map<string, Buffer>();
  let at = 8;
  const text = () => {
    const end = head.indexOf(0, at);
    if (end < 0 || end >= bytesRead) throw refuse('its header breaks off');
    const found = head.toString('latin1', at, end);
    at = end + 1;
    return found;
  };
  for (let key = text(); key !== ''; key = text()) {
    text();
    const size = head.readInt32LE(at);
    attributes.set(key, head.subarray(at + 4, at + 4 + size));
    at += 4 + size;
    if (at >= bytesRead) throw refuse('its header breaks off');
  }
  const box = attributes.get('dataWindow');
  const channels = attributes.get('channels');
  if (!box || !channels || attributes.get('compression')?.[0] !== 3) throw refuse('not ZIP scanlines');
  if (channels.length !== 3 * 18 + 1 || channels.toString('latin1', 0, 1) !== 'B')
    throw refuse('other channels than B G R');
  const width = box.readInt32LE(8) - box.readInt32LE(0) + 1;
  const height = box.readInt32LE(12) - box.readInt32LE(4) + 1;
  const blocks = Math.ceil(height / ROWS_PER_BLOCK);
  const table = Buffer.alloc(8 * blocks);
  await file.read(table, 0, table.length, at);
  return {
    width,
    height,
    bytesPerSample: channels.readInt32LE(2) === 1 ? 2 : 4,
    offsets: Array.from({ length: blocks }, (_, i) => Number(table.readBigUInt64LE(8 * i))),
  };
}

async function copyBlock(
  file: fs.FileHandle,
  layout: Layout,
  index: number,
  window: { x: number; y: number; width: number; height: number },
  out: RgbImage,
): Promise<void> {
  const head = Buffer.alloc(8);
  await file.read(head, 0, 8, layout.offsets[index]);
  const body = Buffer.alloc(head.readInt32LE(4));
  await file.read(body, 0, body.length, layout.offsets[index] + 8);
  const { width, bytesPerSample } = layout;
  const y0 = index * ROWS_PER_BLOCK;
  const rows = Math.min(ROWS_PER_BLOCK, layout.height - y0);
  const size = rows * width * 3 * bytesPerSample;
  const raw = body.length === size ? body : restore(await inflateAsync(body));
  const view = new DataView(raw.buffer, raw.byteOffset, raw.length);
  for (let y = Math.max(y0, window.y); y < Math.min(y0 + rows, window.y + window.height); y++) {
    for (let c = 0; c < 3; c++) {
      // Channels stand in the order B G R.
      const from = ((y - y0) * 3 + (2 - c)) * width + window.x;
      for (let x = 0; x < window.width; x++) {
        const at = (from + x) * bytesPerSample;
        out.data[3 * ((y - window.y) * window.width + x) + c] =
          bytesPerSample === 2 ? fromHalf(view.getUint16(at, true)) : view.getFloat32(at, true);
      }
    }
  }
}

/** Undoes OpenEXR's ZIP preparation: differences, then even and odd bytes apart. */
function restore(packed: Buffer): Buffer {
  for (let i = 1; i < packed.length; i++) packed[i] = (packed[i - 1] + packed[i] - 128) & 255;
  const out = Buffer.alloc(packed.length);
  const half = (packed.length + 1) >> 1;
  for (let i = 0; i < half; i++) {
    out[2 * i] = packed[i];
    if (2 * i + 1 < packed.length) out[2 * i + 1] = packed[half + i];
  }
  return out;
}
