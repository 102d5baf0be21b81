import { plateToWorld, type PlateCamera } from '@tawny/core';
import type { RayMap } from '@tawny/simset';

/** World rays through continuous pixel coordinates of a plate whose camera has a pose; straight ahead where its lens sends none. */
export function plateRays(camera: PlateCamera): RayMap {
  const ahead = plateToWorld(camera, camera.centreXPx, camera.centreYPx)!;
  return (x, y, out) => {
    const d = plateToWorld(camera, x, y) ?? ahead;
    for (let k = 0; k < 3; k++) out[k] = d[k];
  };
}
