import { DEFAULT_NOISE, photometricExposure, shutterSeconds, type Attitude } from '@tawny/core';
import { encodeTiff16 } from '@tawny/formats';
import { expose, type SetPoint } from '@tawny/simset';
import type { RunControl } from '../progress';
import { renderSet } from './renderSet';
import type { SetSpec } from './set';

export interface SimulatePlateInput {
  spec: SetSpec;
  position: SetPoint;
  attitude: Attitude;
  width: number;
  height: number;
  gateWidthMm: number;
  focalLengthMm: number;
  tStop: number;
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

/** A frame of the plate: rectilinear, 14 linear bits in a 16-bit TIFF with ordinary metadata. */
export async function simulatePlate(
  input: SimulatePlateInput,
  control: RunControl = {},
): Promise<{ name: string; bytes: Uint8Array; exposure: number }> {
  const { width, height } = input;
  const light = await renderSet(
    input.spec,
    input.position,
    { width, height },
    { width, height, gateWidthMm: input.gateWidthMm, focalLengthMm: input.focalLengthMm, attitude: input.attitude },
    control,
  );
  const shutterS = shutterSeconds(input.shutterAngleDeg, input.fps);
  const exposure = photometricExposure({ shutterS, iso: input.ei, tStop: input.tStop, ndStops: input.ndStops });
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
    fNumberTag: input.tStop,
    iso: input.ei,
    focalLengthMm: input.focalLengthMm,
    takenAt: new Date(input.spec.utc),
    utcOffsetMinutes: input.utcOffsetMinutes,
    orientation: 1,
  });
  return { name: 'plate_a001.tif', bytes, exposure };
}
