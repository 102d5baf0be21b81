/** Attributes of CONVENTIONS.md section 6 and our own; only what applies is written. */
export interface PanoramaAttributes {
  /** CIE xy of red, green, blue, white. */
  chromaticities?: readonly number[];
  /** cd/m2 per unit of luminance; only when absolute. */
  whiteLuminance?: number;
  latlong?: boolean;
  longitudeDeg?: number;
  latitudeDeg?: number;
  altitudeM?: number;
  /** Local time `YYYY:MM:DD hh:mm:ss`. */
  capDate?: string;
  /** Seconds, UTC = local + utcOffset. */
  utcOffsetS?: number;
  focusM?: number;
  aperture?: number;
  owner?: string;
  comments?: string;
  /** Solid angle of light that no frame held, sr: known by the builder (`tawnyClippedSr`). */
  clippedSr?: number;
  /** 1 when azimuth 0 of the picture is true north (`tawnyNorthAligned`). */
  northAligned?: boolean;
}

/** What cameras and conversions write into the headers of plate frames, beside the above. Read only: merged files leave exposure out. */
export interface PlateAttributes {
  expTimeS?: number;
  isoSpeed?: number;
  nominalFocalLengthMm?: number;
  framesPerSecond?: number;
  /** Of the display window: the picture. */
  widthPx?: number;
  heightPx?: number;
  /** Where the pixels that the file holds stand in it. */
  dataWindow?: PixelWindow;
}

export interface PixelWindow {
  left: number;
  top: number;
  width: number;
  height: number;
}

type Value = { type: string; bytes: Buffer };

const float = (v: number): Value => {
  const bytes = Buffer.alloc(4);
  bytes.writeFloatLE(v);
  return { type: 'float', bytes };
};
const text = (v: string): Value => ({ type: 'string', bytes: Buffer.from(v, 'utf8') });

/** Name, type and bytes of every attribute that is set, in a stable order. */
export function encodeAttributes(a: PanoramaAttributes): { name: string; value: Value }[] {
  const out: { name: string; value: Value }[] = [];
  const put = (name: string, value: Value | undefined) => value && out.push({ name, value });
  if (a.chromaticities) {
    const bytes = Buffer.alloc(32);
    a.chromaticities.forEach((v, i) => bytes.writeFloatLE(v, 4 * i));
    put('chromaticities', { type: 'chromaticities', bytes });
  }
  const number = (v: number | undefined) => (v === undefined ? undefined : float(v));
  const string = (v: string | undefined) => (v === undefined ? undefined : text(v));
  put('whiteLuminance', number(a.whiteLuminance));
  if (a.latlong) put('envmap', { type: 'envmap', bytes: Buffer.from([0]) });
  put('longitude', number(a.longitudeDeg));
  put('latitude', number(a.latitudeDeg));
  put('altitude', number(a.altitudeM));
  put('capDate', string(a.capDate));
  put('utcOffset', number(a.utcOffsetS));
  put('focus', number(a.focusM));
  put('aperture', number(a.aperture));
  put('owner', string(a.owner));
  put('comments', string(a.comments));
  put('tawnyClippedSr', number(a.clippedSr));
  if (a.northAligned !== undefined) {
    const bytes = Buffer.alloc(4);
    bytes.writeInt32LE(a.northAligned ? 1 : 0);
    put('tawnyNorthAligned', { type: 'int', bytes });
  }
  return out;
}

/** Every attribute of a header as its bytes, and where the header ends. @throws RangeError on a damaged header */
export function walkHeader(file: Uint8Array): { known: Map<string, Value>; end: number } {
  const b = Buffer.from(file.buffer, file.byteOffset, file.byteLength);
  const known = new Map<string, Value>();
  const damaged = () => new RangeError('the OpenEXR header is damaged');
  let at = 8;
  const string = () => {
    const end = b.indexOf(0, at);
    if (end < 0 || end - at > 255) throw damaged();
    const s = b.toString('latin1', at, end);
    at = end + 1;
    return s;
  };
  for (let name = string(); name !== ''; name = string()) {
    const type = string();
    if (at + 4 > b.length) throw damaged();
    const size = b.readInt32LE(at);
    at += 4;
    if (size < 0 || at + size > b.length) throw damaged();
    known.set(name, { type, bytes: b.subarray(at, at + size) });
    at += size;
  }
  return { known, end: at };
}

/** Reads the attribute table of an OpenEXR header. Unknown types are skipped by their size. @throws RangeError on a damaged header */
export function readAttributes(file: Uint8Array): PanoramaAttributes & PlateAttributes & { compression?: string } {
  const { known } = walkHeader(file);
  const number = (name: string) => {
    const v = known.get(name);
    return v?.type === 'float' ? v.bytes.readFloatLE() : undefined;
  };
  const words = (name: string) => {
    const v = known.get(name);
    return v?.type === 'string' ? v.bytes.toString('utf8') : undefined;
  };
  const chroma = known.get('chromaticities');
  const aligned = known.get('tawnyNorthAligned');
  const compression = known.get('compression');
  const rate = known.get('framesPerSecond');
  const data = boxOf(known.get('dataWindow'));
  // A file without a display window shows what it holds.
  const display = boxOf(known.get('displayWindow')) ?? data;
  return {
    chromaticities: chroma ? Array.from({ length: 8 }, (_, i) => chroma.bytes.readFloatLE(4 * i)) : undefined,
    whiteLuminance: number('whiteLuminance'),
    latlong: known.get('envmap')?.bytes[0] === 0 ? true : undefined,
    longitudeDeg: number('longitude'),
    latitudeDeg: number('latitude'),
    altitudeM: number('altitude'),
    capDate: words('capDate'),
    utcOffsetS: number('utcOffset'),
    focusM: number('focus'),
    aperture: number('aperture'),
    owner: words('owner'),
    comments: words('comments'),
    clippedSr: number('tawnyClippedSr'),
    expTimeS: number('expTime'),
    isoSpeed: number('isoSpeed'),
    nominalFocalLengthMm: number('nominalFocalLength'),
    framesPerSecond:
      rate?.type === 'rational' && rate.bytes.readUInt32LE(4) > 0
        ? rate.bytes.readInt32LE(0) / rate.bytes.readUInt32LE(4)
        : undefined,
    widthPx: display && display.width,
    heightPx: display && display.height,
    dataWindow:
      data && display
        ? { left: data.left - display.left, top: data.top - display.top, width: data.width, height: data.height }
        : undefined,
    northAligned: aligned ? aligned.bytes.readInt32LE() === 1 : undefined,
    compression: compression ? COMPRESSIONS[compression.bytes[0]] : undefined,
  };
}

/** A window of the header in pixels. */
function boxOf(v: { type: string; bytes: Buffer } | undefined): PixelWindow | undefined {
  if (v?.type !== 'box2i') return undefined;
  const [left, top, right, bottom] = [0, 4, 8, 12].map((at) => v.bytes.readInt32LE(at));
  return { left, top, width: right - left + 1, height: bottom - top + 1 };
}

const COMPRESSIONS = ['none', 'rle', 'zips', 'zip', 'piz', 'pxr24', 'b44', 'b44a', 'dwaa', 'dwab'];
