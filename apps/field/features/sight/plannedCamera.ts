import { onPlate } from '@tawny/core/camera/onPlate';
import { plateCamera } from '@tawny/core/camera/plateCamera';
import { quaternionFromAttitude } from '@tawny/core/orient/attitude';
import type { CameraBody, LensRecord } from '@tawny/contract';
import type { SightView } from './sightMath';

/** A camera for planning, where there is no take yet. */
export interface PlannedCamera {
  format: CameraBody['formats'][number];
  lens: LensRecord;
  focalLengthMm: number;
  headingDeg: number;
  tiltDeg: number;
}

/** The first format and lens of a kit, straight ahead; null of a kit that has neither. */
export function plannedFrom(kit: {
  bodies: readonly CameraBody[];
  lenses: readonly LensRecord[];
}): PlannedCamera | null {
  const format = kit.bodies[0]?.formats[0];
  const lens = kit.lenses.find((l) => l.kind !== 'fisheye');
  return format && lens ? { format, lens, focalLengthMm: lens.focalMinMm, headingDeg: 0, tiltDeg: 0 } : null;
}

/** The sight through a planned camera: its heading is where one wants to look, in the panorama's own frame until that is turned. */
export function sightOfPlanned({ format, lens, focalLengthMm, headingDeg, tiltDeg }: PlannedCamera): SightView {
  const nowhere = { focusM: null, eastM: null, northM: null, heightM: null, tiltDeg: null, headingDeg: null };
  const camera = plateCamera({ ...nowhere, focalLengthMm, tStop: lens.tMin }, format, lens);
  return {
    ...onPlate(camera, camera),
    attitude: quaternionFromAttitude({ headingDeg, tiltDeg, rollDeg: 0 }),
    headingKnown: false,
    tiltKnown: false,
  };
}
