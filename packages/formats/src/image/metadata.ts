import exifr from 'exifr';
import { exactFNumber, exactShutterSeconds } from '@tawny/core';

/** What a camera wrote into a file. Raw tags and the exact values that they stand for; null where the file says nothing. */
export interface ImageMetadata {
  /** Instant on the camera's clock in UTC when the file states its offset, else read as if the clock ran in UTC. */
  takenAtMs: number | null;
  hasUtcOffset: boolean;
  shutterS: number | null;
  shutterTagS: number | null;
  fNumber: number | null;
  fNumberTag: number | null;
  iso: number | null;
  focalLengthMm: number | null;
  /** Stated equivalent on 36 mm of film: never a focal length. */
  focal35Mm: number | null;
  /** Digital zoom; 1 is none. */
  digitalZoom: number | null;
  /** EXIF orientation, 1 when the file is silent. */
  orientation: number;
  cameraModel: string | null;
  lensModel: string | null;
  /** Camera values of a neutral as the camera's own white balance saw it; recorded, never applied. */
  asShotNeutral: readonly [number, number, number] | null;
  /** XYZ (D65) to the camera's own values, row by row, as raw files state it. */
  cameraMatrix: readonly number[] | null;
  /** Exif's colour space: sRGB, or the optional one of DCF; null when it states none. */
  colourSpace: 'srgb' | 'dcfOptional' | null;
  /** Where the camera looked, when the file says so (GPano pose of its XMP): degrees, heading from true north. */
  attitude: { headingDeg: number; tiltDeg: number; rollDeg: number } | null;
  /** Bearing along which the camera's own compass says that it looked (Exif's direction of the image), and by whose north; null where it names none. */
  compass: { bearingDeg: number; north: 'true' | 'magnetic' } | null;
}

/** A file that says nothing. */
export const EMPTY_METADATA: ImageMetadata = {
  takenAtMs: null,
  hasUtcOffset: false,
  shutterS: null,
  shutterTagS: null,
  fNumber: null,
  fNumberTag: null,
  iso: null,
  focalLengthMm: null,
  focal35Mm: null,
  digitalZoom: null,
  orientation: 1,
  cameraModel: null,
  lensModel: null,
  asShotNeutral: null,
  cameraMatrix: null,
  colourSpace: null,
  attitude: null,
  compass: null,
};

const positive = (v: unknown) => (typeof v === 'number' && Number.isFinite(v) && v > 0 ? v : null);
const text = (v: unknown) => (typeof v === 'string' && v.trim() !== '' ? v.replace(/\0/g, '').trim() : null);

/** Reads EXIF of a JPEG, PNG or TIFF. Files without any give nulls, never invented values. */
export async function readMetadata(bytes: Uint8Array): Promise<ImageMetadata> {
  let tags: Record<string, unknown> | undefined;
  try {
    tags = await exifr.parse(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength), {
      reviveValues: false,
      gps: { pick: ['GPSImgDirection', 'GPSImgDirectionRef'] },
      interop: true,
      translateValues: false,
      xmp: true,
    });
  } catch {
    // exifr throws on formats and blocks that it does not know: for us that is a picture without metadata.
    return EMPTY_METADATA;
  }
  if (!tags) return EMPTY_METADATA;
  const shutterTagS = positive(tags.ExposureTime);
  const fNumberTag = positive(tags.FNumber);
  const iso = Array.isArray(tags.ISO) ? tags.ISO[0] : (tags.ISO ?? tags.PhotographicSensitivity);
  const offset = text(tags.OffsetTimeOriginal) ?? text(tags.OffsetTime);
  return {
    takenAtMs: instant(text(tags.DateTimeOriginal), text(tags.SubSecTimeOriginal), offset),
    hasUtcOffset: offset !== null,
    shutterS: shutterTagS === null ? null : exactShutterSeconds(shutterTagS),
    shutterTagS,
    fNumber: fNumberTag === null ? null : exactFNumber(fNumberTag),
    fNumberTag,
    iso: positive(iso),
    focalLengthMm: positive(tags.FocalLength),
    focal35Mm: positive(tags.FocalLengthIn35mmFormat),
    digitalZoom: positive(tags.DigitalZoomRatio),
    orientation:
      typeof tags.Orientation === 'number' && tags.Orientation >= 1 && tags.Orientation <= 8 ? tags.Orientation : 1,
    cameraModel: text(tags.Model),
    lensModel: text(tags.LensModel),
    asShotNeutral: neutral(tags.AsShotNeutral),
    // The second is the one under daylight where a file has two.
    cameraMatrix: nine(tags.ColorMatrix2) ?? nine(tags.ColorMatrix1),
    colourSpace: tags.ColorSpace === 1 ? 'srgb' : text(tags.InteropIndex) === 'R03' ? 'dcfOptional' : null,
    attitude: pose(tags),
    compass: compass(tags),
  };
}

function nine(v: unknown): number[] | null {
  const values = v instanceof Object && 'length' in v ? Array.from(v as ArrayLike<number>) : [];
  return values.length === 9 && values.every(Number.isFinite) ? values : null;
}

function neutral(v: unknown): ImageMetadata['asShotNeutral'] {
  const values = v instanceof Object && 'length' in v ? Array.from(v as ArrayLike<number>) : [];
  return values.length === 3 && values.every((x) => x > 0) ? [values[0], values[1], values[2]] : null;
}

function compass({ GPSImgDirection, GPSImgDirectionRef }: Record<string, unknown>): ImageMetadata['compass'] {
  const north = ({ T: 'true', M: 'magnetic' } as const)[text(GPSImgDirectionRef) ?? ''];
  const told = typeof GPSImgDirection === 'number' && GPSImgDirection >= 0 && GPSImgDirection <= 360;
  return north && told ? { bearingDeg: GPSImgDirection, north } : null;
}

function pose(tags: Record<string, unknown>): ImageMetadata['attitude'] {
  const angle = (v: unknown) => (v === undefined || v === null || v === '' ? NaN : Number(v));
  const [headingDeg, tiltDeg, rollDeg] = [
    angle(tags.PoseHeadingDegrees),
    angle(tags.PosePitchDegrees),
    angle(tags.PoseRollDegrees),
  ];
  if (!(headingDeg >= 0 && headingDeg <= 360)) return null;
  return {
    headingDeg,
    tiltDeg: Math.abs(tiltDeg) <= 90 ? tiltDeg : 0,
    rollDeg: Math.abs(rollDeg) <= 180 ? rollDeg : 0,
  };
}

function instant(dateTime: string | null, subSeconds: string | null, offset: string | null): number | null {
  const m = dateTime?.match(/^(\d{4})[:-](\d{2})[:-](\d{2})[ T](\d{2}):(\d{2}):(\d{2})/);
  if (!m) return null;
  const zone = offset && /^[+-]\d{2}:\d{2}$/.test(offset) ? offset : 'Z';
  const ms = Date.parse(`${m[1]}-${m[2]}-${m[3]}T${m[4]}:${m[5]}:${m[6]}${zone}`);
  if (Number.isNaN(ms)) return null;
  const fraction = subSeconds && /^\d+$/.test(subSeconds) ? Number(`0.${subSeconds}`) * 1000 : 0;
  return ms + fraction;
}
