import sharp from 'sharp';
import { exifTime, type WrittenTags } from './tags';

/** EXIF blocks in the shape that sharp writes: values are strings, IFD0 the main block, IFD2 the camera block. */
function exifBlocks(tags: WrittenTags) {
  const time = exifTime(tags.takenAt, tags.utcOffsetMinutes);
  return {
    IFD0: { Model: tags.model, DateTime: time.dateTime, Orientation: String(tags.orientation) },
    IFD2: {
      ExposureTime: `${tags.shutterTag.numerator}/${tags.shutterTag.denominator}`,
      FNumber: `${Math.round(tags.fNumberTag * 10)}/10`,
      ISOSpeedRatings: String(tags.iso),
      FocalLength: `${Math.round(tags.focalLengthMm * 100)}/100`,
      LensModel: tags.lensModel,
      ColorSpace: '1',
      DateTimeOriginal: time.dateTime,
      SubSecTimeOriginal: time.subSeconds,
      ...(time.offset === null ? {} : { OffsetTimeOriginal: time.offset }),
    },
  };
}

/** An 8-bit JPEG of interleaved RGB codes with EXIF; full chroma unless said otherwise. */
export async function encodeJpeg(
  codes: Uint8Array,
  width: number,
  height: number,
  tags?: WrittenTags,
  quality = 95,
  chromaSubsampling: '4:4:4' | '4:2:0' = '4:4:4',
): Promise<Buffer> {
  const picture = sharp(codes, { raw: { width, height, channels: 3 } }).jpeg({ quality, chromaSubsampling });
  if (!tags) return picture.toBuffer();
  // sharp drops the orientation when it writes EXIF itself; withMetadata puts it back.
  return picture
    .withExif(exifBlocks(tags))
    .withMetadata({ orientation: tags.orientation })
    .withExifMerge(exifBlocks(tags))
    .toBuffer();
}

/** An 8-bit PNG without metadata, for display. */
export async function encodePng(codes: Uint8Array, width: number, height: number): Promise<Buffer> {
  return sharp(codes, { raw: { width, height, channels: 3 } })
    .png()
    .toBuffer();
}
