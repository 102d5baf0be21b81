import type { Curve, Primaries } from '@tawny/core';
import { isPng } from './pngExtent';

/** Colour that a PNG's chunks state (third edition, 11.3.2), the strongest first; its ICC profile stands between the first and the others. */
export interface PngColour {
  /** cICP: code points of ITU-T H.273. */
  codePoints: { primaries: number; transfer: number; fullRange: boolean } | null;
  srgb: boolean;
  gamma: Curve | null;
  primaries: Primaries | null;
}

/** @returns null when it is no PNG */
export function readPngColour(bytes: Uint8Array): PngColour | null {
  if (!isPng(bytes)) return null;
  const b = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const out: PngColour = { codePoints: null, srgb: false, gamma: null, primaries: null };
  for (let at = 8; at + 12 <= b.length;) {
    const [size, kind] = [b.readUInt32BE(at), b.toString('latin1', at + 4, at + 8)];
    const body = b.subarray(at + 8, at + 8 + size);
    if (kind === 'IDAT' || kind === 'IEND' || body.length < size) break;
    if (kind === 'cICP' && size >= 4)
      out.codePoints = { primaries: body[0], transfer: body[1], fullRange: body[3] === 1 };
    if (kind === 'sRGB') out.srgb = true;
    if (kind === 'gAMA' && size >= 4) {
      const encoded = body.readUInt32BE(0) / 100000;
      if (encoded > 0)
        out.gamma = Math.abs(encoded - 1) < 1e-4 ? 'linear' : `gamma:${Number((1 / encoded).toFixed(4))}`;
    }
    if (kind === 'cHRM' && size >= 32) {
      const [wx, wy, ...rgb] = Array.from({ length: 8 }, (_, k) => body.readUInt32BE(4 * k) / 100000);
      out.primaries = [...rgb, wx, wy];
    }
    at += 12 + size;
  }
  return out;
}
