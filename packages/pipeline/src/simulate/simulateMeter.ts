import { illuminance, type Vec3 } from '@tawny/core';
import { planeIlluminance, type SetPoint } from '@tawny/simset';
import type { RunControl } from '../progress';
import { renderSet } from './renderSet';
import { createScene, discAt, type SetSpec } from './set';

const WIDTH = 512;

/** True illuminance in lux on a plane (unit normal, world frame) at a point of the simulated set: sky, surroundings and the sun's disc as far as the point sees it. */
export async function setIlluminance(
  spec: SetSpec,
  point: SetPoint,
  normal: Vec3,
  control: RunControl = {},
): Promise<number> {
  const set = await renderSet(spec, point, { width: WIDTH, height: WIDTH / 2 }, undefined, control);
  return planeIlluminance(illuminance(set, normal), discAt(createScene(spec), point), normal);
}
