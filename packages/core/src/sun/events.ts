import { wrap360 } from '../sphere/direction';
import { sunTrack, type Place } from './ephemeris';

/** Elevation of what stands before the sun at a bearing; linear between, closed over north. */
export interface SkylinePoint {
  bearingDeg: number;
  elevationDeg: number;
}

/** Elevation of a skyline at a bearing in degrees; 0 (a level horizon) without points. */
export function skylineElevationDeg(skyline: readonly SkylinePoint[], bearingDeg: number): number {
  if (skyline.length === 0) return 0;
  const sorted = [...skyline].sort((a, b) => a.bearingDeg - b.bearingDeg);
  const b = wrap360(bearingDeg);
  const after = sorted.findIndex((p) => p.bearingDeg > b);
  const right = after < 0 ? { ...sorted[0], bearingDeg: sorted[0].bearingDeg + 360 } : sorted[after];
  const leftAt = after < 0 ? sorted.length - 1 : after - 1;
  const left =
    leftAt < 0
      ? { ...sorted[sorted.length - 1], bearingDeg: sorted[sorted.length - 1].bearingDeg - 360 }
      : sorted[leftAt];
  const gap = right.bearingDeg - left.bearingDeg;
  return gap <= 0
    ? left.elevationDeg
    : left.elevationDeg + ((b - left.bearingDeg) / gap) * (right.elevationDeg - left.elevationDeg);
}

export interface SunSpan {
  from: Date;
  to: Date;
}

export interface SunEvents {
  /** While the disc's centre stands above the skyline (with refraction); several when something stands between. */
  onSet: SunSpan[];
  /** Centre between 6 degrees and the horizon: low sun. */
  lowSun: SunSpan[];
  /** Centre between the horizon and 6, 12, 18 degrees below it, true elevation. */
  civilTwilight: SunSpan[];
  nauticalTwilight: SunSpan[];
  astronomicalTwilight: SunSpan[];
}

const STEP_MS = 4 * 60000;
const TO_MS = 500;

/** Spans between start and end in which a condition holds, in order, its changes found to half a second by bisection. Shorter spans than four minutes may be missed. */
function spans(start: Date, end: Date, holds: (t: number) => boolean): SunSpan[] {
  const out: SunSpan[] = [];
  const edge = (a: number, b: number, before: boolean) => {
    let [lo, hi] = [a, b];
    while (hi - lo > TO_MS) {
      const mid = (lo + hi) / 2;
      if (holds(mid) === before) lo = mid;
      else hi = mid;
    }
    return (lo + hi) / 2;
  };
  let was = holds(start.getTime());
  let from: number | null = was ? start.getTime() : null;
  for (let t = start.getTime(); t < end.getTime(); t += STEP_MS) {
    const next = Math.min(t + STEP_MS, end.getTime());
    const is = holds(next);
    if (!was && is) from = edge(t, next, was);
    if (was && !is && from !== null) {
      out.push({ from: new Date(from), to: new Date(edge(t, next, was)) });
      from = null;
    }
    was = is;
  }
  if (from !== null) out.push({ from: new Date(from), to: end });
  return out;
}

/**
 * While the disc's centre stands above the skyline, between two instants.
 * @param skyline what stands before the sun, in apparent elevation as seen from the place
 */
export function sunOnSet(place: Place, start: Date, end: Date, skyline: readonly SkylinePoint[] = []): SunSpan[] {
  const at = sunTrack(place);
  return spans(start, end, (t) => {
    const p = at(new Date(t));
    return p.elevationDeg > skylineElevationDeg(skyline, p.azimuthDeg);
  });
}

/**
 * When the sun is on the set, low, or just below the horizon, between two instants.
 * @param skyline what stands before the sun, in apparent elevation as seen from the place
 */
export function sunEvents(place: Place, start: Date, end: Date, skyline: readonly SkylinePoint[] = []): SunEvents {
  const track = sunTrack(place);
  const at = (t: number) => track(new Date(t));
  const between = (low: number, high: number) =>
    spans(start, end, (t) => {
      const { trueElevationDeg: e } = at(t);
      return e < high && e >= low;
    });
  return {
    onSet: sunOnSet(place, start, end, skyline),
    lowSun: spans(start, end, (t) => {
      const e = at(t).elevationDeg;
      return e > 0 && e <= 6;
    }),
    // -0.833: the upper limb on the horizon, where civil twilight takes over from day.
    civilTwilight: between(-6, -0.833),
    nauticalTwilight: between(-12, -6),
    astronomicalTwilight: between(-18, -12),
  };
}
