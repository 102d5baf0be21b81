import {
  DEFAULT_NOISE,
  lensFromFov,
  luminance,
  NOMINAL_LUMINANCE_PER_UNIT,
  photometricExposure,
  quaternionFromAttitude,
  type Attitude,
} from '@tawny/core';
import { encodeJpeg } from '@tawny/formats';
import { expose, projectSet, type SetPoint } from '@tawny/simset';
import type { RunControl } from '../progress';
import { renderSet } from './renderSet';
import { createScene, discAt, type SetSpec } from './set';

export interface SimulatePhoneInput {
  spec: SetSpec;
  position: SetPoint;
  attitude: Attitude;
  width: number;
  height: number;
  /** Across the width of the upright picture. */
  fovDeg: number;
  /** A locked shutter; null lets the phone choose, as it does for each view. */
  shutterS: number | null;
  seed: number;
}

/** Aperture and ISO that the stand-in phone has. */
export const PHONE = { fNumber: 1.8, iso: 50, fastestS: 1 / 16000, slowestS: 1 / 8 } as const;

const SET_WIDTH = 2048;

/** One picture of a phone held upright: 8-bit JPEG with nothing in it but pixels, as a browser hands them over, and the shutter that the phone took. */
export async function simulatePhone(
  input: SimulatePhoneInput,
  control: RunControl = {},
): Promise<{ jpeg: Buffer; shutterS: number; iso: number }> {
  const { width, height, fovDeg } = input;
  const set = await renderSet(
    input.spec,
    input.position,
    { width: SET_WIDTH, height: SET_WIDTH / 2 },
    undefined,
    control,
  );
  const light = new Float32Array(3 * width * height);
  projectSet(
    set,
    discAt(createScene(input.spec), input.position),
    lensFromFov('rectilinear', fovDeg, { width, height }, 'width'),
    quaternionFromAttitude(input.attitude),
    0,
    height,
    light,
  );
  const shutterS = Math.min(PHONE.slowestS, Math.max(PHONE.fastestS, input.shutterS ?? metered(light)));
  const exposure = photometricExposure({ shutterS, iso: PHONE.iso, tStop: PHONE.fNumber, ndStops: 0 });
  const codes = expose(
    light,
    exposure,
    { noise: DEFAULT_NOISE, sensitivity: 1, whiteBalance: [1, 1, 1], bits: 8 },
    input.seed,
    `phone ${input.attitude.headingDeg} ${input.attitude.tiltDeg}`,
  ) as Uint8Array;
  return { jpeg: await encodeJpeg(codes, width, height), shutterS, iso: PHONE.iso };
}

/** The shutter that puts the median at mid grey. */
function metered(data: Float32Array): number {
  const values: number[] = [];
  for (let i = 0; i < data.length; i += 3 * 37) values.push(luminance(data[i], data[i + 1], data[i + 2], 'rec709'));
  values.sort((a, b) => a - b);
  const unit = photometricExposure({ shutterS: 1, iso: PHONE.iso, tStop: PHONE.fNumber, ndStops: 0 });
  return (0.18 * NOMINAL_LUMINANCE_PER_UNIT) / (values[values.length >> 1] * unit);
}
