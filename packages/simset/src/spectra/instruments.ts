import { OBSERVER, xyzOfSpectrum } from '@tawny/core';
import { bell, edge, spectrumOf, type Spectrum } from './spectrum';

/** Sensitivities of red, green and blue, any scale. */
export type CameraSpectra = readonly [Spectrum, Spectrum, Spectrum];

/** What glass and filter let through: nothing in the ultraviolet, little in the infrared. */
const passed = (nm: number, cutNm: number) => edge(nm, 405, 6) * (1 - edge(nm, cutNm, 9));

/** The rig's body: broad dyes, red with a second lobe in the blue. No matrix makes it of the other (tests). */
export const RIG_CAMERA: CameraSpectra = [
  spectrumOf((nm) => passed(nm, 672) * (0.92 * bell(nm, 602, nm < 602 ? 26 : 46) + 0.07 * bell(nm, 440, 24) + 0.03)),
  spectrumOf((nm) => passed(nm, 672) * (bell(nm, 533, nm < 533 ? 33 : 41) + 0.05 * bell(nm, 620, 40) + 0.03)),
  spectrumOf((nm) => passed(nm, 672) * (0.88 * bell(nm, 456, nm < 456 ? 24 : 34) + 0.04 * bell(nm, 540, 40) + 0.01)),
];

/** The plate's body: narrower dyes, red farther out, blue nearer to green. */
export const PLATE_CAMERA: CameraSpectra = [
  spectrumOf((nm) => passed(nm, 690) * (0.85 * bell(nm, 618, nm < 618 ? 30 : 36) + 0.1 * bell(nm, 545, 30) + 0.012)),
  spectrumOf((nm) => passed(nm, 690) * (bell(nm, 546, nm < 546 ? 38 : 34) + 0.1 * bell(nm, 470, 22) + 0.015)),
  spectrumOf((nm) => passed(nm, 690) * (0.95 * bell(nm, 466, nm < 466 ? 20 : 25) + 0.012)),
];

/** A light meter's own response: near the observer's, a little too much at both ends, as filters of glass leave it. */
export const METER: Spectrum = spectrumOf((nm) => {
  const k = (nm - 380) / 5;
  return OBSERVER[k][1] * (1 + 0.04 * Math.sin((nm - 540) / 45)) + 0.006 * bell(nm, 690, 30) + 0.004 * bell(nm, 430, 20);
}); // prettier-ignore

const sum = (a: Spectrum, b: Spectrum) => a.reduce((s, v, k) => s + v * b[k], 0);

/** What a camera makes of light: red, green and blue, 1, 1, 1 for light of `balancedTo` with luminance 1. */
export const seenBy = (camera: CameraSpectra, light: Spectrum, balancedTo: Spectrum): [number, number, number] => {
  const white = xyzOfSpectrum(balancedTo)[1];
  return camera.map((s) => (sum(s, light) / sum(s, balancedTo)) * white) as [number, number, number];
};

/** What a meter that was calibrated under `calibratedTo` shows over the photometric truth, for light of another spectrum: a factor. */
export const spectralMismatch = (meter: Spectrum, light: Spectrum, calibratedTo: Spectrum): number =>
  sum(meter, light) / xyzOfSpectrum(light)[1] / (sum(meter, calibratedTo) / xyzOfSpectrum(calibratedTo)[1]);
