import { FloatType } from 'three';
import { HDRLoader } from 'three/examples/jsm/loaders/HDRLoader.js';
import { RELATIVE_REC709, type RgbImage } from '@tawny/core';
import { FileProblem } from '../errors';
import { assertWholeHdr } from './extent';

export const isHdr = (b: Uint8Array): boolean => b.length > 10 && b[0] === 0x23 && b[1] === 0x3f;

const MAX_PIXELS = 16384 * 8192;

/** Size as the header states it. @throws FileProblem when there is none or it cannot be true */
export function readHdrSize(bytes: Uint8Array, name: string): { width: number; height: number } {
  const { width, height } = headOf(bytes, name);
  return { width, height };
}

/** Size, and where the scanlines begin. */
function headOf(bytes: Uint8Array, name: string): { width: number; height: number; start: number } {
  const head = Buffer.from(bytes.buffer, bytes.byteOffset, Math.min(bytes.length, 4096)).toString('latin1');
  const m = head.match(/\n-Y (\d+) \+X (\d+)\n/);
  if (!m)
    throw new FileProblem(
      'damaged-image',
      name,
      'its Radiance header states no size that is read here (-Y height +X width)',
    );
  const [height, width] = [Number(m[1]), Number(m[2])];
  if (!(width > 0 && height > 0 && width * height <= MAX_PIXELS))
    throw new FileProblem('too-large', name, `claims ${width} x ${height} pixels; at most 16384 x 8192 are read`);
  return { width, height, start: m.index! + m[0].length };
}

/** Reads a Radiance .hdr picture as linear RGB, row 0 on top. @throws FileProblem naming the file */
export function readHdr(bytes: Uint8Array, name: string): RgbImage {
  if (bytes.length === 0) throw new FileProblem('empty-file', name, 'the file is empty; copy it again');
  if (!isHdr(bytes)) {
    throw new FileProblem('not-an-image', name, 'is not a Radiance picture, whatever its name says');
  }
  const head = headOf(bytes, name);
  assertWholeHdr(bytes, name, head.width, head.height, head.start);
  const loader = new HDRLoader();
  loader.setDataType(FloatType);
  let parsed;
  try {
    parsed = loader.parse(new Uint8Array(bytes).buffer);
  } catch (error) {
    throw new FileProblem('damaged-image', name, `cannot be read as Radiance HDR (${(error as Error).message})`);
  }
  const width = Number(parsed.width);
  const height = Number(parsed.height);
  const data = parsed.data as Float32Array | undefined;
  if (!data || !(width > 0 && height > 0))
    throw new FileProblem('damaged-image', name, 'holds no pixels; copy it again');
  const out = new Float32Array(width * height * 3);
  for (let i = 0; i < width * height; i++) {
    out[3 * i] = data[4 * i];
    out[3 * i + 1] = data[4 * i + 1];
    out[3 * i + 2] = data[4 * i + 2];
  }
  return { ...RELATIVE_REC709, width, height, data: out };
}
