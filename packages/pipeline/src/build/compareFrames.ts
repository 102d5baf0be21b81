import {
  clipCodeOf,
  decodingTable,
  heldRatio,
  luminance,
  usualSaturation,
  type Curve,
  type HeldRatio,
} from '@tawny/core';
import type { DecodedFrame } from '@tawny/formats';
import { decodeBracket } from './decodeBracket';

export interface CompareFramesInput {
  /** Of one view, longest exposure first. */
  frames: { path: string; name: string; exposure: number }[];
  width: number;
  height: number;
  curve: Curve;
  /** Which frames are compared with the next one. */
  pairs: boolean[];
}

/** On the long side no more pixels than this are looked at. */
const MOST_SIDE = 1200;

/** What the pixels say of neighbouring frames of a view, pair by pair; null for those that are not asked for, and where no pixel is held by both. Only the frames that are asked for are decoded. */
export async function compareFramesTask({
  frames,
  width,
  height,
  curve,
  pairs,
}: CompareFramesInput): Promise<(HeldRatio | null)[]> {
  const asked = frames.filter((_, f) => pairs[f] || pairs[f - 1]);
  const step = Math.max(1, Math.round(Math.max(width, height) / MOST_SIDE));
  const decoded = await decodeBracket(asked, width, height);
  const levels = new Map(decoded.map((d) => [d.path, levelsOf(d, curve, step)]));
  return pairs.map((wanted, f) => {
    if (!wanted) return null;
    const [longer, shorter] = [frames[f], frames[f + 1]];
    const stated = Math.log2(shorter.exposure / longer.exposure);
    return heldRatio(levels.get(shorter.path)!, levels.get(longer.path)!, stated);
  });
}

/** Linear luminance of every `step`th pixel of every `step`th row; 1 where a channel is cut off. */
function levelsOf({ codes, width, height, bits }: DecodedFrame, curve: Curve, step: number): Float32Array {
  const [columns, rows] = [Math.floor(width / step), Math.floor(height / step)];
  const out = new Float32Array(columns * rows);
  const table = bits === 32 ? null : decodingTable(curve, bits === 8 ? 255 : 65535);
  const last = table ? clipCodeOf(table, usualSaturation([table], bits !== 8)) : 1;
  for (let y = 0; y < rows; y++)
    for (let x = 0; x < columns; x++) {
      const i = 3 * (y * step * width + x * step);
      const [r, g, b] = [codes[i], codes[i + 1], codes[i + 2]];
      out[y * columns + x] =
        r >= last || g >= last || b >= last
          ? 1
          : table
            ? luminance(table[r], table[g], table[b], 'rec709')
            : luminance(r, g, b, 'rec709');
    }
  return out;
}
