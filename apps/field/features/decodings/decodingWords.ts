import { statedPrimariesOf, type StatedPrimaries } from '@tawny/core/colour/primaries';
import type { KitCurve, PictureDecoding } from '@tawny/contract';

const CURVES: Record<string, string> = {
  linear: 'linear',
  srgb: 'sRGB curve',
  rec709: 'Rec. 709 curve',
  hlg: 'HLG',
  pq: 'PQ',
  gamma22: 'gamma 2.2',
};
const PRIMARIES: Record<string, string> = { rec709: 'Rec. 709 primaries', acescg: 'ACEScg primaries' };
const OF_FILES: Record<StatedPrimaries, string> = { rec2020: 'Rec. 2020 primaries', p3d65: 'P3 D65 primaries' };

/** Chromaticities by the name that they have. */
function chromaticityWords(chromaticities: readonly number[]): string {
  const name = statedPrimariesOf(chromaticities);
  return name ? OF_FILES[name] : 'primaries of its own';
}

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
        ? chromaticityWords(primaries)
        : "the sensor's own colours";
  return `${named}, ${range} range, ${set}`;
}
