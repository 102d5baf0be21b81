import { FloatType } from 'three';
import { EXRLoader } from 'three/examples/jsm/loaders/EXRLoader.js';
import { applyMatrix, toWorkingSpace, workingSpaceOf, type RgbImage } from '@tawny/core';
import { FileProblem } from '../errors';
import { readAttributes, type PanoramaAttributes, type PixelWindow } from './attributes';
import { assertWholeExr } from './extent';

export interface ExrFile {
  image: RgbImage;
  attributes: PanoramaAttributes & { compression?: string };
}

const MAX_PIXELS = 16384 * 8192;

export const isExr = (b: Uint8Array): boolean =>
  b.length > 12 && b[0] === 0x76 && b[1] === 0x2f && b[2] === 0x31 && b[3] === 0x01;

/**
 * Reads an OpenEXR file with any common compression; grey files become equal channels. `asStored` leaves values of other primaries as they stand.
 * @throws FileProblem naming the file
 */
export function readExr(bytes: Uint8Array, name: string, { asStored = false } = {}): ExrFile {
  if (bytes.length === 0) throw new FileProblem('empty-file', name, 'the file is empty; copy it again');
  if (!isExr(bytes)) {
    throw new FileProblem('not-an-image', name, 'is not an OpenEXR file, whatever its name says');
  }
  try {
    const attributes = readAttributes(bytes);
    // The header is believed only as far as it is possible: a lie about the size must not be allocated.
    const { widthPx = 0, heightPx = 0, dataWindow = { left: 0, top: 0, width: 0, height: 0 } } = attributes;
    for (const { width, height } of [{ width: widthPx, height: heightPx }, dataWindow])
      if (!(width > 0 && height > 0 && width * height <= MAX_PIXELS))
        throw new FileProblem('too-large', name, `claims ${width} x ${height} pixels; at most 16384 x 8192 are read`);
    assertWholeExr(bytes, name);
    const loader = new EXRLoader();
    loader.setDataType(FloatType);
    // A Buffer may be a window into a pool: the loader wants bytes of its own.
    const copy = new Uint8Array(bytes).buffer;
    const texture = loader.parse(copy);
    const width = texture.width as number;
    const height = texture.height as number;
    if (!(width > 0 && height > 0) || width * height > MAX_PIXELS) {
      throw new FileProblem('too-large', name, `is ${width} x ${height} pixels; at most 16384 x 8192 are read`);
    }
    const held = toRgb(texture.data as Float32Array, width, height);
    const size = { width: widthPx, height: heightPx };
    return {
      image: inStatedSpace(inWindow(held, { ...dataWindow, width, height }, size), size, attributes, asStored),
      attributes,
    };
  } catch (error) {
    if (error instanceof FileProblem) throw error;
    throw new FileProblem(
      'damaged-image',
      name,
      `cannot be read as OpenEXR (${(error as Error).message}); copy it again`,
    );
  }
}

/** Pixels where their window says that they stand in the picture; the rest of it is black, what sticks out is cut off. */
function inWindow(
  data: Float32Array,
  at: PixelWindow,
  { width, height }: { width: number; height: number },
): Float32Array {
  if (at.left === 0 && at.top === 0 && at.width === width && at.height === height) return data;
  const out = new Float32Array(3 * width * height);
  const [from, to] = [Math.max(0, at.left), Math.min(width, at.left + at.width)];
  for (let y = Math.max(0, at.top); y < Math.min(height, at.top + at.height) && to > from; y++) {
    const row = 3 * ((y - at.top) * at.width - at.left);
    out.set(data.subarray(row + 3 * from, row + 3 * to), 3 * (y * width + from));
  }
  return out;
}

/** The loader hands rows from the bottom up, 4 or 1 values a pixel; we keep the zenith side first. */
function toRgb(data: Float32Array, width: number, height: number): Float32Array {
  const stride = data.length / (width * height);
  const out = new Float32Array(width * height * 3);
  for (let y = 0; y < height; y++) {
    const from = (height - 1 - y) * width;
    for (let x = 0; x < width; x++) {
      const s = (from + x) * stride;
      const o = 3 * (y * width + x);
      out[o] = data[s];
      out[o + 1] = stride >= 3 ? data[s + 1] : data[s];
      out[o + 2] = stride >= 3 ? data[s + 2] : data[s];
    }
  }
  return out;
}

/**
 * Pixels with what the file says of them: primaries of a working space are kept, others are converted to Rec. 709; a file that is silent
 * means Rec. 709 (OpenEXR's default). Values are cd/m2 where one of them is stated to be one.
 */
function inStatedSpace(
  data: Float32Array,
  size: { width: number; height: number },
  stated: PanoramaAttributes,
  asStored: boolean,
): RgbImage {
  const unit = stated.whiteLuminance === 1 ? 'cdm2' : 'relative';
  if (!stated.chromaticities) return { ...size, data, space: 'rec709', unit };
  const space = workingSpaceOf(stated.chromaticities);
  if (space || asStored) return { ...size, data, space: space ?? 'rec709', unit };
  applyMatrix(data, toWorkingSpace(stated.chromaticities, 'rec709'));
  return { ...size, data, space: 'rec709', unit };
}
