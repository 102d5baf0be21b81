import {
  checkSheet,
  clearSunLuminance,
  floorAndEdge,
  levelFromVerticals,
  luminance,
  NOMINAL_LUMINANCE_PER_UNIT,
  rangeByRegion,
  SUN_SOLID_ANGLE,
  type Check,
  type CheckFacts,
  type ExpectedHeight,
  type RgbImage,
} from '@tawny/core';
import type { PanoramaAttributes } from '@tawny/formats';
import { inspectPanorama, type Inspection } from './inspect';

export interface CheckedPanorama {
  inspection: Inspection;
  checks: Check[];
  /** 95 % half width of how level it is; null when upright things tell too little. */
  levelDeg: number | null;
}

/** Inspection and check sheet of a panorama; what its builder knew may be added. */
export function checkPanorama(
  panorama: RgbImage,
  attributes: PanoramaAttributes = {},
  known: Partial<CheckFacts> = {},
  expected: ExpectedHeight | null = null,
): CheckedPanorama {
  const inspection = inspectPanorama(panorama, attributes, expected);
  const { sun } = inspection;
  const level = known.level === undefined ? levelOf(panorama) : known.level;
  const levelDeg = level ? level.uncertaintyDeg + (level.mended ? 0 : level.tiltDeg) : null;
  return {
    inspection,
    levelDeg,
    checks: checkSheet({
      statistics: inspection.statistics,
      widthPx: panorama.width,
      clippedSr: inspection.clippedSr,
      sun,
      missingSun: sun?.clipped
        ? missingSun(
            sun.elevationDeg,
            luminance(...sun.illuminanceNormal, panorama.space) *
              (attributes.whiteLuminance ?? NOMINAL_LUMINANCE_PER_UNIT),
          )
        : null,
      regions: rangeByRegion(panorama),
      ...floorAndEdge(panorama),
      ...known,
      level,
    }),
  };
}

/** What upright things say of a panorama whose builder said nothing. */
function levelOf(panorama: RgbImage): CheckFacts['level'] {
  const found = levelFromVerticals(panorama);
  return found && { tiltDeg: found.tiltDeg, uncertaintyDeg: found.uncertaintyDeg, mended: false };
}

/** Share of a clear sun's light that a cut-off sun lacks; null when it lacks none. */
function missingSun(elevationDeg: number, foundLux: number): number | null {
  const clear = clearSunLuminance(elevationDeg) * SUN_SOLID_ANGLE;
  return clear > foundLux ? 1 - foundLux / clear : null;
}
