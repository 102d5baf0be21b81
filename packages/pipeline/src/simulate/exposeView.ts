import {
  applyMatrix,
  cameraToWorkingSpace,
  DEFAULT_NOISE,
  inverseMatrix,
  type Lens,
  type Quaternion,
  type RgbImage,
} from '@tawny/core';
import { encodeDng, encodeJpeg, encodeTiff16, type DngSensor, type WrittenTags } from '@tawny/formats';
import {
  blur,
  expose,
  hotSamples,
  mosaicOf,
  projectSet,
  shifted,
  stampWalker,
  type Sensor,
  type SunDisc,
} from '@tawny/simset';
import type { Ladder } from './ladder';

export type FrameKind = 'jpeg' | 'tiff' | 'dng';

const SUFFIX: Record<FrameKind, string> = { jpeg: 'jpg', tiff: 'tif', dng: 'dng' };

/** The rig's sensor as its raw files state it. */
const RAW_SENSOR: DngSensor = {
  black: [512, 516, 514, 520],
  white: 16383,
  colourMatrix: [0.91, -0.28, -0.09, -0.41, 1.22, 0.21, -0.06, 0.17, 0.63],
  asShotNeutral: [0.62, 1, 0.71],
};

/** Rec. 709 to the sensor's own values as its matrix says: the way back from `cameraToWorkingSpace`. */
const SENSOR_COLOURS = inverseMatrix(cameraToWorkingSpace(RAW_SENSOR.colourMatrix, 'rec709'));

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
  /** Off-model effects of this view; left out for a camera that is what it says. */
  faults?: ViewFaults;
}

/** What is wrong with a view that no metadata tells. */
export interface ViewFaults {
  /** Real over stated exposure of every rung. */
  shutterFactors?: number[];
  curve?: Sensor['curve'];
  /** Share of a frame's light that veils it evenly. */
  veil?: number;
  /** Blur of the lens, one-sigma pixels. */
  blurPx?: number;
  /** A second state of the light and how much of it each frame sees. */
  other?: { set: RgbImage; sun: SunDisc; shares: number[] };
  /** A dark figure that walks through: its heading and width in degrees for every frame; null where it is not in the picture. */
  walker?: { headings: (number | null)[]; widthDeg: number; heightDeg: number };
  /** Leaking photosites and the electrons that each gathers in a second. */
  hot?: { count: number; electronsPerS: number };
  /** The bracket's frames shifted against its first, pixels: a bumped or hand-held camera. */
  shakePx?: number;
  /** Frames that were lost. */
  lost?: number[];
}

export interface SimulatedFile {
  name: string;
  bytes: Uint8Array;
  exposure: number;
  shutterS: number;
}

/** From the end of an exposure to the next one's begin. */
export const FRAME_PAUSE_MS = 220;

/** Names of the demo rig's invented gear. */
export const RIG_MODEL = 'Tarn P6';
export const RIG_LENS = 'Meniscus 8.2 mm fisheye';

/** Photographs one view: every rung of the ladder into an ordinary file. Pixels are stored sideways and flagged, as a rig mounted upright does. */
export async function exposeViewTask(input: ExposeViewInput): Promise<SimulatedFile[]> {
  const { lens, ladder } = input;
  const { faults = {} } = input;
  const project = (set: RgbImage, sun: SunDisc) => {
    const onSensor = new Float32Array(lens.width * lens.height * 3);
    projectSet(set, sun, lens, input.attitude, 0, lens.height, onSensor);
    return faults.blurPx || faults.veil
      ? blur(onSensor, lens.width, lens.height, faults.blurPx ?? 0, faults.veil ?? 0)
      : onSensor;
  };
  const first = project(input.set, input.sun);
  const second = faults.other ? project(faults.other.set, faults.other.sun) : null;
  const out: SimulatedFile[] = [];
  let at = input.startMs;
  for (let k = 0; k < ladder.rungs.length; k++) {
    const rung = ladder.rungs[k];
    const share = faults.other?.shares[k] ?? 0;
    let light = second && share > 0 ? first.map((v, i) => (1 - share) * v + share * second[i]) : first;
    const heading = faults.walker?.headings[k] ?? null;
    if (faults.walker && heading !== null)
      light = stampWalker(
        light === first ? first.slice() : light,
        lens,
        input.attitude,
        heading,
        faults.walker.widthDeg,
        faults.walker.heightDeg,
      );
    if (faults.shakePx && k > 0)
      light = shifted(
        light,
        lens.width,
        lens.height,
        faults.shakePx * Math.sin(2.1 * k),
        faults.shakePx * Math.cos(1.3 * k),
      );
    const hot = faults.hot && {
      samples: hotSamples(input.seed, faults.hot.count, lens.width, lens.height),
      electrons: faults.hot.electronsPerS * rung.shutterS,
    };
    if (input.kind === 'dng') {
      light = light.slice();
      applyMatrix(light, SENSOR_COLOURS);
    }
    const upright = expose(
      light,
      rung.exposure * (faults.shutterFactors?.[k] ?? 1),
      {
        noise: DEFAULT_NOISE,
        sensitivity: input.sensitivity,
        whiteBalance: [1, 1, 1],
        bits: input.kind === 'jpeg' ? 8 : 14,
        curve: faults.curve,
        hot,
      },
      input.seed,
      `view ${input.view} frame ${k}`,
    );
    const stored = turnLeft(upright, lens.width, lens.height);
    const tags: WrittenTags = {
      model: RIG_MODEL,
      lensModel: RIG_LENS,
      shutterTag: rung.shutterTag,
      fNumberTag: ladder.fNumber,
      iso: ladder.iso,
      focalLengthMm: 8.2,
      takenAt: new Date(at),
      utcOffsetMinutes: input.utcOffsetMinutes,
      orientation: 6,
    };
    const number = String(input.firstNumber + k).padStart(4, '0');
    const bytes =
      stored instanceof Uint8Array
        ? await encodeJpeg(stored, lens.height, lens.width, tags)
        : input.kind === 'dng'
          ? encodeDng(
              mosaicOf(stored, lens.height, lens.width, RAW_SENSOR.black, RAW_SENSOR.white),
              lens.height,
              lens.width,
              RAW_SENSOR,
              tags,
            )
          : encodeTiff16(stored, lens.height, lens.width, tags);
    if (!faults.lost?.includes(k))
      out.push({
        name: `hern_${number}.${SUFFIX[input.kind]}`,
        bytes,
        exposure: rung.exposure,
        shutterS: rung.shutterS,
      });
    at += rung.shutterS * 1000 + FRAME_PAUSE_MS;
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
