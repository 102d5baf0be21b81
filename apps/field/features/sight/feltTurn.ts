import { wrap180 } from '@tawny/core/sphere/direction';

/** Where the turn was seen to fail on either side; null while it was not tried. */
export interface Felt {
  left: number | null;
  right: number | null;
}

/** The middle of what still fitted and how far that reaches; null until both sides were felt for. */
export function feltTurn({ left, right }: Felt): { yawDeg: number; halfDeg: number } | null {
  if (left === null || right === null) return null;
  const half = wrap180(right - left) / 2;
  return { yawDeg: wrap180(left + half), halfDeg: Math.max(0.05, Math.abs(half)) };
}
