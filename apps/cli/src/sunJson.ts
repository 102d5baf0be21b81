import { luminance, type DetectedSun, type WorkingSpace } from '@tawny/core';

/** The sun as every verb prints it, or null when there is none. */
export function sunJson(sun: DetectedSun | null, space: WorkingSpace, scale = 1) {
  return sun === null
    ? null
    : {
        azimuthDeg: sun.azimuthDeg,
        elevationDeg: sun.elevationDeg,
        diameterDeg: sun.diameterDeg,
        clipped: sun.clipped,
        witnessed: sun.witnessed,
        illuminanceNormal: scale * luminance(...sun.illuminanceNormal, space),
        uncertaintyDeg: sun.uncertaintyDeg,
      };
}
