import sharp from 'sharp';
import { FileProblem } from '../errors';
import { assertWholePng, isPng } from './pngExtent';
import { assertWholeTiff, isTiff } from './tiffExtent';

export interface DecodedImage {
  width: number;
  height: number;
  /** Interleaved RGB codes, upright (the orientation flag is applied). */
  codes: Uint8Array | Uint16Array;
  bits: 8 | 16;
}

export interface ImageHead {
  width: number;
  height: number;
  /** 32 are floats, of TIFF only. */
  bits: 8 | 16 | 32;
  format: 'jpeg' | 'png' | 'tiff';
}

const FORMATS = new Set(['jpeg', 'png', 'tiff']);
/** One hundred and fifty megapixels: above any camera of the trade, below what would exhaust the machine. */
const MAX_PIXELS = 150e6;
const MIN_SIDE = 16;

// A frame is decoded once: whatever the library kept of it would only hold memory.
sharp.cache(false);

function problem(error: unknown, name: string): FileProblem {
  const message = error instanceof Error ? error.message : String(error);
  if (/unsupported image format|Input buffer contains unsupported/i.test(message)) {
    return new FileProblem(
      'not-an-image',
      name,
      'is not a JPEG, PNG or TIFF picture, whatever its name says; choose the camera file itself',
    );
  }
  if (/exceeds pixel limit/i.test(message))
    return new FileProblem('too-large', name, 'has more than 150 megapixels, which cannot be right');
  return new FileProblem('damaged-image', name, 'breaks off or is damaged; copy it again from the card');
}

/** Codes are wanted as they stand in the file: left to itself the library would turn them into the colours of a display by their profile. */
function open(bytes: Uint8Array, name: string) {
  if (bytes.length === 0) throw new FileProblem('empty-file', name, 'the file is empty; copy it again from the card');
  return sharp(bytes, { failOn: 'truncated', limitInputPixels: MAX_PIXELS, sequentialRead: true, ignoreIcc: true });
}

/** Upright size, depth and format without decoding the pixels. @throws FileProblem naming the file */
export async function readImageHead(bytes: Uint8Array, name: string): Promise<ImageHead> {
  let meta;
  try {
    meta = await open(bytes, name).metadata();
  } catch (error) {
    throw error instanceof FileProblem ? error : problem(error, name);
  }
  if (!FORMATS.has(meta.format ?? '')) {
    throw new FileProblem('unsupported', name, `is a ${meta.format} file; JPEG, PNG and TIFF are read here`);
  }
  const bits = ({ uchar: 8, ushort: 16, float: 32 } as const)[meta.depth as string];
  if (bits === undefined)
    throw new FileProblem(
      'unsupported',
      name,
      `has ${meta.depth} samples; 8 or 16 bits or floats a channel are read here`,
    );
  const turned = (meta.orientation ?? 1) >= 5;
  const width = turned ? meta.height! : meta.width!;
  const height = turned ? meta.width! : meta.height!;
  if (width < MIN_SIDE || height < MIN_SIDE) {
    throw new FileProblem('too-small', name, `is ${width} x ${height} pixels, too small to measure anything in`);
  }
  return { width, height, bits, format: meta.format as ImageHead['format'] };
}

/** Holds a file against what its structure promises: a picture that breaks off is not half a picture. @throws FileProblem naming the file */
export function assertWhole(bytes: Uint8Array, name: string): void {
  if (isTiff(bytes)) assertWholeTiff(bytes, name);
  else if (isPng(bytes)) assertWholePng(bytes, name);
}

/** Decodes JPEG, PNG or TIFF to RGB codes, alpha dropped, orientation applied. @throws FileProblem naming the file */
export async function decodeImage(bytes: Uint8Array, name: string): Promise<DecodedImage> {
  const head = await readImageHead(bytes, name);
  assertWhole(bytes, name);
  if (head.bits === 32)
    throw new FileProblem('unsupported', name, 'has floating-point samples; 8 or 16 bits a channel are wanted here');
  try {
    const wide = head.bits === 16;
    const pipeline = open(bytes, name)
      .rotate()
      .removeAlpha()
      .toColourspace(wide ? 'rgb16' : 'srgb');
    const { data, info } = await pipeline
      .raw({ depth: wide ? 'ushort' : 'uchar' })
      .toBuffer({ resolveWithObject: true });
    const codes = wide
      ? new Uint16Array(data.buffer, data.byteOffset, data.length / 2)
      : new Uint8Array(data.buffer, data.byteOffset, data.length);
    if (info.channels !== 3)
      throw new FileProblem('unsupported', name, `has ${info.channels} channels; colour pictures are needed`);
    return { width: info.width, height: info.height, codes, bits: wide ? 16 : 8 };
  } catch (error) {
    throw error instanceof FileProblem ? error : problem(error, name);
  }
}
