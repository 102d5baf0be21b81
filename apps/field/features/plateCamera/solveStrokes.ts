import type { CameraOfPlate } from '@tawny/core';
import { onPlate } from '@tawny/core/camera/onPlate';
import { cameraOfTake } from '@tawny/core/camera/plateCamera';
import { cameraOfPlate, carriedOf } from '@tawny/core/camera/strokesOnPlate';
import type { CameraBody, LensRecord, Location, Plate, Take } from '@tawny/contract';
import { sentence } from '../../ui/words';
import type { SeenTake } from '../sight/sightMath';
import { strokeCount, type Drawn } from './plateStrokes';

/** What the strokes tell of a plate's camera, or why they tell nothing yet; null while there is none. As the server solves it when it is kept. */
export function solveStrokes(
  drawn: Drawn,
  take: Take,
  plate: Plate,
  kit: { bodies: readonly CameraBody[]; lenses: readonly LensRecord[] },
  place: Location,
): { found: CameraOfPlate } | { fault: string } | null {
  if (strokeCount(drawn) === 0) return null;
  const body = kit.bodies.find((b) => b.id === take.bodyId);
  const lens = kit.lenses.find((l) => l.id === take.lensId);
  const logged = cameraOfTake({ ...take, pictureCamera: null }, body, lens, place);
  if (!logged)
    return { fault: 'The take’s camera is not in the kit: choose its recording format and lens in the log.' };
  try {
    return { found: cameraOfPlate(onPlate(logged, plate, take.flopped), drawn, take) };
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { fault: sentence(error.message) };
  }
}

/** The take as it would be if it carried what was found. */
export const carrying = (take: Take, found: CameraOfPlate): SeenTake => ({ ...take, pictureCamera: carriedOf(found) });
