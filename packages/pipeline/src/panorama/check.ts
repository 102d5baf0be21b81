import { checkSheet, floorAndEdge, type Check, type CheckFacts, type RgbImage } from '@tawny/core';
import type { PanoramaAttributes } from '@tawny/formats';
import { inspectPanorama, type Inspection } from './inspect';

/** Inspection and check sheet of a panorama; what its builder knew may be added. */
export function checkPanorama(panorama: RgbImage, attributes: PanoramaAttributes = {}, known: Partial<CheckFacts> = {}): { inspection: Inspection; checks: Check[] } {
  const inspection = inspectPanorama(panorama, attributes);
  return { inspection, checks: checkSheet({ statistics: inspection.statistics, widthPx: panorama.width, clippedSr: inspection.clippedSr, sun: inspection.sun, ...floorAndEdge(panorama), ...known }) };
}
