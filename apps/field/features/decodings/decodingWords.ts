import type { KitCurve, PictureDecoding } from '@tawny/contract';

const CURVES: Record<string, string> = {
  linear: 'linear',
  srgb: 'sRGB curve',
  rec709: 'Rec. 709 curve',
  gamma22: 'gamma 2.2',
};
const PRIMARIES: Record<string, string> = { rec709: 'Rec. 709 primaries', acescg: 'ACEScg primaries' };

/** What code values mean, in one line. */
export function decodingWords({ curve, range, primaries }: PictureDecoding, curves: readonly KitCurve[]): string {
  const kit = curves.find((c) => curve === `clf:${c.hash}`);
  const named =
    CURVES[curve] ??
    (curve.startsWith('gamma:') ? `gamma ${curve.slice(6)}` : (kit?.name ?? 'a curve that left the kit'));
  const set =
    typeof primaries === 'string'
      ? PRIMARIES[primaries]
      : Array.isArray(primaries)
        ? 'primaries of its own'
        : "the sensor's own colours";
  return `${named}, ${range} range, ${set}`;
}
