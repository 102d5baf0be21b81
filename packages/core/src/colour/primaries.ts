/** Working primaries of a production. CONVENTIONS.md section 3. */
export type WorkingSpace = 'rec709' | 'acescg';

interface SpaceFacts {
  /** CIE xy of red, green, blue and white, in the order of OpenEXR's `chromaticities`. */
  readonly chromaticities: readonly number[];
  readonly luminance: readonly [number, number, number];
}

export const WORKING_SPACES: Record<WorkingSpace, SpaceFacts> = {
  rec709: {
    chromaticities: [0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329],
    luminance: [0.2126, 0.7152, 0.0722],
  },
  acescg: {
    chromaticities: [0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.32168, 0.33767],
    luminance: [0.2722, 0.6741, 0.0537],
  },
};

/** Primaries that files state and no production works in, laid out as those above: ITU-R BT.2020 table 3, SMPTE EG 432-1 under D65. */
export const STATED_PRIMARIES = {
  rec2020: [0.708, 0.292, 0.17, 0.797, 0.131, 0.046, 0.3127, 0.329],
  p3d65: [0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.3127, 0.329],
} satisfies Record<string, number[]>;
export type StatedPrimaries = keyof typeof STATED_PRIMARIES;

/** Chromaticities that are the same to the rounding of files. */
export const sameChromaticities = (a: readonly number[], b: readonly number[]): boolean =>
  a.every((v, i) => Math.abs(v - b[i]) < 2e-4);

/** Which of these some chromaticities are, to the rounding of files; null of others. */
export function statedPrimariesOf(chromaticities: readonly number[]): StatedPrimaries | null {
  const names = Object.keys(STATED_PRIMARIES) as StatedPrimaries[];
  return names.find((n) => sameChromaticities(STATED_PRIMARIES[n], chromaticities)) ?? null;
}

/** Luminance of a linear working-space triple, in the unit of the triple. */
export function luminance(r: number, g: number, b: number, space: WorkingSpace): number {
  const k = WORKING_SPACES[space].luminance;
  return k[0] * r + k[1] * g + k[2] * b;
}
