import type { Calibration, Take } from '@tawny/contract';
import type { ColourMatrix } from '@tawny/core';
import { useExposures } from '../../data/queries';

/** What lays a panorama's light on a take's plate: its gain from all that was measured, and its colours where they are those of the take's body. */
export function usePlateScale(
  panoramaId: string,
  calibration: Calibration | null,
  take: Take | undefined,
): { gainStops: number | null; colours: ColourMatrix | null } {
  const exposures = useExposures(panoramaId).data;
  // Settings alone lay nothing on anything.
  const measured = exposures?.sources.some((s) => s.kind === 'card') ?? false;
  const own = exposures?.takes.find((t) => t.takeId === take?.id);
  const colour = calibration?.colour;
  const same = colour && colour.bodyId === take?.bodyId && colour.formatName === take.formatName;
  return {
    gainStops: measured && own && own.uncertaintyStops !== null ? own.gainStops : null,
    colours: same ? (colour.matrix as unknown as ColourMatrix) : null,
  };
}
