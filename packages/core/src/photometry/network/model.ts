import { sigmaOf95 } from '../../estimate/confidence';
import { directionFromAngles, DEG, dot } from '../../sphere/direction';
import { DEFAULT_TRANSMISSION, NOMINAL_LUMINANCE_PER_UNIT, photometricExposure, tStopFromFNumber } from '../exposure';
import { Unknowns, type Observation } from './gaussian';
import {
  DRIFT_HOURS,
  PLANES_STOPS,
  SAME_PLANE_DEG,
  SETTING_STOPS,
  UNKNOWN_DRIFT_STOPS_PER_HOUR,
  UNKNOWN_PLANE_STOPS,
  WHITE_SIGMA_STOPS,
  type NetworkCard,
  type NetworkInput,
  type NetworkMeter,
  type NetworkTake,
} from './sources';

/** One sigma of what nobody knows: wide against everything that is seen. */
const OPEN_STOPS = 40;
const HOUR_MS = 3600e3;

export type SourceKind = 'card' | 'meter' | 'rig' | 'settings';
export interface ModelSource {
  name: string;
  kind: SourceKind;
  card: NetworkCard | null;
  meter: NetworkMeter | null;
  take: NetworkTake | null;
}

/** Everything in stops: unknowns, what was observed of them, and the sums of unknowns that are asked for. */
export interface NetworkModel {
  unknowns: Unknowns;
  observations: Observation[];
  sources: ModelSource[];
  /** Panorama units per cd/m2, log2, is minus this unknown. */
  unit: number;
  takes: {
    take: NetworkTake;
    /** Plate value = 2^(constant + unknowns) x cd/m2. */
    constant: number;
    slopes: Map<number, number>;
    /** Those of them that are errors of what is stated. */
    settings: number[];
  }[];
  /** Unknown of the light at a time against the panorama's; null at the panorama's own. */
  lightAt: (timeMs: number) => number | null;
  bodies: { body: string; column: number }[];
  white: number;
}

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

function assertStops(name: string, value: number, uncertainty: number): void {
  if (!(value > 0) || !Number.isFinite(value)) throw new RangeError(`${name}: value must be above zero, not ${value}`);
  if (!(uncertainty > 0) || !Number.isFinite(uncertainty))
    throw new RangeError(`${name}: uncertaintyStops must be above zero, not ${uncertainty}`);
}

/** @throws RangeError naming what cannot be: a take twice, a card of a take that is not there, values that no picture holds */
export function networkModel(input: NetworkInput): NetworkModel {
  const { takes, cards, meters, panorama } = input;
  const unknowns = new Unknowns();
  const observations: Observation[] = [];
  const sources: ModelSource[] = [];
  const source = (kind: SourceKind, name: string, of: Partial<ModelSource> = {}) =>
    sources.push({ name, kind, card: null, meter: null, take: null, ...of }) - 1;

  const inPanorama = cards.filter((c) => c.take === null);
  const all = [...cards, ...meters, ...takes].map((x) => x.timeMs);
  if (all.some((t) => !Number.isFinite(t))) throw new RangeError('time: an instant is missing');
  const zero = panorama.timeMs ?? inPanorama[0]?.timeMs ?? Math.min(...all);
  const perHour = input.driftStopsPerHour ?? UNKNOWN_DRIFT_STOPS_PER_HOUR;
  if (!(perHour >= 0)) throw new RangeError(`driftStopsPerHour must be 0 or more, not ${perHour}`);
  // Only times at which the light was seen.
  const times = [...new Set([...cards, ...meters].map((x) => x.timeMs))]
    .filter((t) => t !== zero)
    .sort((a, b) => a - b);
  const hours = times.map((t) => (t - zero) / HOUR_MS);
  const columns =
    perHour > 0
      ? unknowns.block(
          times.map((t) => `light at ${t}`),
          hours.map((s, i) => hours.map((t, j) => driftCovariance(s, t, perHour) + (i === j ? 1e-12 : 0))),
        )
      : [];
  const lightAt = (timeMs: number) => columns[times.indexOf(timeMs)] ?? null;

  const unit = unknowns.of('cd/m2 per unit', OPEN_STOPS);
  const white = unknowns.of("what the plates' 1 means", WHITE_SIGMA_STOPS);
  if (panorama.rigResponsivity) {
    const { value, uncertaintyStops, name = 'the rig in other rounds' } = panorama.rigResponsivity;
    assertStops('panorama.rigResponsivity', value, uncertaintyStops);
    observations.push({
      source: source('rig', name),
      value: -Math.log2(value),
      sigma: sigmaOf95(uncertaintyStops),
      slopes: new Map([[unit, 1]]),
    });
  }

  // The light that falls on a plane, as the luminance of a perfect white there, cd/m2.
  const light = unknowns.of('light on the set', OPEN_STOPS);
  const planes: { direction: ReturnType<typeof directionFromAngles>; column: number }[] = [];
  const planeOf = (normal: NetworkCard['normal']): number | null => {
    if (!normal) return null;
    const direction = directionFromAngles(normal.azimuthDeg, normal.elevationDeg);
    const near = planes.find((p) => dot(p.direction, direction) >= Math.cos(SAME_PLANE_DEG * DEG));
    if (near) return near.column;
    const column = unknowns.of(`plane ${planes.length + 1}`, PLANES_STOPS);
    planes.push({ direction, column });
    return column;
  };
  for (const x of [...cards, ...meters]) planeOf(x.normal);
  const onPlane = (normal: NetworkCard['normal']): [number, number][] => {
    const plane = planeOf(normal);
    if (plane !== null) return [[light, 1], [plane, 1]]; // prettier-ignore
    if (planes.length === 0) return [[light, 1]];
    const other = unknowns.of('the plane that is not stated', planes.length === 1 ? UNKNOWN_PLANE_STOPS : PLANES_STOPS);
    return planes.length === 1 ? [[light, 1], [planes[0].column, 1], [other, 1]] : [[light, 1], [other, 1]]; // prettier-ignore
  };
  const atTime = (timeMs: number): [number, number][] => {
    const column = lightAt(timeMs);
    return column === null ? [] : [[column, 1]];
  };

  const known = new Map<string, NetworkModel['takes'][number]>();
  for (const take of takes) {
    if (known.has(take.id)) throw new RangeError(`takes: ${take.id} stands there twice`);
    known.set(take.id, scaleOf(take, unknowns, white));
  }
  for (const card of cards) {
    assertStops(card.name, card.value, card.uncertaintyStops);
    if (!(card.reflectance > 0 && card.reflectance <= 1))
      throw new RangeError(`${card.name}: reflectance must be above 0 and at most 1, not ${card.reflectance}`);
    const scale = card.take === null ? null : known.get(card.take);
    if (scale === undefined) throw new RangeError(`${card.name}: there is no take ${card.take}`);
    observations.push({
      source: source('card', card.name, { card, take: scale?.take ?? null }),
      value: Math.log2(card.value / card.reflectance) - (scale?.constant ?? 0),
      sigma: sigmaOf95(card.uncertaintyStops),
      slopes: new Map([...onPlane(card.normal), ...atTime(card.timeMs), ...(scale?.slopes ?? [[unit, -1] as const])]),
    });
  }
  for (const meter of meters) {
    assertStops(meter.name, meter.value, meter.uncertaintyStops);
    const of = source('meter', meter.name, { meter });
    const sigma = sigmaOf95(meter.uncertaintyStops);
    const there = meter.seenByPanorama;
    if (meter.kind === 'lux')
      observations.push({
        source: of,
        value: Math.log2(meter.value / Math.PI),
        sigma,
        slopes: new Map([...onPlane(meter.normal), ...atTime(meter.timeMs)]),
      });
    if (!there) continue;
    assertStops(`${meter.name} in the panorama`, there.value, there.uncertaintyStops);
    const own = sigmaOf95(there.uncertaintyStops);
    if (meter.kind === 'lux')
      // The panorama's own word on that plane: it ties its unit to the light there.
      observations.push({
        source: of,
        value: Math.log2(there.value / Math.PI),
        sigma: own,
        slopes: new Map([...onPlane(meter.normal), [unit, -1]]),
      });
    else
      observations.push({
        source: of,
        value: Math.log2(meter.value / there.value),
        sigma: Math.hypot(sigma, own),
        slopes: new Map([[unit, 1], ...atTime(meter.timeMs)]),
      });
  }
  const settings = [...known.values()];
  for (const { take } of settings) source('settings', `settings of ${take.id}`, { take });
  const bodies = [...new Set(takes.map((t) => t.body))].map((body) => ({
    body,
    column: unknowns.of(`body ${body}`, sigmaOf95(SETTING_STOPS.body)),
  }));
  return { unknowns, observations, sources, unit, takes: settings, lightAt, bodies, white };
}

/** What a plate makes of cd/m2: its exposure, and the errors of what was stated of it; equal settings of one body err alike. */
function scaleOf(take: NetworkTake, unknowns: Unknowns, white: number): NetworkModel['takes'][number] {
  const stop = take.tStop ?? (take.fStop === null ? null : tStopFromFNumber(take.fStop, DEFAULT_TRANSMISSION));
  if (stop === null) throw new RangeError(`takes: ${take.id} has neither a T-stop nor an f-number`);
  let exposure: number;
  try {
    exposure = photometricExposure({ shutterS: take.shutterS, iso: take.ei, tStop: stop, ndStops: take.ndStops });
  } catch (error) {
    throw new RangeError(`takes: ${take.id}: ${(error as Error).message}`, { cause: error });
  }
  const own = (name: string, half: number) => unknowns.of(`${name} of body ${take.body}`, sigmaOf95(half));
  const settings = [
    unknowns.of(`take ${take.id}`, sigmaOf95(SETTING_STOPS.repeat)),
    own(`stop ${stop.toFixed(3)}`, SETTING_STOPS.stop),
    own(`shutter ${take.shutterS.toPrecision(4)}`, SETTING_STOPS.shutter),
    own(`EI ${take.ei}`, SETTING_STOPS.ei),
    ...(take.ndStops > 0 ? [own(`ND ${take.ndStops.toFixed(2)}`, SETTING_STOPS.nd)] : []),
    ...(take.tStop === null ? [own('transmission', SETTING_STOPS.transmission)] : []),
  ];
  const body = unknowns.of(`body ${take.body}`, sigmaOf95(SETTING_STOPS.body));
  return {
    take,
    constant: Math.log2(exposure / NOMINAL_LUMINANCE_PER_UNIT),
    slopes: new Map([white, body, ...settings].map((c) => [c, 1])),
    settings,
  };
}
