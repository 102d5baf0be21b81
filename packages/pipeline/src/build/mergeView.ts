import {
  bracketShifts,
  codesFromFloats,
  decodingTable,
  mergeBracket,
  shiftCodes,
  takeFloats,
  type BracketFrame,
  type Curve,
  type RgbImage,
} from '@tawny/core';
import { FileProblem, type DecodedFrame } from '@tawny/formats';
import { decodeBracket } from './decodeBracket';

export interface MergeViewInput {
  frames: { path: string; name: string; exposure: number }[];
  width: number;
  height: number;
  curve: Curve;
  /** Response recovered from the round; wins over the curve of 8-bit frames. */
  tables?: [Float32Array, Float32Array, Float32Array];
  /** As `MergeOptions.moved`. */
  takeOut?: boolean | number;
  /** Bring frames together that are shifted against each other. */
  align?: boolean;
  /** Shared memory that receives the result. */
  pixels: Float32Array;
  clipped: Uint8Array;
  /** Receives the relative uncertainty of every pixel; left out, nobody wants it. */
  uncertainty?: Uint8Array;
  /** Receives 1 where one frame stands alone because others contradicted it. */
  moved?: Uint8Array;
}

export interface MergeViewOutput {
  clipLevel: number;
  starvedFraction: number;
  clippedFraction: number;
  movedFraction: number;
  /** Largest shift between frames that was mended, pixels. */
  shakePx: number;
  bits: 8 | 16 | 32;
}

/** Decodes and merges one bracket into shared memory. */
export async function mergeViewTask(input: MergeViewInput): Promise<MergeViewOutput> {
  return mergeDecoded(await decodeBracket(input.frames, input.width, input.height), input);
}

/** Merges decoded frames of one size and depth. @throws FileProblem naming a frame with bad values */
export function mergeDecoded(
  decoded: readonly (DecodedFrame & { name: string; exposure: number })[],
  input: Omit<MergeViewInput, 'frames'>,
): MergeViewOutput {
  const { width, height } = input;
  const into = { pixels: input.pixels, clipped: input.clipped, uncertainty: input.uncertainty };
  const { bits } = decoded[0];
  if (bits === 32 && decoded.length === 1) {
    const { clipLevel } = named(decoded[0].name, () =>
      takeFloats(decoded[0].codes as Float32Array, decoded[0].exposure, into),
    );
    return { clipLevel, starvedFraction: 0, clippedFraction: share(into.clipped), movedFraction: 0, shakePx: 0, bits };
  }
  const { curve } = input;
  const tables = bits === 8 ? input.tables : undefined;
  const frames = integerFrames(decoded);
  const shakePx = input.align
    ? bringTogether(frames, width, height, tables?.[1] ?? decodingTable(curve, bits === 8 ? 255 : 65535))
    : 0;
  const merged = mergeBracket(frames, { width, height, curve, tables, moved: input.takeOut, into });
  if (merged.moved) input.moved?.set(merged.moved);
  return {
    clipLevel: merged.clipLevel,
    starvedFraction: merged.starvedFraction,
    clippedFraction: share(merged.clipped),
    movedFraction: merged.moved ? share(merged.moved) : 0,
    shakePx,
    bits,
  };
}

/** Shifts frames onto their bracket's first where a bump or an unsteady hand moved them. Changes the list; returns the largest shift. */
function bringTogether(frames: BracketFrame[], width: number, height: number, table: Float32Array): number {
  if (frames.length < 2) return 0;
  const shifts = bracketShifts(
    frames.map((f) => ({ codes: f.codes, table })),
    width,
    height,
  );
  shifts.forEach((s, k) => {
    if (s.dx !== 0 || s.dy !== 0) frames[k] = { ...frames[k], codes: shiftCodes(frames[k].codes, width, height, s) };
  });
  return Math.max(...shifts.map((s) => Math.hypot(s.dx, s.dy)));
}

/** Frames as the merge wants them: floats become 16-bit codes of a common white. */
function integerFrames(decoded: readonly (DecodedFrame & { name: string; exposure: number })[]): BracketFrame[] {
  if (decoded[0].bits !== 32)
    return decoded.map(({ codes, exposure }) => ({ codes: codes as Uint8Array | Uint16Array, exposure }));
  const { codes, white } = named(decoded[0].name, () => codesFromFloats(decoded.map((d) => d.codes as Float32Array)));
  return codes.map((c, k) => ({ codes: c, exposure: decoded[k].exposure / white }));
}

function named<T>(file: string, work: () => T): T {
  try {
    return work();
  } catch (error) {
    throw error instanceof RangeError ? new FileProblem('damaged-image', file, error.message) : error;
  }
}

function share(flags: Uint8Array): number {
  let n = 0;
  for (let i = 0; i < flags.length; i++) n += flags[i];
  return n / flags.length;
}

/** Brightness plane of a merged view for finding its image circle. */
export function greenPlane(image: RgbImage): Float32Array {
  const out = new Float32Array(image.width * image.height);
  for (let i = 0; i < out.length; i++) out[i] = image.data[3 * i + 1];
  return out;
}
