import sharp from 'sharp';
import { STATED_PRIMARIES, workingSpaceOf, type CodeRange, type Curve, type WorkingSpace } from '@tawny/core';
import type { PanoramaAttributes } from '../exr/attributes';
import { readIcc } from '../image/icc';
import type { ImageMetadata } from '../image/metadata';
import { readPngColour } from '../image/pngColour';

/** Primaries as a record can hold them. */
export type FilePrimaries = WorkingSpace | number[] | { xyzToCamera: number[] };

/** What a file itself says that its code values mean: null when it is silent, and then why nothing can be taken from it. */
export interface FileDecoding {
  decoding: { curve: Curve; range: CodeRange; primaries: FilePrimaries } | null;
  /** Words for people: "its ICC profile (Rec. 709 linear)". */
  source: string;
}

const named = (primaries: WorkingSpace | readonly number[]): WorkingSpace | number[] =>
  typeof primaries === 'string' ? primaries : (workingSpaceOf(primaries) ?? [...primaries]);

const silent = (source: string): FileDecoding => ({ decoding: null, source });
const says = (curve: Curve, primaries: FilePrimaries, source: string, range: CodeRange = 'full'): FileDecoding => ({
  decoding: { curve, range, primaries },
  source,
});

/** OpenEXR is linear; its primaries are those of its header, else Rec. 709 as the standard says. */
export function exrDecoding({ chromaticities }: PanoramaAttributes): FileDecoding {
  return chromaticities
    ? says('linear', named(chromaticities), 'OpenEXR is linear; primaries from its header')
    : says('linear', 'rec709', 'OpenEXR is linear; without chromaticities its primaries are Rec. 709');
}

export const HDR_DECODING = says('linear', 'rec709', 'Radiance HDR is linear');
export const FLOAT_TIFF_DECODING = says('linear', 'rec709', 'a float TIFF is linear');

/** Raw files are linear in the sensor's own colours. */
export function rawDecoding({ cameraMatrix }: ImageMetadata): FileDecoding {
  return cameraMatrix
    ? says('linear', { xyzToCamera: [...cameraMatrix] }, 'camera raw is linear; colours by the matrix in the file')
    : silent('camera raw that states no matrix of its camera: what its colours are is not known');
}

/** Code points of ITU-T H.273: curves and primaries that have a name here. */
export const H273_CURVES: Record<number, Curve> = {
  1: 'rec709', 4: 'gamma:2.2', 5: 'gamma:2.8', 6: 'rec709', 8: 'linear', 13: 'srgb', 14: 'rec709', 15: 'rec709', 16: 'pq', 18: 'hlg',
}; // prettier-ignore
export const H273_PRIMARIES: Record<number, WorkingSpace | number[]> = {
  1: 'rec709',
  5: [0.64, 0.33, 0.29, 0.6, 0.15, 0.06, 0.3127, 0.329],
  6: [0.63, 0.34, 0.31, 0.595, 0.155, 0.07, 0.3127, 0.329],
  9: STATED_PRIMARIES.rec2020,
  12: STATED_PRIMARIES.p3d65,
};

/** The primaries of Exif's interoperability index R03 (DCF optional colour space). */
const DCF_OPTIONAL = [0.64, 0.33, 0.21, 0.71, 0.15, 0.06, 0.3127, 0.329];

/** JPEG, PNG and TIFF of whole codes: PNG's code points, the ICC profile, PNG's other chunks, Exif's colour space, in this order. */
export async function imageDecoding(bytes: Uint8Array, metadata: ImageMetadata): Promise<FileDecoding> {
  const png = readPngColour(bytes);
  if (png?.codePoints) {
    const { primaries, transfer, fullRange } = png.codePoints;
    const [curve, set] = [H273_CURVES[transfer], H273_PRIMARIES[primaries]];
    if (!curve || !set)
      return silent(`its cICP chunk states transfer ${transfer} and primaries ${primaries}, which no curve here is`);
    return says(curve, set, 'its cICP chunk', fullRange ? 'full' : 'legal');
  }
  const { icc } = await sharp(bytes).metadata();
  const profile = icc && readIcc(icc);
  if (icc) {
    const name = profile?.description ? ` (${profile.description})` : '';
    if (profile?.curve && profile.primaries)
      return says(profile.curve, named(profile.primaries), `its ICC profile${name}`);
    return silent(`its ICC profile${name} holds a curve or primaries of its own, which no name here is`);
  }
  if (png?.srgb) return says('srgb', 'rec709', 'its sRGB chunk');
  if (png?.gamma && png.primaries) return says(png.gamma, named(png.primaries), 'its gAMA and cHRM chunks');
  if (metadata.colourSpace === 'srgb') return says('srgb', 'rec709', 'its Exif colour space (sRGB)');
  if (metadata.colourSpace === 'dcfOptional')
    return says('gamma:2.2', DCF_OPTIONAL, 'its Exif interoperability index (R03)');
  return silent('it holds no ICC profile, no colour space in its Exif and no colour chunk');
}
