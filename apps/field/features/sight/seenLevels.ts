import type { ColourMatrix, Levels, Quaternion, WorkingSpace } from '@tawny/core';
import { toWorkingSpace } from '@tawny/core/colour/convert';
import { luminance, WORKING_SPACES } from '@tawny/core/colour/primaries';
import { levelsOf } from '@tawny/core/compare/levels';
import { conjugate, rotate } from '@tawny/core/orient/quaternion';
import { anglesFromDirection } from '@tawny/core/sphere/direction';
import { valueAt, type FloatPicture } from '../../ui/panorama/floatPicture';
import { directionAt, type SightView } from './sightMath';

const COLUMNS = 160;

interface Light {
  picture: FloatPicture;
  typical: number;
}

/** Levels of a plate and of the panorama through its view, both in the plate's unit; without a gain the panorama is laid with its middle on the plate's. */
export function seenLevels(
  view: SightView,
  turn: Quaternion,
  plate: Light,
  panorama: Light & { space: WorkingSpace; gainStops: number | null; colours: ColourMatrix | null },
): { plate: Levels; panorama: Levels } {
  const rows = Math.max(1, Math.round((COLUMNS * view.heightPx) / (view.widthPx * view.squeeze)));
  const [inPlate, inPanorama] = [new Float64Array(COLUMNS * rows), new Float64Array(COLUMNS * rows)];
  const gain = panorama.gainStops === null ? plate.typical / panorama.typical : 2 ** panorama.gainStops;
  const toDisplay = toWorkingSpace(WORKING_SPACES[panorama.space].chromaticities, 'rec709');
  const through = (m: ColourMatrix | null, v: readonly number[]) =>
    m ? [0, 3, 6].map((r) => m[r] * v[0] + m[r + 1] * v[1] + m[r + 2] * v[2]) : v;
  const back = conjugate(turn);
  for (let i = 0; i < inPlate.length; i++) {
    const [u, v] = [((i % COLUMNS) + 0.5) / COLUMNS, (Math.floor(i / COLUMNS) + 0.5) / rows];
    const at = (picture: FloatPicture, x: number, y: number) =>
      valueAt(
        picture,
        Math.min(picture.width - 1, Math.floor(x * picture.width)),
        Math.min(picture.height - 1, Math.floor(y * picture.height)),
      );
    const seen = at(plate.picture, u, v);
    inPlate[i] = luminance(seen[0], seen[1], seen[2], 'rec709');
    const direction = directionAt(view, u * view.widthPx, v * view.heightPx);
    if (!direction) {
      inPanorama[i] = NaN;
      continue;
    }
    const { azimuthDeg, elevationDeg } = anglesFromDirection(rotate(back, direction));
    const light = at(panorama.picture, azimuthDeg / 360, (90 - elevationDeg) / 180);
    const shown = through(toDisplay, through(panorama.colours, light));
    inPanorama[i] = gain * luminance(shown[0], shown[1], shown[2], 'rec709');
  }
  return { plate: levelsOf(inPlate, COLUMNS), panorama: levelsOf(inPanorama, COLUMNS) };
}
