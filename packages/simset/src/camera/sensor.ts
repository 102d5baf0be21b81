import { linearToSrgb, NOMINAL_LUMINANCE_PER_UNIT, type NoiseModel } from '@tawny/core';
import { lazily } from '../lazily';
import { createRandom } from '../random';

export interface Sensor {
  noise: NoiseModel;
  /** Real against nominal sensitivity: what metadata does not know. */
  sensitivity: number;
  /** Gain per channel before clipping: the white balance. */
  whiteBalance: readonly [number, number, number];
  bits: 8 | 14;
  /** Curve of 8-bit files: sRGB, or a camera's own with toe and shoulder that no formula of the builder describes. */
  curve?: '8-bit sRGB' | 'film-like';
  /** Photosites that leak: index of the sample in the picture and electrons that it gathers in this frame beside the light. */
  hot?: { samples: readonly number[]; electrons: number };
}

/** Positions (sample indices) of a sensor's leaking photosites: always the same ones for a seed. */
export function hotSamples(seed: number, count: number, width: number, height: number): number[] {
  const random = createRandom(seed, 'hot photosites');
  return Array.from(
    { length: count },
    () => 3 * Math.floor(random.next() * width * height) + Math.floor(random.next() * 3),
  );
}

/** Codes of the photosites of a red, green / green, blue sensor from a full-colour 16-bit picture, with black level and 14-bit white. */
export function mosaicOf(
  codes: Uint16Array,
  width: number,
  height: number,
  black: readonly [number, number, number, number],
  white: number,
): Uint16Array {
  const out = new Uint16Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const site = (y & 1) * 2 + (x & 1);
      const channel = site === 0 ? 0 : site === 3 ? 2 : 1;
      out[y * width + x] = Math.round(
        black[site] + (codes[3 * (y * width + x) + channel] / 65535) * (white - black[site]),
      );
    }
  }
  return out;
}

/** A picture profile: lifted toe, long shoulder, a little different in each channel. Input and output [0, 1]. */
export function filmLike(v: number, channel: number): number {
  const toe = [0.012, 0.01, 0.014][channel];
  const x = (v + toe) / (1 + toe);
  const shoulder = 1 - Math.pow(1 - x, [1.42, 1.38, 1.46][channel]);
  const base = Math.pow(toe / (1 + toe), 0.42);
  return (
    (Math.pow(0.72 * x + 0.28 * shoulder, 0.42) - base * Math.pow(0.72 + 0.28 * 1.4, 0.42)) /
    (1 - base * Math.pow(0.72 + 0.28 * 1.4, 0.42))
  );
}

const filmLikeCodes = lazily(() =>
  [0, 1, 2].map((c) =>
    Uint8Array.from({ length: 65536 }, (_, i) => Math.max(0, Math.min(255, Math.round(255 * filmLike(i / 65535, c))))),
  ),
);

const srgbCodes = lazily(() => {
  const codes = Uint8Array.from({ length: 65536 }, (_, i) => Math.round(255 * linearToSrgb(i / 65535)));
  return [codes, codes, codes];
});

/**
 * Exposes a sensor: shot and read noise in electrons, clipping at the full well, then an 8-bit sRGB curve or 14 linear bits in
 * 16-bit codes. Linear 1 is a luminance of `NOMINAL_LUMINANCE_PER_UNIT / X`.
 * @param light radiance on the sensor, cd/m2, interleaved RGB
 * @param exposure X, CONVENTIONS.md section 3
 */
export function expose(
  light: Float32Array,
  exposure: number,
  sensor: Sensor,
  seed: number,
  label: string,
): Uint8Array | Uint16Array {
  const random = createRandom(seed, label);
  const { fullWellE, readNoiseE } = sensor.noise;
  const k = ((exposure * sensor.sensitivity) / NOMINAL_LUMINANCE_PER_UNIT) * fullWellE;
  const gain = sensor.whiteBalance.map((g) => k * g);
  const read2 = readNoiseE * readNoiseE;
  const wide = sensor.bits === 14;
  const codes = sensor.curve === 'film-like' ? filmLikeCodes() : srgbCodes();
  const out = wide ? new Uint16Array(light.length) : new Uint8Array(light.length);
  const extra = new Map(sensor.hot?.samples.map((i) => [i, sensor.hot!.electrons]));
  const toCode = wide ? 16383 / fullWellE : 65535 / fullWellE;
  for (let i = 0; i < light.length; i += 3) {
    for (let c = 0; c < 3; c++) {
      const mean = light[i + c] * gain[c] + (extra.size > 0 ? (extra.get(i + c) ?? 0) : 0);
      let e = mean;
      if (mean > fullWellE * 1.2) e = fullWellE;
      else e += Math.sqrt(mean + read2) * random.normal();
      e = e < 0 ? 0 : e > fullWellE ? fullWellE : e;
      const v = Math.round(e * toCode);
      out[i + c] = wide ? Math.round((v * 65535) / 16383) : codes[c][v];
    }
  }
  return out;
}
