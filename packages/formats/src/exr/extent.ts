import { inflateSync } from 'node:zlib';
import { FileProblem } from '../errors';
import { walkHeader } from './attributes';

const LINES: Record<number, number> = { 0: 1, 1: 1, 2: 1, 3: 16, 4: 32, 5: 16, 6: 32, 7: 32, 8: 32, 9: 256 };
const ZLIB = new Set([2, 3]);
const FLAG = { deep: 0x800, parts: 0x1000 };

/** What of a header says how the pixels are cut into chunks. */
interface Cut {
  /** Offset of the chunk table: just after the header. */
  table: number;
  compression: number;
  top: number;
  width: number;
  height: number;
  /** Bytes of one row of all channels, uncompressed; null where channels are thinned out. */
  rowBytes: number | null;
  tile: { width: number; height: number; mode: number } | null;
}

function cutOf(bytes: Uint8Array): Cut {
  const { known, end } = walkHeader(bytes);
  const of = (name: string, least: number): Buffer => {
    const found = known.get(name)?.bytes;
    if (!found || found.length < least) throw new RangeError(`the OpenEXR header states no ${name}`);
    return found;
  };
  const window = of('dataWindow', 16);
  const [left, top, right, bottom] = [0, 4, 8, 12].map((at) => window.readInt32LE(at));
  const channels = of('channels', 1);
  let pixelBytes: number | null = 0;
  for (let at = 0; at < channels.length && channels[at] !== 0;) {
    at = channels.indexOf(0, at) + 1;
    if (at === 0 || at + 16 > channels.length) throw new RangeError('the OpenEXR header is damaged');
    const thinned = channels.readInt32LE(at + 8) !== 1 || channels.readInt32LE(at + 12) !== 1;
    pixelBytes = thinned || pixelBytes === null ? null : pixelBytes + (channels.readInt32LE(at) === 1 ? 2 : 4);
    at += 16;
  }
  const tiles = known.get('tiles')?.bytes;
  const tiled = (bytes[5] & 0x02) !== 0 && tiles !== undefined && tiles.length >= 9;
  const width = right - left + 1;
  return {
    table: end,
    compression: of('compression', 1)[0],
    top,
    width,
    height: bottom - top + 1,
    rowBytes: pixelBytes === null ? null : pixelBytes * width,
    tile: tiled ? { width: tiles.readUInt32LE(0), height: tiles.readUInt32LE(4), mode: tiles[8] & 0x0f } : null,
  };
}

/**
 * Holds the chunk table of a one-part OpenEXR file against its bytes: every chunk is there, whole, and where it should be; packed ones
 * unpack by their checksum to as many bytes as their rows have. Files in several parts, and levels beyond the first, are left to the decoder.
 * @throws FileProblem naming the file, RangeError on a damaged header
 */
export function assertWholeExr(bytes: Uint8Array, name: string): void {
  const b = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const damaged = (why: string) => new FileProblem('damaged-image', name, `${why}; copy it again`);
  const flags = b.readUInt32LE(4);
  if (flags & (FLAG.parts | FLAG.deep)) return;
  const cut = cutOf(bytes);
  const { tile, compression, width, height } = cut;
  if (tile && tile.mode !== 0) return;
  const lines = LINES[compression];
  if (lines === undefined) throw damaged(`has a compression (${compression}) that is not known`);
  const across = tile ? Math.ceil(width / tile.width) : 1;
  const count = across * Math.ceil(height / (tile ? tile.height : lines));
  if (!(count > 0) || cut.table + 8 * count > b.length) throw damaged('breaks off in its header');
  const headBytes = tile ? 20 : 8;
  for (let i = 0; i < count; i++) {
    const at = Number(b.readBigUInt64LE(cut.table + 8 * i));
    if (!(at >= cut.table + 8 * count) || at + headBytes > b.length)
      throw damaged(`breaks off after ${i} of ${count} blocks`);
    const size = b.readInt32LE(at + headBytes - 4);
    if (!(size >= 0) || at + headBytes + size > b.length) throw damaged(`breaks off after ${i} of ${count} blocks`);
    if (tile) continue;
    if (b.readInt32LE(at) !== cut.top + i * lines) throw damaged(`is damaged in block ${i}`);
    if (cut.rowBytes === null) continue;
    const full = cut.rowBytes * Math.min(lines, height - i * lines);
    if (size > full || (compression === 0 && size !== full)) throw damaged(`is damaged in block ${i}`);
    // A block that packing would not shrink is stored as it is.
    if (!ZLIB.has(compression) || size === full) continue;
    let unpacked: number;
    try {
      unpacked = inflateSync(b.subarray(at + headBytes, at + headBytes + size), { maxOutputLength: full + 1 }).length;
    } catch {
      throw damaged(`is damaged in block ${i}`);
    }
    if (unpacked !== full) throw damaged(`is damaged in block ${i}`);
  }
}
