import { WAVELENGTHS_NM } from '@tawny/core';

/** Values at `WAVELENGTHS_NM` (380 to 780 nm by 10). */
export type Spectrum = readonly number[];

export const spectrumOf = (at: (nm: number) => number): Spectrum => WAVELENGTHS_NM.map(at);

/** A bell about a wavelength, of unit height; `width` is its sigma in nm. */
export const bell = (nm: number, centre: number, width: number): number =>
  Math.exp(-(((nm - centre) / width) ** 2) / 2);

/** A rise from 0 to 1 about a wavelength; `width` in nm. */
export const edge = (nm: number, centre: number, width: number): number => 1 / (1 + Math.exp(-(nm - centre) / width));

export const times = (...of: readonly Spectrum[]): Spectrum =>
  of[0].map((_, k) => of.reduce((product, s) => product * s[k], 1));

/** Weighted sum. */
export const mixed = (...parts: readonly (readonly [number, Spectrum])[]): Spectrum =>
  parts[0][1].map((_, k) => parts.reduce((sum, [weight, s]) => sum + weight * s[k], 0));

export const scaled = (s: Spectrum, by: number): Spectrum => s.map((v) => v * by);
