import { sigmaOf95 } from '../../estimate/confidence';
import { DEFAULT_TRANSMISSION, NOMINAL_LUMINANCE_PER_UNIT, photometricExposure, tStopFromFNumber } from '../exposure';
import { Unknowns, type Observation } from './gaussian';
import { minus, networkRounds, type RoundLight } from './rounds';
import {
  SETTING_STOPS,
  UNKNOWN_DRIFT_STOPS_PER_HOUR,
  WHITE_SIGMA_STOPS,
  type NetworkCard,
  type NetworkInput,
  type NetworkMeter,
  type NetworkTake,
} from './sources';

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
  /** Panorama units per cd/m2, log2, is minus this sum. */
  unit: Map<number, number>;
  takes: {
    take: NetworkTake;
    /** Plate value = 2^(constant + unknowns) x cd/m2. */
    constant: number;
    slopes: Map<number, number>;
    /** Those of them that are errors of what is stated. */
    settings: number[];
  }[];
  /** Of the light of a take against the panorama's; none where nothing saw it. */
  lightAt: RoundLight['lightAt'];
  bodies: { body: string; column: number }[];
  white: number;
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

  if ([...cards, ...meters, ...takes].some((x) => !Number.isFinite(x.timeMs)))
    throw new RangeError('time: an instant is missing');
  const perHour = input.driftStopsPerHour ?? UNKNOWN_DRIFT_STOPS_PER_HOUR;
  if (!(perHour >= 0)) throw new RangeError(`driftStopsPerHour must be 0 or more, not ${perHour}`);
  const rounds = networkRounds(input, unknowns, perHour);
  const roundOf = ({ name, round }: NetworkCard | NetworkMeter): RoundLight => {
    const found = rounds.get(round ?? null);
    if (!found) throw new RangeError(`${name}: there is no round ${round}`);
    return found;
  };
  const own = rounds.get(null)!;
  const white = unknowns.of("what the plates' 1 means", WHITE_SIGMA_STOPS);
  if (panorama.rigResponsivity) {
    const { value, uncertaintyStops, name = 'the rig in other rounds' } = panorama.rigResponsivity;
    assertStops('panorama.rigResponsivity', value, uncertaintyStops);
    observations.push({
      source: source('rig', name),
      value: -Math.log2(value),
      sigma: sigmaOf95(uncertaintyStops),
      slopes: new Map(own.unit),
    });
  }

  const known = new Map<string, NetworkModel['takes'][number]>();
  for (const take of takes) {
    if (known.has(take.id)) throw new RangeError(`takes: ${take.id} stands there twice`);
    known.set(take.id, scaleOf(take, unknowns, white));
  }
  const lightOn = (x: NetworkCard | NetworkMeter) => [...roundOf(x).onPlane(x.normal), ...roundOf(x).whenSeen(x)];
  for (const card of cards) {
    assertStops(card.name, card.value, card.uncertaintyStops);
    if (!(card.reflectance > 0 && card.reflectance <= 1))
      throw new RangeError(`${card.name}: reflectance must be above 0 and at most 1, not ${card.reflectance}`);
    const own = card.reflectanceOf;
    const coated: [number, number][] = own
      ? [[unknowns.of(`reflectance of ${own.name}`, sigmaOf95(own.uncertaintyStops)), 1]]
      : [];
    const scale = card.take === null ? null : known.get(card.take);
    if (scale === undefined) throw new RangeError(`${card.name}: there is no take ${card.take}`);
    observations.push({
      source: source('card', card.name, { card, take: scale?.take ?? null }),
      value: Math.log2(card.value / card.reflectance) - (scale?.constant ?? 0),
      sigma: sigmaOf95(card.uncertaintyStops),
      slopes: new Map([...lightOn(card), ...coated, ...(scale?.slopes ?? minus(roundOf(card).unit))]),
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
        slopes: new Map(lightOn(meter)),
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
        slopes: new Map([...roundOf(meter).onPlane(meter.normal), ...minus(roundOf(meter).unit)]),
      });
    else
      observations.push({
        source: of,
        value: Math.log2(meter.value / there.value),
        sigma: Math.hypot(sigma, own),
        slopes: new Map([...roundOf(meter).unit, ...roundOf(meter).whenSeen(meter)]),
      });
  }
  const settings = [...known.values()];
  for (const { take } of settings) source('settings', `settings of ${take.id}`, { take });
  const bodies = [...new Set(takes.map((t) => t.body))].map((body) => ({
    body,
    column: unknowns.of(`body ${body}`, sigmaOf95(SETTING_STOPS.body)),
  }));
  return {
    unknowns,
    observations,
    sources,
    unit: new Map(own.unit),
    takes: settings,
    lightAt: own.lightAt,
    bodies,
    white,
  };
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
    own(`stop ${stop.toFixed(3)}${take.lens ? ` of lens ${take.lens}` : ''}`, SETTING_STOPS.stop),
    ...(take.lens ? [unknowns.of(`lens ${take.lens}`, sigmaOf95(SETTING_STOPS.lens))] : []),
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
