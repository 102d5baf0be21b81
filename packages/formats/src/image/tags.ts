/** Metadata that our own cameras write into their files. */
export interface WrittenTags {
  model: string;
  lensModel: string;
  /** Engraved values, as a camera writes them. */
  shutterTag: { numerator: number; denominator: number };
  fNumberTag: number;
  iso: number;
  focalLengthMm: number;
  takenAt: Date;
  /** Camera clock's offset, minutes east of UTC; null for a camera that does not write one: `takenAt` is then what its clock shows, as if in UTC. */
  utcOffsetMinutes: number | null;
  /** EXIF orientation of the stored pixels, 1 to 8. */
  orientation: number;
}

const two = (n: number) => String(n).padStart(2, '0');

/** `DateTimeOriginal`, `SubSecTimeOriginal` and `OffsetTimeOriginal` (null when it is not written) of an instant. */
export function exifTime(at: Date, utcOffsetMinutes: number | null) {
  const east = utcOffsetMinutes ?? 0;
  const local = new Date(at.getTime() + east * 60000);
  const sign = east < 0 ? '-' : '+';
  const minutes = Math.abs(east);
  return {
    dateTime: `${local.getUTCFullYear()}:${two(local.getUTCMonth() + 1)}:${two(local.getUTCDate())} ${two(local.getUTCHours())}:${two(local.getUTCMinutes())}:${two(local.getUTCSeconds())}`,
    subSeconds: String(local.getUTCMilliseconds()).padStart(3, '0'),
    offset: utcOffsetMinutes === null ? null : `${sign}${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`,
  };
}
