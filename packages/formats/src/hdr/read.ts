import { FloatType } from 'three';
import { HDRLoader } from 'three/examples/jsm/loaders/HDRLoader.js';
import type { RgbImage } from '@tawny/core';
import { FileProblem } from '../errors';

/** Reads a Radiance .hdr picture as linear RGB, row 0 on top. @throws FileProblem naming the file */
export function readHdr(bytes: Uint8Array, name: string): RgbImage {
  if (bytes.length === 0) throw new FileProblem('empty-file', name, 'the file is empty; copy it again');
  if (Buffer.from(bytes.subarray(0, 2)).toString('latin1') !== '#?') {
    throw new FileProblem('not-an-image', name, 'is not a Radiance picture, whatever its name says');
  }
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
  if (!data || !(width > 0 && height > 0)) throw new FileProblem("damaged-image", name, "holds no pixels; copy it again");
  const out = new Float32Array(width * height * 3);
  for (let i = 0; i < width * height; i++) {
    out[3 * i] = data[4 * i];
    out[3 * i + 1] = data[4 * i + 1];
    out[3 * i + 2] = data[4 * i + 2];
  }
  return { width, height, data: out };
}
