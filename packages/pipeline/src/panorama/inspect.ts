import {
  detectSun,
  illuminance,
  luminance,
  NOTABLE_CLIPPED_SR,
  panoramaStatistics,
  type DetectedSun,
  type ExpectedHeight,
  type PanoramaStatistics,
  type RgbImage,
} from '@tawny/core';
import type { PanoramaAttributes } from '@tawny/formats';

export interface Inspection {
  widthPx: number;
  heightPx: number;
  statistics: PanoramaStatistics;
  clippedSr: number;
  sun: DetectedSun | null;
  /** Lux when absolute, else panorama unit x sr. */
  illuminanceHorizontal: number;
  absolute: boolean;
}

/** Range, clipping, sun and illuminance of any panorama; what the builder knew about clipping is believed over the pixels, place and time are a witness of the sun. */
export function inspectPanorama(
  panorama: RgbImage,
  attributes: PanoramaAttributes = {},
  expected: ExpectedHeight | null = null,
): Inspection {
  const statistics = panoramaStatistics(panorama);
  const clippedSr = attributes.clippedSr ?? statistics.plateauSr;
  const scale = attributes.whiteLuminance ?? 1;
  return {
    widthPx: panorama.width,
    heightPx: panorama.height,
    statistics,
    clippedSr,
    sun: detectSun(panorama, {
      expected,
      ...(attributes.clippedSr === undefined ? {} : { clipped: clippedSr > NOTABLE_CLIPPED_SR }),
    }),
    illuminanceHorizontal: scale * luminance(...illuminance(panorama, [0, 1, 0]), panorama.space),
    absolute: attributes.whiteLuminance !== undefined,
  };
}
