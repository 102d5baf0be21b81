import { exifTime, type WrittenTags } from './tags';
import { exifFields } from './tiff';
import { ascii, bytes, directory, long, rational, short, signedRational, tiffFile } from './tiffFields';

/** What a raw file says of its sensor. */
export interface DngSensor {
  /** Code of no light for the photosites of the 2 x 2 pattern: red, green, green, blue. */
  black: readonly [number, number, number, number];
  /** Code of a full well. */
  white: number;
  /** XYZ (D65) to camera, row by row. */
  colourMatrix: readonly number[];
  /** Camera values of a neutral as the camera's white balance saw it. */
  asShotNeutral: readonly [number, number, number];
}

const ratio = (v: number): [number, number] => [Math.round(v * 10000), 10000];

/**
 * A linear, uncompressed 16-bit DNG 1.4 (Adobe's published specification) of a sensor with red, green / green, blue photosites.
 * @param mosaic codes of the photosites row by row, width and height even
 */
export function encodeDng(
  mosaic: Uint16Array,
  width: number,
  height: number,
  sensor: DngSensor,
  tags: WrittenTags,
): Buffer {
  const pixels = Buffer.from(mosaic.buffer, mosaic.byteOffset, 2 * mosaic.length);
  return tiffFile([pixels], (offsets, counts, at) => {
    const exif = directory(exifFields(tags), at);
    const main = directory(
      [
        long(0x00fe, 0),
        long(0x0100, width),
        long(0x0101, height),
        short(0x0102, 16),
        short(0x0103, 1),
        short(0x0106, 32803),
        ascii(0x010f, tags.model.split(' ')[0]),
        ascii(0x0110, tags.model),
        long(0x0111, ...offsets),
        short(0x0112, tags.orientation),
        short(0x0115, 1),
        long(0x0116, height),
        long(0x0117, ...counts),
        short(0x011c, 1),
        ascii(0x0132, exifTime(tags.takenAt, tags.utcOffsetMinutes).dateTime),
        short(0x828d, 2, 2),
        bytes(0x828e, 0, 1, 1, 2),
        long(0x8769, at),
        bytes(0xc612, 1, 4, 0, 0),
        bytes(0xc613, 1, 1, 0, 0),
        ascii(0xc614, tags.model),
        short(0xc619, 2, 2),
        short(0xc61a, ...sensor.black),
        long(0xc61d, sensor.white),
        signedRational(0xc621, ...sensor.colourMatrix.map(ratio)),
        rational(0xc628, ...sensor.asShotNeutral.map(ratio)),
        short(0xc65a, 21),
      ],
      at + exif.length,
    );
    return [exif, main];
  });
}
