import { planckian, xyzOfSpectrum } from '@tawny/core';
import { bell, scaled, spectrumOf, type Spectrum } from './spectrum';

/** Components of daylight (CIE 15): mean and two eigenvectors, 380 to 780 nm by 10. */
const DAYLIGHT: readonly (readonly [number, number, number])[] = [
  [63.4, 38.5, 3],
  [65.8, 35, 1.2],
  [94.8, 43.4, -1.1],
  [104.8, 46.3, -0.5],
  [105.9, 43.9, -0.7],
  [96.8, 37.1, -1.2],
  [113.9, 36.7, -2.6],
  [125.6, 35.9, -2.9],
  [125.5, 32.6, -2.8],
  [121.3, 27.9, -2.6],
  [121.3, 24.3, -2.6],
  [113.5, 20.1, -1.8],
  [113.1, 16.2, -1.5],
  [110.8, 13.2, -1.3],
  [106.5, 8.6, -1.2],
  [108.8, 6.1, -1],
  [105.3, 4.2, -0.5],
  [104.4, 1.9, -0.3],
  [100, 0, 0],
  [96, -1.6, 0.2],
  [95.1, -3.5, 0.5],
  [89.1, -3.5, 2.1],
  [90.5, -5.8, 3.2],
  [90.3, -7.2, 4.1],
  [88.4, -8.6, 4.7],
  [84, -9.5, 5.1],
  [85.1, -10.9, 6.7],
  [81.9, -10.7, 7.3],
  [82.6, -12, 8.6],
  [84.9, -14, 9.8],
  [81.3, -13.6, 10.2],
  [71.9, -12, 8.3],
  [74.3, -13.3, 9.6],
  [76.4, -12.9, 8.5],
  [63.3, -10.6, 7],
  [71.7, -11.6, 7.6],
  [77, -12.2, 8],
  [65.2, -10.2, 6.7],
  [47.7, -7.8, 5.2],
  [68.6, -11.2, 7.4],
  [65, -10.4, 6.8],
];

/** Scaled so that its luminance sum is 1. */
const normed = (s: Spectrum): Spectrum => scaled(s, 1 / xyzOfSpectrum(s)[1]);

/** A phase of daylight, luminance 1 (CIE 15). @param kelvin 4000 to 25000 */
export function daylight(kelvin: number): Spectrum {
  const t = 1000 / kelvin;
  const x =
    kelvin <= 7000
      ? 0.244063 + 0.09911 * t + 2.9678 * t * t - 4.607 * t ** 3
      : 0.23704 + 0.24748 * t + 1.9018 * t * t - 2.0064 * t ** 3;
  const y = -3 * x * x + 2.87 * x - 0.275;
  const m = 0.0241 + 0.2562 * x - 0.7341 * y;
  const [m1, m2] = [(-1.3515 - 1.7703 * x + 5.9114 * y) / m, (0.03 - 31.4424 * x + 30.0717 * y) / m];
  return normed(DAYLIGHT.map(([s0, s1, s2]) => s0 + m1 * s1 + m2 * s2));
}

/** A lamp that glows, luminance 1. */
export const filament = (kelvin: number): Spectrum => normed(planckian(kelvin));

/** A white diode: a blue pump at `pumpNm` and its phosphor; `warm` 0 (cold) to 1. Luminance 1. */
export const diode = (pumpNm: number, warm: number): Spectrum =>
  normed(
    spectrumOf(
      (nm) =>
        (1.1 - 0.7 * warm) * bell(nm, pumpNm, 10) +
        (0.55 + 0.2 * warm) * bell(nm, 545 + 30 * warm, 42) +
        0.45 * warm * bell(nm, 625, 32) +
        0.12 * bell(nm, 500, 25),
    ),
  );

/** A gas discharge behind a three-band phosphor: lines on a low ground. Luminance 1. */
export const discharge = (): Spectrum =>
  normed(
    spectrumOf(
      (nm) =>
        0.06 +
        0.5 * bell(nm, 436, 6) +
        0.25 * bell(nm, 487, 9) +
        1.3 * bell(nm, 544, 6) +
        0.3 * bell(nm, 585, 10) +
        1.15 * bell(nm, 612, 6) +
        0.1 * bell(nm, 650, 15),
    ),
  );
