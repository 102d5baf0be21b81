import { deflateSync } from 'node:zlib';
import { exifTime, type WrittenTags } from './tags';

/** TIFF field types. */
const ASCII = 2;
const SHORT = 3;
const LONG = 4;
const RATIONAL = 5;

interface Field {
  tag: number;
  type: number;
  count: number;
  bytes: Buffer;
}

const ascii = (tag: number, v: string): Field => {
  const bytes = Buffer.from(`${v}\0`, 'latin1');
  return { tag, type: ASCII, count: bytes.length, bytes };
};
const short = (tag: number, ...v: number[]): Field => {
  const bytes = Buffer.alloc(2 * v.length);
  v.forEach((x, i) => bytes.writeUInt16LE(x, 2 * i));
  return { tag, type: SHORT, count: v.length, bytes };
};
const long = (tag: number, ...v: number[]): Field => {
  const bytes = Buffer.alloc(4 * v.length);
  v.forEach((x, i) => bytes.writeUInt32LE(x, 4 * i));
  return { tag, type: LONG, count: v.length, bytes };
};
const rational = (tag: number, numerator: number, denominator: number): Field => {
  const bytes = Buffer.alloc(8);
  bytes.writeUInt32LE(numerator, 0);
  bytes.writeUInt32LE(denominator, 4);
  return { tag, type: RATIONAL, count: 1, bytes };
};

function directory(fields: Field[], at: number): Buffer {
  const sorted = [...fields].sort((a, b) => a.tag - b.tag);
  const head = Buffer.alloc(2 + 12 * sorted.length + 4);
  head.writeUInt16LE(sorted.length, 0);
  const tail: Buffer[] = [];
  let next = at + head.length;
  sorted.forEach((f, i) => {
    const o = 2 + 12 * i;
    head.writeUInt16LE(f.tag, o);
    head.writeUInt16LE(f.type, o + 2);
    head.writeUInt32LE(f.count, o + 4);
    if (f.bytes.length <= 4) f.bytes.copy(head, o + 8);
    else {
      head.writeUInt32LE(next, o + 8);
      const padded = f.bytes.length % 2 ? Buffer.concat([f.bytes, Buffer.alloc(1)]) : f.bytes;
      tail.push(padded);
      next += padded.length;
    }
  });
  return Buffer.concat([head, ...tail]);
}

/**
 * A 16-bit RGB TIFF 6.0, deflate, with an Exif directory. libvips writes no EXIF into TIFF, hence this writer
 * for the simulated cameras' linear files.
 */
export function encodeTiff16(codes: Uint16Array, width: number, height: number, tags: WrittenTags): Buffer {
  const rows = 64;
  const strips: Buffer[] = [];
  for (let y = 0; y < height; y += rows) {
    const end = Math.min(height, y + rows);
    strips.push(deflateSync(Buffer.from(codes.buffer, codes.byteOffset + 6 * y * width, 6 * (end - y) * width), { level: 1 }));
  }
  let at = 8;
  const offsets = strips.map((s) => {
    const o = at;
    at += s.length + (s.length % 2);
    return o;
  });
  const time = exifTime(tags.takenAt, tags.utcOffsetMinutes);
  const exif = directory(
    [
      rational(0x829a, tags.shutterTag.numerator, tags.shutterTag.denominator),
      rational(0x829d, Math.round(tags.fNumberTag * 10), 10),
      short(0x8827, tags.iso),
      ascii(0x9003, time.dateTime),
      ascii(0x9011, time.offset),
      rational(0x920a, Math.round(tags.focalLengthMm * 100), 100),
      ascii(0x9291, time.subSeconds),
      ascii(0xa434, tags.lensModel),
    ],
    at,
  );
  const main = directory(
    [
      long(0x0100, width), long(0x0101, height), short(0x0102, 16, 16, 16), short(0x0103, 8), short(0x0106, 2),
      ascii(0x0110, tags.model), long(0x0111, ...offsets), short(0x0112, tags.orientation), short(0x0115, 3), long(0x0116, rows),
      long(0x0117, ...strips.map((s) => s.length)), short(0x011c, 1), ascii(0x0132, time.dateTime), long(0x8769, at),
    ],
    at + exif.length,
  );
  const head = Buffer.from([0x49, 0x49, 42, 0, 0, 0, 0, 0]);
  head.writeUInt32LE(at + exif.length, 4);
  return Buffer.concat([head, ...strips.flatMap((s) => (s.length % 2 ? [s, Buffer.alloc(1)] : [s])), exif, main]);
}
