import { linearToSrgb, NOMINAL_LUMINANCE_PER_UNIT, type NoiseModel } from '@tawny/core';
import { createRandom } from '../random';

export interface Sensor {
  noise: NoiseModel;
  /** Real against nominal sensitivity: what metadata does not know. */
  sensitivity: number;
  /** Gain per channel before clipping: the white balance. */
  whiteBalance: readonly [number, number, number];
  bits: 8 | 14;
}

const SRGB = Uint8Array.from({ length: 65536 }, (_, i) => Math.round(255 * linearToSrgb(i / 65535)));

/**
 * Exposes a sensor: shot and read noise in electrons, clipping at the full well, then an 8-bit sRGB curve or 14 linear bits in
 * 16-bit codes. Linear 1 is a luminance of `NOMINAL_LUMINANCE_PER_UNIT / X`.
 * @param light radiance on the sensor, cd/m2, interleaved RGB
 * @param exposure X, CONVENTIONS.md section 3
 */
export function expose(light: Float32Array, exposure: number, sensor: Sensor, seed: number, label: string): Uint8Array | Uint16Array {
  const random = createRandom(seed, label);
  const { fullWellE, readNoiseE } = sensor.noise;
  const k = ((exposure * sensor.sensitivity) / NOMINAL_LUMINANCE_PER_UNIT) * fullWellE;
  const gain = sensor.whiteBalance.map((g) => k * g);
  const read2 = readNoiseE * readNoiseE;
  const wide = sensor.bits === 14;
  const out = wide ? new Uint16Array(light.length) : new Uint8Array(light.length);
  const toCode = wide ? 16383 / fullWellE : 65535 / fullWellE;
  for (let i = 0; i < light.length; i += 3) {
    for (let c = 0; c < 3; c++) {
      const mean = light[i + c] * gain[c];
      let e = mean;
      if (mean > fullWellE * 1.2) e = fullWellE;
      else e += Math.sqrt(mean + read2) * random.normal();
      e = e < 0 ? 0 : e > fullWellE ? fullWellE : e;
      const v = Math.round(e * toCode);
      out[i + c] = wide ? Math.round((v * 65535) / 16383) : SRGB[v];
    }
  }
  return out;
}
