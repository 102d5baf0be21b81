import { LIMITS } from '@tawny/core/sphere/limits';
import { SUN_SOLID_ANGLE } from '@tawny/core/sun/solidAngle';

export interface Extent {
  /** log2 radiance at which the frame clips. */
  top: number;
  /** log2 radiance below which its values are mostly noise or rounding. */
  bottom: number;
}

/** Stops below clipping that a frame records well: 8-bit by its curve, 16-bit by the sensor's read noise. */
const USEFUL_STOPS: Record<number, number> = { 8: 7, 14: 8, 16: 11 };
/** Solid angle (sr) from which light counts as part of the scene: a quarter of the sun's disc. */
const NOTABLE_SR = SUN_SOLID_ANGLE / 4;
/** Lamps are small, shadows are not: what lies under all rungs counts from where more than this share of the scene does, as for the verdict on a view. */
const NOTABLE_DARK = LIMITS.dark.good;

/** What a frame at EV records well, as log2 of value in the panorama's unit (linear / X, so it clips at EV). */
export function rungExtent(ev: number, bits: number): Extent {
  return { top: ev, bottom: ev - (USEFUL_STOPS[bits] ?? 7) };
}

export interface LadderGap {
  from: number;
  to: number;
  /** Darker than every rung: there, only with more noise. How much depends on the camera and is not known here. */
  dark: boolean;
}

/** Stretches of the scene's histogram that no rung covers, low to high; of what is darker than every rung, where enough of the scene lies. */
export function ladderGaps(rungs: readonly Extent[], occupied: readonly { stop: number; sr: number }[]): LadderGap[] {
  const gaps: LadderGap[] = [];
  const lowest = Math.min(...rungs.map((r) => r.bottom));
  const dark = NOTABLE_DARK * occupied.reduce((sum, o) => sum + o.sr, 0);
  let under = 0;
  for (let i = 0; i < occupied.length; i++) {
    const { stop, sr } = occupied[i];
    under += sr;
    if (sr < NOTABLE_SR || rungs.some((r) => stop <= r.top && stop >= r.bottom)) continue;
    const isDark = stop < lowest;
    if (isDark && under <= dark) continue;
    const end = occupied[i + 1]?.stop ?? stop + 1 / 3;
    const last = gaps[gaps.length - 1];
    if (last && last.dark === isDark && Math.abs(last.to - stop) < 1e-6) last.to = end;
    else gaps.push({ from: stop, to: end, dark: isDark });
  }
  return gaps;
}

/** Shutter as it is engraved: 1/250 or 4 s; a dash when the file does not tell. */
export function shutterText(seconds: number | null): string {
  if (seconds === null) return '–';
  return seconds >= 0.4 ? `${Number(seconds.toPrecision(2))}s` : `1/${Math.round(1 / seconds)}`;
}
