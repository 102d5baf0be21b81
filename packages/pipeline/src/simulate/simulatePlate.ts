import {
  applyMatrix,
  DEFAULT_NOISE,
  photometricExposure,
  shutterSeconds,
  unprojectFromPlate,
  type PlateCamera,
} from '@tawny/core';
import { encodeTiff16 } from '@tawny/formats';
import { expose } from '@tawny/simset';
import type { RunControl } from '../progress';
import { renderSet } from './renderSet';
import type { SetSpec } from './set';

export interface SimulatePlateInput {
  spec: SetSpec;
  /** Where it stood and through what; a camera without a pose cannot photograph. */
  camera: PlateCamera;
  ei: number;
  shutterAngleDeg: number;
  fps: number;
  ndStops: number;
  utcOffsetMinutes: number;
}

export const PLATE_MODEL = 'Corrie 35';
export const PLATE_LENS = 'Skerry prime';

/** What the plate camera's engravings do not tell: 0.11 stop less light, and its white balance. */
const PLATE_SENSITIVITY = 2 ** -0.11;
const PLATE_WHITE_BALANCE = [1.06, 1, 0.93] as const;

/** What its sensor makes of the set's colours beside: rows add to one, so that greys stay grey. */
const PLATE_COLOURS = [0.86, 0.11, 0.03, 0.05, 0.9, 0.05, 0.02, 0.13, 0.85] as const;

/** Its lens darkens with this power of the cosine of the angle off its axis; nobody is told. */
const PLATE_FALLOFF = 2.4;

function darkenedByLens(light: Float32Array, camera: PlateCamera): void {
  for (let y = 0, i = 0; y < camera.heightPx; y++)
    for (let x = 0; x < camera.widthPx; x++, i += 3) {
      const d = unprojectFromPlate(camera, x + 0.5, y + 0.5);
      const share = d ? (Math.abs(d[2]) / Math.hypot(...d)) ** PLATE_FALLOFF : 0;
      for (let c = 0; c < 3; c++) light[i + c] *= share;
    }
}

/** A frame of the plate: through its lens as the kit knows it, 14 linear bits in a 16-bit TIFF with ordinary metadata. @throws RangeError when the camera has no pose */
export async function simulatePlate(
  input: SimulatePlateInput,
  control: RunControl = {},
): Promise<{ name: string; bytes: Uint8Array; exposure: number }> {
  const { camera } = input;
  const { widthPx: width, heightPx: height } = camera;
  if (!camera.pose) throw new RangeError('the plate camera has no pose: it needs height, tilt and heading');
  const light = await renderSet(
    input.spec,
    camera.pose.position ?? { eastM: 0, upM: camera.pose.heightM, northM: 0 },
    { width, height },
    camera,
    control,
  );
  darkenedByLens(light.data, camera);
  applyMatrix(light.data, PLATE_COLOURS);
  const shutterS = shutterSeconds(input.shutterAngleDeg, input.fps);
  const exposure = photometricExposure({ shutterS, iso: input.ei, tStop: camera.tStop, ndStops: input.ndStops });
  const codes = expose(
    light.data,
    exposure,
    { noise: DEFAULT_NOISE, sensitivity: PLATE_SENSITIVITY, whiteBalance: PLATE_WHITE_BALANCE, bits: 14 },
    input.spec.seed,
    'plate',
  ) as Uint16Array;
  const bytes = encodeTiff16(codes, width, height, {
    model: PLATE_MODEL,
    lensModel: PLATE_LENS,
    shutterTag: { numerator: Math.round(shutterS * 1e6), denominator: 1000000 },
    fNumberTag: Number(camera.fNumber.toFixed(2)),
    iso: input.ei,
    focalLengthMm: camera.focalLengthMm,
    takenAt: new Date(input.spec.utc),
    utcOffsetMinutes: input.utcOffsetMinutes,
    orientation: 1,
  });
  return { name: 'plate_a001.tif', bytes, exposure };
}
