import { readFile } from 'node:fs/promises';
import { proposePicks, type Pixels, type PlateOptics, type Proposed, type RoughPose } from '@tawny/core';
import { decodeFloatPicture, readMeasuredPicture } from '@tawny/pipeline';
import { decodingFor, type TaskDecoding } from './taskDecoding';

/** Things that a plate and a panorama both show. @throws FileProblem naming the plate */
export async function proposals(
  panorama: { path: string; pixels: Pixels },
  plate: { path: string; name: string; decoding: TaskDecoding },
  optics: PlateOptics,
  pose: RoughPose,
): Promise<Proposed> {
  const { image } = await readMeasuredPicture(plate.path, plate.name, await decodingFor(plate.decoding));
  return proposePicks(decodeFloatPicture(await readFile(panorama.path), panorama.pixels), image, optics, pose);
}
