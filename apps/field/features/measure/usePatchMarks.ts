import { useState } from 'react';
import type { ReferenceKind } from '@tawny/contract';
import type { FourCorners } from '../../ui/corners';

/** What is marked in plate and panorama; a surface in the plate alone. */
export type PatchKind = 'card' | 'chart' | 'region' | 'surface';

export const PATCH_NAMES: Record<PatchKind, string> = {
  card: 'grey card',
  chart: 'chart',
  region: 'region',
  surface: 'ball or card',
};
/** Photographs made to be measured that show it. */
export const ON_IT: Record<PatchKind, readonly ReferenceKind[]> = {
  card: ['greyCard'],
  chart: ['chart'],
  region: [],
  surface: ['greyBall', 'chromeBall', 'greyCard'],
};
/** Where the order of the corners matters, the first one: the patch of dark skin. */
export const FIRST_CORNER: Record<PatchKind, string | undefined> = {
  card: undefined,
  chart: 'dark skin',
  region: undefined,
  surface: undefined,
};

export const NO_MARKS: Record<PatchKind, FourCorners | null> = { card: null, chart: null, region: null, surface: null };

/** Corners that were marked in the panorama, and what is being marked there: the picture is one, the cards that measure on it are several. */
export function usePatchMarks() {
  const [marks, setMarks] = useState(NO_MARKS);
  const [marking, setMarking] = useState<PatchKind | null>(null);
  const [towards, turnTo] = useState<{ azimuthDeg: number; elevationDeg: number } | null>(null);
  return {
    marks,
    marking,
    /** Azimuths and elevations in the panorama's own frame. */
    set: (kind: PatchKind, corners: FourCorners | null) => setMarks((m) => ({ ...m, [kind]: corners })),
    mark: setMarking,
    /** Where the panorama is to be turned to: its own frame. */
    towards,
    turnTo,
    clear: () => setMarks(NO_MARKS),
  };
}

export type PatchMarks = ReturnType<typeof usePatchMarks>;
