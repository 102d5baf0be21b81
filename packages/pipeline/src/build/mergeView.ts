import fs from 'node:fs/promises';
import { mergeBracket, type Curve, type RgbImage } from '@tawny/core';
import { decodeImage, FileProblem } from '@tawny/formats';

export interface MergeViewInput {
  frames: { path: string; name: string; exposure: number }[];
  width: number;
  height: number;
  curve: Curve | undefined;
  /** Response recovered from the round; wins over the curve of 8-bit frames. */
  tables?: [Float32Array, Float32Array, Float32Array];
  ghosts?: boolean;
  /** Shared memory that receives the result. */
  pixels: Float32Array;
  clipped: Uint8Array;
}

export interface MergeViewOutput {
  clipLevel: number;
  starvedFraction: number;
  clippedFraction: number;
  ghostFraction: number;
  bits: 8 | 16;
}

/** Decodes and merges one bracket into shared memory. */
export async function mergeViewTask(input: MergeViewInput): Promise<MergeViewOutput> {
  const { width, height } = input;
  const frames = [];
  let bits: 8 | 16 = 8;
  for (const f of input.frames) {
    const decoded = await decodeImage(await fs.readFile(f.path), f.name);
    if (decoded.width !== width || decoded.height !== height) {
      throw new FileProblem('unsupported', f.name, `is ${decoded.width} x ${decoded.height} pixels, the round ${width} x ${height}`);
    }
    bits = decoded.bits;
    frames.push({ codes: decoded.codes, exposure: f.exposure });
  }
  const merged = mergeBracket(frames, { width, height, curve: input.curve ?? (bits === 16 ? 'linear' : 'srgb'), tables: bits === 8 ? input.tables : undefined, ghosts: input.ghosts, into: { pixels: input.pixels, clipped: input.clipped } });
  const clippedFraction = merged.clipped.reduce((s, c) => s + c, 0) / merged.clipped.length;
  const ghostFraction = merged.ghosts ? merged.ghosts.reduce((s, c) => s + c, 0) / merged.ghosts.length : 0;
  return { clipLevel: merged.clipLevel, starvedFraction: merged.starvedFraction, clippedFraction, ghostFraction, bits };
}

/** Brightness plane of a merged view for finding its image circle. */
export function greenPlane(image: RgbImage): Float32Array {
  return Float32Array.from({ length: image.width * image.height }, (_, i) => image.data[3 * i + 1]);
}
