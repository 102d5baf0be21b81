import type { ViewRow, Attitude } from '@tawny/core';
import { turnDeg } from '@tawny/core/orient/device';
import { planViews } from '@tawny/core/photometry/bracketPlan';

export interface Aim {
  headingDeg: number;
  tiltDeg: number;
}

/** Field of view along the longer side of an upright 3:4 picture. */
export function upDegOf(acrossDeg: number): number {
  return (2 * Math.atan((4 / 3) * Math.tan((acrossDeg * Math.PI) / 360)) * 180) / Math.PI;
}

/** Rows of a guided round: the whole sphere, or only around the horizon. */
export function rowsOf(acrossDeg: number, whole: boolean): ViewRow[] {
  const rows = planViews(acrossDeg, upDegOf(acrossDeg), 0.35);
  return whole ? rows : [rows[0]];
}

/** Where to look for each view, row by row, in the order of the rows. */
export function aimsOf(rows: readonly ViewRow[], firstHeadingDeg: number): Aim[] {
  return rows.flatMap((row) =>
    Array.from({ length: row.views }, (_, i) => ({
      headingDeg: (firstHeadingDeg + (360 * i) / row.views) % 360,
      tiltDeg: row.tiltDeg,
    })),
  );
}

/** Pointing closer than this is close enough: the fit does the rest. */
export const AIM_DEG = 4;

/** How far a look is from an aim: turn right and tilt up still to do, degrees. */
export function toGo(look: Attitude, aim: Aim): { turnDeg: number; tiltDeg: number; there: boolean } {
  const turn = Math.abs(aim.tiltDeg) > 80 ? 0 : turnDeg(look.headingDeg, aim.headingDeg);
  const tilt = aim.tiltDeg - look.tiltDeg;
  return {
    turnDeg: turn,
    tiltDeg: tilt,
    there: Math.hypot(turn * Math.cos((aim.tiltDeg * Math.PI) / 180), tilt) < AIM_DEG,
  };
}

/** What to do, in words. */
export function aimWords({ turnDeg: turn, tiltDeg: tilt, there }: ReturnType<typeof toGo>): string {
  if (there) return 'Hold still and photograph';
  const parts = [
    Math.abs(turn) >= 1 ? `turn ${Math.abs(turn).toFixed(0)}° ${turn > 0 ? 'right' : 'left'}` : '',
    Math.abs(tilt) >= 1 ? `tilt ${Math.abs(tilt).toFixed(0)}° ${tilt > 0 ? 'up' : 'down'}` : '',
  ].filter(Boolean);
  const words = parts.join(', ');
  return words.charAt(0).toUpperCase() + words.slice(1);
}
