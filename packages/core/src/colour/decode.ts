import { RELATIVE_REC709, type RgbImage } from '../image/image';
import { applyMatrix, cameraToWorkingSpace, toWorkingSpace, workingSpaceOf, type ColourMatrix } from './convert';
import { curveFunction, decodingTable, signalOf, type CodeRange, type Curve } from './curves';
import { WORKING_SPACES, type WorkingSpace } from './primaries';
import { runProcessList, type ProcessNode } from './processList';

/** Primaries that a decoding can have: by name, or CIE xy of red, green, blue and white. */
export type Primaries = WorkingSpace | readonly number[];

/** What the code values of a picture mean. */
export interface Decoding {
  /** A named curve, or the steps of a process list that end in linear light. */
  curve: Curve | readonly ProcessNode[];
  range: CodeRange;
  /** Of the linear light; `xyzToCamera` is the matrix of a sensor whose own values they are. */
  primaries: Primaries | { xyzToCamera: readonly number[] };
}

export interface CodedPicture {
  width: number;
  height: number;
  codes: Uint8Array | Uint16Array | Float32Array;
}

/** What a depth is usually for: 8 bits follow sRGB, more are linear. An assumption, for pictures to look at and for first glances; never measured with. */
export function usualDecoding(bits: 8 | 16 | 32): Decoding {
  return { curve: bits === 8 ? 'srgb' : 'linear', range: 'full', primaries: 'rec709' };
}

function matrixOf(primaries: Decoding['primaries']): { space: WorkingSpace; matrix: ColourMatrix | null } {
  if (typeof primaries === 'string') return { space: primaries, matrix: null };
  if ('xyzToCamera' in primaries)
    return { space: 'rec709', matrix: cameraToWorkingSpace(primaries.xyzToCamera, 'rec709') };
  const space = workingSpaceOf(primaries);
  return space ? { space, matrix: null } : { space: 'rec709', matrix: toWorkingSpace(primaries, 'rec709') };
}

/** The way of linear light of any primaries to Rec. 709; null when it is there. @throws RangeError when they are none */
export function toRec709(primaries: Decoding['primaries']): ColourMatrix | null {
  const { space, matrix } = matrixOf(primaries);
  return matrix ?? (space === 'rec709' ? null : toWorkingSpace(WORKING_SPACES[space].chromaticities, 'rec709'));
}

/**
 * Code values as linear light in a working space: that of the decoding when it is one, else Rec. 709. Floats that are linear already in a
 * working space are taken as they are, without a copy.
 * @throws RangeError when curve or primaries are none
 */
export function decodePicture({ width, height, codes }: CodedPicture, decoding: Decoding): RgbImage {
  const { space, matrix } = matrixOf(decoding.primaries);
  const data = linearLight(codes, decoding, matrix !== null);
  if (matrix) applyMatrix(data, matrix);
  return { ...RELATIVE_REC709, space, width, height, data };
}

/** `Float32Array.from` with a function makes a list of numbers first, many times as large. */
function mapped(codes: CodedPicture['codes'], f: (code: number) => number): Float32Array {
  const out = new Float32Array(codes.length);
  for (let i = 0; i < out.length; i++) out[i] = f(codes[i]);
  return out;
}

function linearLight(codes: CodedPicture['codes'], { curve, range }: Decoding, own: boolean): Float32Array {
  const float = codes instanceof Float32Array;
  const maxCode = float ? 1 : codes instanceof Uint16Array ? 65535 : 255;
  if (typeof curve === 'string') {
    if (float && curve === 'linear' && range === 'full') return own ? codes.slice() : codes;
    if (!float) {
      const table = decodingTable(curve, maxCode, range);
      return mapped(codes, (c) => table[c]);
    }
  }
  // Floats that are coded have their legal range at the same shares of 1 as the deepest codes.
  const signal = float && range === 'legal' ? (v: number) => (256 * v - 16) / 219 : signalOf(range, maxCode);
  const data = mapped(codes, signal);
  if (typeof curve !== 'string') runProcessList(curve, data);
  else {
    const linear = curveFunction(curve);
    for (let i = 0; i < data.length; i++) data[i] = linear(data[i]);
  }
  return data;
}
