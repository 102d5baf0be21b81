import type { Random } from '../random';
import { bell, edge, spectrumOf, type Spectrum } from './spectrum';

type Part = readonly ['bell' | 'edge', height: number, centreNm: number, widthNm: number];

const surface = (ground: number, ...parts: readonly Part[]): Spectrum =>
  spectrumOf((nm) =>
    Math.max(
      0.005,
      parts.reduce((sum, [kind, height, centre, width]) => sum + height * (kind === 'bell' ? bell : edge)(nm, centre, width), ground),
    ),
  ); // prettier-ignore

/** A neutral that is nearly one: it falls a little towards blue, as paint does. */
const neutral = (level: number): Spectrum =>
  spectrumOf((nm) => level * (1 + 0.03 * ((nm - 560) / 200)) * (0.9 + 0.1 * edge(nm, 415, 12)));

/**
 * The demo's own chart: 24 reflectances, row by row of six from the corner of the dark skin to the black. Natural colours, then strong ones,
 * then a scale of neutrals.
 */
export const CHART: readonly Spectrum[] = [
  surface(0.045, ['edge', 0.13, 600, 32], ['bell', 0.012, 450, 40]),
  surface(0.17, ['edge', 0.36, 588, 26], ['bell', 0.06, 510, 30]),
  surface(0.11, ['bell', 0.22, 462, 58]),
  surface(0.045, ['bell', 0.105, 552, 26], ['edge', 0.3, 712, 14]),
  surface(0.19, ['bell', 0.26, 438, 46], ['edge', 0.24, 662, 24]),
  surface(0.14, ['bell', 0.42, 512, 46], ['edge', 0.05, 700, 20]),
  surface(0.045, ['edge', 0.54, 586, 17]),
  surface(0.06, ['bell', 0.31, 449, 38], ['edge', 0.11, 682, 24]),
  surface(0.085, ['bell', 0.05, 428, 36], ['edge', 0.46, 604, 15]),
  surface(0.045, ['bell', 0.12, 430, 34], ['edge', 0.19, 648, 19]),
  surface(0.075, ['edge', 0.48, 519, 14], ['edge', -0.24, 602, 28]),
  surface(0.06, ['edge', 0.6, 556, 19]),
  surface(0.035, ['bell', 0.27, 446, 29], ['edge', 0.05, 700, 18]),
  surface(0.045, ['bell', 0.29, 531, 34]),
  surface(0.042, ['edge', 0.56, 613, 12]),
  surface(0.055, ['edge', 0.7, 521, 17]),
  surface(0.11, ['bell', 0.24, 432, 44], ['edge', 0.55, 603, 17]),
  surface(0.065, ['bell', 0.34, 482, 50]),
  neutral(0.9),
  neutral(0.59),
  neutral(0.36),
  neutral(0.19),
  neutral(0.09),
  neutral(0.032),
];

/** The demo's grey card: 18 % to a hundredth of a stop. */
export const GREY_CARD: Spectrum = spectrumOf((nm) => 0.18 * (1 + 0.015 * ((nm - 560) / 200)));

/** A surface as a place has them: one to three pigments on a ground. */
export function anySurface(random: Random): Spectrum {
  const parts = Array.from({ length: 1 + Math.floor(3 * random.next()) }, (): Part => {
    const kind = random.next() < 0.5 ? 'bell' : 'edge';
    return [kind, 0.08 + 0.4 * random.next(), 420 + 260 * random.next(), kind === 'bell' ? 20 + 40 * random.next() : 10 + 25 * random.next()];
  }); // prettier-ignore
  return surface(0.03 + 0.15 * random.next(), ...parts);
}
