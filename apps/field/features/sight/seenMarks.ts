import type { PlanMark, Reading, Sight, SightInput } from '@tawny/contract';
import { sightInput } from '@tawny/contract/calibrations';
import type { StripPoint } from '../../ui/panorama/StripOverlay';

/** What was marked in the panorama itself. */
export type Seen = Pick<Sight, 'marks' | 'verticals' | 'horizon' | 'compass' | 'sunAt' | 'viewsCompass'>;

/** What the next tap in the panorama marks. */
export type Marking = 'sun' | 'mark' | 'edge' | 'horizon' | 'compass';

/** The sun's mean diameter, degrees: a ring of it is laid on the disc. */
const SUN_DEG = 0.533;

export function seenOf(sight: Partial<SightInput> | null | undefined): Seen {
  const { marks, verticals, horizon, compass, sunAt, viewsCompass } = sightInput.parse({ plateId: null, ...sight });
  return { marks, verticals, horizon, compass, sunAt, viewsCompass };
}

export const seenCount = (s: Seen): number =>
  s.marks.length + s.verticals.length + s.horizon.length + s.compass.length + (s.sunAt ? 1 : 0);

/** What was marked as the strip draws it. */
export function pointsOf(seen: Seen, begun: { azimuthDeg: number; elevationDeg: number } | null): StripPoint[] {
  return [
    ...(seen.sunAt
      ? [
          {
            name: 'sun',
            azimuthDeg: seen.sunAt.panoramaAzimuthDeg,
            elevationDeg: seen.sunAt.panoramaElevationDeg,
            acrossDeg: SUN_DEG,
          },
        ]
      : []),
    ...seen.marks.map((m) => ({
      name: m.name,
      azimuthDeg: m.panoramaAzimuthDeg,
      elevationDeg: m.panoramaElevationDeg,
    })),
    ...seen.compass.map((c, k) => ({ name: `compass ${k + 1}`, azimuthDeg: c.panoramaAzimuthDeg, elevationDeg: 0 })),
    ...seen.verticals.map(([azimuthDeg, elevationDeg, a, e], k) => ({
      name: `edge ${k + 1}`,
      azimuthDeg,
      elevationDeg,
      to: { azimuthDeg: a, elevationDeg: e },
    })),
    ...seen.horizon.map(([azimuthDeg, elevationDeg], k) => ({ name: `horizon ${k + 1}`, azimuthDeg, elevationDeg })),
    ...(begun ? [{ name: 'edge', ...begun }] : []),
  ];
}

/** A direction in the panorama's own frame, and how well the screen let it be pointed at (95 %). */
export interface Tap {
  azimuthDeg: number;
  elevationDeg: number;
  withinDeg: number;
}

/** What a tap in the panorama adds; null while something has to be chosen first. */
export function withTap(
  seen: Seen,
  marking: Marking,
  at: Tap,
  chosen: { mark: PlanMark | undefined; reading: Reading | undefined; begun: Tap | null },
): Seen | null {
  const { azimuthDeg, elevationDeg, withinDeg } = at;
  const own = { panoramaAzimuthDeg: azimuthDeg, panoramaElevationDeg: elevationDeg, withinDeg };
  const { mark, reading, begun } = chosen;
  if (marking === 'sun') return { ...seen, sunAt: { ...own, partly: seen.sunAt?.partly ?? false } };
  if (marking === 'horizon') return { ...seen, horizon: [...seen.horizon, [azimuthDeg, elevationDeg, withinDeg]] };
  if (marking === 'mark') {
    if (!mark) return null;
    // Its direction is worked out where the plan is.
    const direction = { azimuthDeg: null, elevationDeg: null, uncertaintyDeg: null };
    const added = { ...own, ...direction, name: mark.name, planMarkId: mark.id };
    return { ...seen, marks: [...seen.marks.filter((m) => m.planMarkId !== mark.id), added] };
  }
  if (marking === 'compass') {
    if (!reading) return null;
    const added = { panoramaAzimuthDeg: azimuthDeg, readingId: reading.id };
    return { ...seen, compass: [...seen.compass.filter((c) => c.readingId !== reading.id), added] };
  }
  if (!begun) return null;
  // The worse of both ends.
  const ends: Seen['verticals'][number] = [begun.azimuthDeg, begun.elevationDeg, azimuthDeg, elevationDeg, Math.max(begun.withinDeg, withinDeg)]; // prettier-ignore
  return { ...seen, verticals: [...seen.verticals, ends] };
}
