import { deflateSync } from 'node:zlib';
import { exifTime, type WrittenTags } from './tags';
import { rec709Profile } from './iccWrite';
import { ascii, directory, long, opaque, rational, short, tiffFile, type Field } from './tiffFields';

const ROWS = 64;
const LINEAR = rec709Profile(1, 'Rec. 709 linear');

/** The Exif directory of our own cameras' files. */
export function exifFields(tags: WrittenTags): Field[] {
  const time = exifTime(tags.takenAt, tags.utcOffsetMinutes);
  return [
    rational(0x829a, [tags.shutterTag.numerator, tags.shutterTag.denominator]),
    rational(0x829d, [Math.round(tags.fNumberTag * 10), 10]),
    short(0x8827, tags.iso),
    ascii(0x9003, time.dateTime),
    ...(time.offset === null ? [] : [ascii(0x9011, time.offset)]),
    rational(0x920a, [Math.round(tags.focalLengthMm * 100), 100]),
    ascii(0x9291, time.subSeconds),
    ascii(0xa434, tags.lensModel),
  ];
}

/**
 * A 16-bit RGB TIFF 6.0 of linear Rec. 709, deflate, with an Exif directory and the profile that says so (left out with `profile` null).
 * libvips writes no EXIF into TIFF, hence this writer for the simulated cameras' linear files.
 */
export function encodeTiff16(
  codes: Uint16Array,
  width: number,
  height: number,
  tags: WrittenTags,
  profile: Buffer | null = LINEAR,
): Buffer {
  const strips: Buffer[] = [];
  for (let y = 0; y < height; y += ROWS) {
    const end = Math.min(height, y + ROWS);
    strips.push(
      deflateSync(Buffer.from(codes.buffer, codes.byteOffset + 6 * y * width, 6 * (end - y) * width), { level: 1 }),
    );
  }
  return tiffFile(strips, (offsets, counts, at) => {
    const exif = directory(exifFields(tags), at);
    const main = directory(
      [
        long(0x0100, width),
        long(0x0101, height),
        short(0x0102, 16, 16, 16),
        short(0x0103, 8),
        short(0x0106, 2),
        ascii(0x0110, tags.model),
        long(0x0111, ...offsets),
        short(0x0112, tags.orientation),
        short(0x0115, 3),
        long(0x0116, ROWS),
        long(0x0117, ...counts),
        short(0x011c, 1),
        ascii(0x0132, exifTime(tags.takenAt, tags.utcOffsetMinutes).dateTime),
        long(0x8769, at),
        ...(profile ? [opaque(0x8773, profile)] : []),
      ],
      at + exif.length,
    );
    return [exif, main];
  });
}

/** A 32-bit float RGB TIFF without compression, as developers of raw files write them; row 0 on top. */
export function encodeTiffFloat(data: Float32Array, width: number, height: number, tags: WrittenTags): Buffer {
  const pixels = Buffer.from(data.buffer, data.byteOffset, 4 * data.length);
  return tiffFile([pixels], (offsets, counts, at) => {
    const exif = directory(exifFields(tags), at);
    const main = directory(
      [
        long(0x0100, width),
        long(0x0101, height),
        short(0x0102, 32, 32, 32),
        short(0x0103, 1),
        short(0x0106, 2),
        ascii(0x0110, tags.model),
        long(0x0111, ...offsets),
        short(0x0112, tags.orientation),
        short(0x0115, 3),
        long(0x0116, height),
        long(0x0117, ...counts),
        short(0x011c, 1),
        short(0x0153, 3, 3, 3),
        long(0x8769, at),
      ],
      at + exif.length,
    );
    return [exif, main];
  });
}
