import { sigmaOf95 } from '../../estimate/confidence';
import { directionFromAngles, DEG, dot } from '../../sphere/direction';
import type { Unknowns } from './gaussian';
import {
  DRIFT_HOURS,
  PLANES_STOPS,
  SAME_PLANE_DEG,
  SETTING_STOPS,
  UNKNOWN_PLANE_STOPS,
  type NetworkCard,
  type NetworkInput,
  type NetworkMeter,
  type NetworkTake,
} from './sources';

/** One sigma of what nobody knows: wide against everything that is seen. */
const OPEN_STOPS = 40;
const HOUR_MS = 3600e3;

type Slopes = readonly (readonly [column: number, slope: number])[];

export const minus = (slopes: Slopes): Slopes => slopes.map(([column, slope]) => [column, -slope] as const);

/** The light of one round, and what one unit of its panorama is worth: sums of unknowns, stops. */
export interface RoundLight {
  /** cd/m2 per panorama unit. */
  unit: Slopes;
  /** Light that falls on a plane, as the luminance of a perfect white there, cd/m2. */
  onPlane: (normal: NetworkCard['normal']) => Slopes;
  /** Of the light of a take against the panorama's; none where nothing saw it. */
  lightAt: (take: Pick<NetworkTake, 'id' | 'timeMs'>) => Slopes;
  /** Of the light when something was seen against the panorama's. */
  whenSeen: (x: NetworkCard | NetworkMeter) => Slopes;
}

/** What the panorama shows was under its own light. */
const inItself = (x: NetworkCard | NetworkMeter): boolean => 'take' in x && x.take === null;

/** Covariance of the light's change at two times, hours from the panorama's: a pace that is forgotten after `DRIFT_HOURS`. */
function driftCovariance(s: number, t: number, perHour: number): number {
  const tau = DRIFT_HOURS;
  const left = (h: number) => 1 - Math.exp(-Math.abs(h) / tau);
  if (s * t < 0) return -perHour * perHour * tau * tau * left(s) * left(t);
  const [a, b] = [Math.abs(s), Math.abs(t)];
  return (
    perHour *
    perHour *
    (2 * tau * Math.min(a, b) - tau * tau * (left(a) + left(b) - left(a - b)))
  ); // prettier-ignore
}

/**
 * Every round of the network by its id, null that of the panorama itself. Each has its own light; those of the panorama's rig share what a unit is
 * worth, but for what does not come back from round to round.
 * @throws RangeError on a round that is stated twice
 */
export function networkRounds(
  input: NetworkInput,
  unknowns: Unknowns,
  perHour: number,
): Map<string | null, RoundLight> {
  const { cards, meters, takes, panorama, otherRounds = [] } = input;
  const rig = unknowns.of('cd/m2 per unit', OPEN_STOPS);
  const siblings = otherRounds.some((r) => r.sameRig);
  const comesBack = (id: string | null) =>
    siblings
      ? [[unknowns.of(`rig in round ${id ?? 'of the panorama'}`, sigmaOf95(SETTING_STOPS.round)), 1] as const]
      : [];
  const inPanorama = cards.filter((c) => c.take === null && c.round === undefined);
  const all = [...cards, ...meters, ...takes].map((x) => x.timeMs);
  const rounds = new Map<string | null, RoundLight>();
  rounds.set(
    null,
    lightOfRound(input, unknowns, perHour, {
      id: null,
      zero: panorama.timeMs ?? inPanorama[0]?.timeMs ?? Math.min(...all),
      withinS: panorama.timeWithinS ?? 0,
      unit: [[rig, 1], ...comesBack(null)],
    }),
  );
  for (const { id, sameRig, timeMs, timeWithinS: withinS = 0, driftStopsPerHour = perHour } of otherRounds) {
    if (rounds.has(id)) throw new RangeError(`otherRounds: ${id} stands there twice`);
    if (!Number.isFinite(timeMs)) throw new RangeError(`otherRounds: ${id}: time: an instant is missing`);
    if (!(driftStopsPerHour >= 0))
      throw new RangeError(`otherRounds: ${id}: driftStopsPerHour must be 0 or more, not ${driftStopsPerHour}`);
    const unit: Slopes = sameRig
      ? [[rig, 1], ...comesBack(id)]
      : [[unknowns.of(`cd/m2 per unit of round ${id}`, OPEN_STOPS), 1]];
    rounds.set(id, lightOfRound(input, unknowns, driftStopsPerHour, { id, zero: timeMs, withinS, unit }));
  }
  return rounds;
}

/** One sigma of the light's change, stops, by how well a time is known (95 %, seconds). */
function asideOf(perHour: number, withinS: number, of: string): number {
  if (!(withinS >= 0)) throw new RangeError(`${of}: timeWithinS must be 0 s or more, not ${withinS}`);
  return (perHour * sigmaOf95(withinS)) / 3600;
}

function lightOfRound(
  { cards, meters }: NetworkInput,
  unknowns: Unknowns,
  perHour: number,
  { id, zero, withinS, unit }: { id: string | null; zero: number; withinS: number; unit: Slopes },
): RoundLight {
  const here = [...cards, ...meters].filter((x) => (x.round ?? null) === id);
  const of = id === null ? '' : ` of round ${id}`;
  // A round at another time than it says is that far from all others alike.
  const aside = asideOf(perHour, withinS, 'the round');
  // Only times at which the light was seen, but by the panorama itself.
  const seen = here.filter((x) => !inItself(x) && (aside > 0 || x.timeMs !== zero));
  const times = [...new Set(seen.map((x) => x.timeMs))].sort((a, b) => a - b);
  const hours = times.map((t) => (t - zero) / HOUR_MS);
  const columns =
    perHour > 0
      ? unknowns.block(
          times.map((t) => `light${of} at ${t}`),
          hours.map((s, i) =>
            hours.map((t, j) => driftCovariance(s, t, perHour) + aside * aside + (i === j ? 1e-12 : 0)),
          ),
        )
      : [];
  const lightAt = (timeMs: number): Slopes => columns.flatMap((c, k): Slopes => (times[k] === timeMs ? [[c, 1]] : []));
  // What was seen in one take was seen at one time, whichever.
  const seenIn = (x: NetworkCard | NetworkMeter) => ('take' in x ? `take ${x.take}` : x.name);
  const whens = new Map<string, number>();
  for (const x of here) {
    const apart = asideOf(perHour, x.timeWithinS ?? 0, x.name);
    if (apart > 0 && !inItself(x)) whens.set(seenIn(x), unknowns.of(`when ${seenIn(x)} was${of}`, apart));
  }
  const apartBy = (what: string): Slopes => (whens.has(what) ? [[whens.get(what)!, 1]] : []);
  const light = unknowns.of(`light on the set${of}`, OPEN_STOPS);
  const planes: { direction: ReturnType<typeof directionFromAngles>; column: number }[] = [];
  const planeOf = (normal: NetworkCard['normal']): number | null => {
    if (!normal) return null;
    const direction = directionFromAngles(normal.azimuthDeg, normal.elevationDeg);
    const near = planes.find((p) => dot(p.direction, direction) >= Math.cos(SAME_PLANE_DEG * DEG));
    if (near) return near.column;
    const column = unknowns.of(`plane ${planes.length + 1}${of}`, PLANES_STOPS);
    planes.push({ direction, column });
    return column;
  };
  // Where a spot meter was pointed is no plane.
  for (const x of here) if (!('kind' in x) || x.kind === 'lux') planeOf(x.normal);
  const onPlane = (normal: NetworkCard['normal']): Slopes => {
    const plane = planeOf(normal);
    if (plane !== null) return [[light, 1], [plane, 1]]; // prettier-ignore
    if (planes.length === 0) return [[light, 1]];
    const sigma = planes.length === 1 ? UNKNOWN_PLANE_STOPS : PLANES_STOPS;
    const other = unknowns.of(`the plane that is not stated${of}`, sigma);
    return planes.length === 1 ? [[light, 1], [planes[0].column, 1], [other, 1]] : [[light, 1], [other, 1]]; // prettier-ignore
  };
  return {
    unit,
    onPlane,
    lightAt: ({ id: take, timeMs }) => [...lightAt(timeMs), ...apartBy(`take ${take}`)],
    whenSeen: (x) => (inItself(x) ? [] : [...lightAt(x.timeMs), ...apartBy(seenIn(x))]),
  };
}
