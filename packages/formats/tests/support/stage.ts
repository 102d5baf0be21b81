import { plateCamera, type Vec3 } from '@tawny/core';
import type { LightStage } from '../../src';

/** A stage with an anamorphic camera: 24 x 20 mm squeezed twice, T4 at 64 % transmission, 6 m of focus from a pupil 0.1 m ahead. */
export const anamorphicStage = (direction: Vec3, comment: string): LightStage => ({
  domeTexture: 'textures/residual.exr',
  domeIntensity: 1,
  space: 'acescg',
  comment,
  sun: { direction, illuminance: [2, 1, 0.5], diameterDeg: 0.53 },
  camera: {
    name: 'Camera_A',
    camera: plateCamera(
      { focalLengthMm: 35, tStop: 4, focusM: 6, eastM: 1, northM: 3, heightM: 2, tiltDeg: 0, headingDeg: 0 },
      { gateWidthMm: 24, gateHeightMm: 20, widthPx: 1440, heightPx: 1200, squeeze: 1, circleOfConfusionMm: 0.025 },
      { squeeze: 2, transmission: 0.64, entrancePupil: [{ focalMm: 35, distanceMm: 100 }], distortion: null },
    ),
  },
});
