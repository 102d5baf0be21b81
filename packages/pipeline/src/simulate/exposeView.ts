import { DEFAULT_NOISE, type Lens, type Quaternion, type RgbImage } from '@tawny/core';
import { encodeJpeg, encodeTiff16, type WrittenTags } from '@tawny/formats';
import { expose, projectSet, type SunDisc } from '@tawny/simset';
import type { Ladder } from './ladder';

export type FrameKind = 'jpeg' | 'tiff';

export interface ExposeViewInput {
  set: RgbImage;
  sun: SunDisc;
  lens: Lens;
  attitude: Quaternion;
  ladder: Ladder;
  sensitivity: number;
  kind: FrameKind;
  seed: number;
  view: number;
  /** Start of this view's bracket. */
  startMs: number;
  utcOffsetMinutes: number;
  firstNumber: number;
}

export interface SimulatedFile {
  name: string;
  bytes: Uint8Array;
  exposure: number;
  shutterS: number;
}

/** Names of the demo rig's invented gear. */
export const RIG_MODEL = 'Tarn P6';
export const RIG_LENS = 'Meniscus 8.2 mm fisheye';

/** Photographs one view: every rung of the ladder into an ordinary file. Pixels are stored sideways and flagged, as a rig mounted upright does. */
export async function exposeViewTask(input: ExposeViewInput): Promise<SimulatedFile[]> {
  const { lens, ladder } = input;
  const light = new Float32Array(lens.width * lens.height * 3);
  projectSet(input.set, input.sun, lens, input.attitude, 0, lens.height, light);
  const out: SimulatedFile[] = [];
  let at = input.startMs;
  for (let k = 0; k < ladder.rungs.length; k++) {
    const rung = ladder.rungs[k];
    const upright = expose(
      light,
      rung.exposure,
      { noise: DEFAULT_NOISE, sensitivity: input.sensitivity, whiteBalance: [1, 1, 1], bits: input.kind === 'jpeg' ? 8 : 14 },
      input.seed,
      `view ${input.view} frame ${k}`,
    );
    const stored = turnLeft(upright, lens.width, lens.height);
    const tags: WrittenTags = {
      model: RIG_MODEL, lensModel: RIG_LENS, shutterTag: rung.shutterTag, fNumberTag: ladder.fNumber, iso: ladder.iso, focalLengthMm: 8.2,
      takenAt: new Date(at), utcOffsetMinutes: input.utcOffsetMinutes, orientation: 6,
    };
    const number = String(input.firstNumber + k).padStart(4, '0');
    const bytes = stored instanceof Uint8Array
      ? await encodeJpeg(stored, lens.height, lens.width, tags)
      : encodeTiff16(stored, lens.height, lens.width, tags);
    out.push({ name: `hern_${number}.${input.kind === 'jpeg' ? 'jpg' : 'tif'}`, bytes, exposure: rung.exposure, shutterS: rung.shutterS });
    at += rung.shutterS * 1000 + 220;
  }
  return out;
}

/** Stores an upright picture turned a quarter anticlockwise: orientation flag 6 turns it back. */
function turnLeft<T extends Uint8Array | Uint16Array>(codes: T, width: number, height: number): T {
  const out = (codes instanceof Uint8Array ? new Uint8Array(codes.length) : new Uint16Array(codes.length)) as T;
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const from = 3 * (y * width + x);
      const to = 3 * ((width - 1 - x) * height + y);
      out[to] = codes[from];
      out[to + 1] = codes[from + 1];
      out[to + 2] = codes[from + 2];
    }
  }
  return out;
}
