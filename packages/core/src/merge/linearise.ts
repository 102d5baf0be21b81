import { RELATIVE_REC709, type RgbImage } from '../image/image';
import { srgbToLinear } from '../colour/transfer';

/** How code values of a file relate to light. */
export type Curve = 'srgb' | 'linear' | 'gamma22';

/** Table from code value (0 .. maxCode) to linear [0, 1] by the stated curve. */
export function decodingTable(curve: Curve, maxCode: number): Float32Array {
  const table = new Float32Array(maxCode + 1);
  for (let code = 0; code <= maxCode; code++) {
    const v = code / maxCode;
    table[code] = curve === 'linear' ? v : curve === 'srgb' ? srgbToLinear(v) : Math.pow(v, 2.2);
  }
  return table;
}

/** Codes of a picture as linear light, its primaries taken for Rec. 709: floats and 16 bits are linear already, 8 bits follow the sRGB curve. */
export function linearFromCodes(picture: {
  width: number;
  height: number;
  codes: Uint8Array | Uint16Array | Float32Array;
}): RgbImage {
  if (picture.codes instanceof Float32Array)
    return { ...RELATIVE_REC709, width: picture.width, height: picture.height, data: picture.codes };
  const table = picture.codes instanceof Uint16Array ? decodingTable('linear', 65535) : decodingTable('srgb', 255);
  const data = new Float32Array(picture.codes.length);
  for (let i = 0; i < data.length; i++) data[i] = table[picture.codes[i]];
  return { ...RELATIVE_REC709, width: picture.width, height: picture.height, data };
}

/** Variance (linear units squared) that rounding to whole codes adds: step^2 / 12, from the slope of the table at each code. */
export function quantisationVariance(table: Float32Array): Float32Array {
  const out = new Float32Array(table.length);
  for (let i = 0; i < table.length; i++) {
    const lo = table[Math.max(0, i - 1)];
    const hi = table[Math.min(table.length - 1, i + 1)];
    const step = (hi - lo) / (Math.min(table.length - 1, i + 1) - Math.max(0, i - 1));
    out[i] = (step * step) / 12;
  }
  return out;
}
