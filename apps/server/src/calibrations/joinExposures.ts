import type { Queries } from '../db/dataSource';
import type { Exposures, LightRound, PanoramaCorners, Reading, Take } from '@tawny/contract';
import {
  anglesFromDirection,
  directionFromAngles,
  flatPixel,
  flatView,
  measureCard,
  viewAround,
  NOMINAL_LUMINANCE_PER_UNIT,
  rotate,
  SETTING_STOPS,
  solveNetwork,
  type Angles,
  type Quaternion,
  type Network,
  type Corners,
  type NetworkCard,
  type NetworkTake,
  type RgbImage,
} from '@tawny/core';
import type { Owned, StoredPanorama } from '../db/entities';
import { takeWithinS } from '../records/timeWithin';
import type { Services } from '../services';
import { cardsOf, settingsOf, type MeasuredCard } from './cards';
import { originOf } from './latest';
import { lightDrift } from './lightDrift';
import { NOMINAL_REFLECTANCE, NOMINAL_STOPS } from './kitObject';
import { metersOf, type SeenPanorama } from './meters';
import { anglesOf } from './patches';
import { otherRoundsOf, type OtherRound } from './otherRounds';

/** A panorama's unit before anything was measured of it: what nominal sensitivity and exposure tags promise, 95 %. */
const NOMINAL_RIG = {
  value: 1 / NOMINAL_LUMINANCE_PER_UNIT,
  uncertaintyStops: 0.3,
  name: "the rig's nominal sensitivity",
};
/** Between two rounds of one rig, 95 %. */
const COMES_BACK_STOPS = Math.SQRT2 * SETTING_STOPS.round;

/** The unit of a round's panorama before anything was measured of it here: by what the rig was found to be in an earlier round, else nominally. */
function rigOf({ id, rig: { sensitivity } }: LightRound): { told: typeof NOMINAL_RIG; sensitivityKnown: boolean } {
  if (!sensitivity || sensitivity.roundId === id) return { told: NOMINAL_RIG, sensitivityKnown: false };
  const { stops, uncertaintyStops, measuredOn } = sensitivity;
  const told = {
    value: 2 ** stops / NOMINAL_LUMINANCE_PER_UNIT,
    uncertaintyStops: Math.hypot(uncertaintyStops, COMES_BACK_STOPS),
    name: `the rig's sensitivity, measured ${measuredOn ?? 'before'}`,
  };
  return { told, sensitivityKnown: true };
}

/** What a card in the panorama is worth beside the pair that was measured: its noise is part of the pair's. */
const CARD_STOPS = 0.005;
/** A card whose corners tell no better where it faces counts as one that faces somewhere, degrees (95 %). */
const FACING_DEG = 8;

/** How a take is called on its slate. */
export const takeName = ({ slate, take, camera }: Pick<Take, 'slate' | 'take' | 'camera'>) =>
  `${slate}/${take}${camera}`;

/** What one card or chart in a panorama says of the light that falls on it: it stands there once, whatever plates it was measured in. */
type Held = Pick<NetworkCard, 'value' | 'reflectance' | 'reflectanceOf' | 'normal'>;
/** Without a meter, which light falls on a card is open: any value does. */
const ANY_LIGHT: Held = { value: NOMINAL_REFLECTANCE, reflectance: NOMINAL_REFLECTANCE, normal: null };

/** The card on a panorama that was measured last, else the chart or the references. */
function heldIn(own: readonly MeasuredCard[], seen: SeenPanorama | null): Held {
  if (!seen) return ANY_LIGHT;
  const card = own.find((c) => c.kind === 'card')?.calibration.scale?.card;
  if (card) {
    // Those of older measurements were not kept.
    const { reflectance = NOMINAL_REFLECTANCE, reflectanceStops = NOMINAL_STOPS, luminance: value = null, facing = null } = card; // prettier-ignore
    return {
      value: value ?? cardIn(seen.image, card.panoramaCorners!),
      reflectance,
      reflectanceOf: { name: 'the card', uncertaintyStops: reflectanceStops },
      normal: facing && seen.rotation && facing.uncertaintyDeg <= FACING_DEG ? turned(facing, seen.rotation) : null,
    };
  }
  const colour = own.find((c) => c.kind !== 'card' && c.calibration.colour?.whiteInPanorama)?.calibration.colour;
  if (!colour) return ANY_LIGHT;
  return {
    value: colour.whiteInPanorama! * NOMINAL_REFLECTANCE,
    reflectance: NOMINAL_REFLECTANCE,
    reflectanceOf: { name: 'chart and references', uncertaintyStops: colour.reflectanceStops },
    normal: null,
  };
}

/** A direction of a panorama's own frame in the world. */
const turned = ({ azimuthDeg, elevationDeg }: Angles, rotation: Quaternion): Angles =>
  anglesFromDirection(rotate(rotation, directionFromAngles(azimuthDeg, elevationDeg)));

/** Luminance of a card that was marked in a panorama before its value was kept. */
function cardIn(image: RgbImage, marked: PanoramaCorners): number {
  const corners = anglesOf(marked);
  const view = viewAround(corners, image.width);
  const inView = corners.map((c) => flatPixel(view, c)) as unknown as Corners;
  return measureCard(flatView(image, view), inView, 'panorama').luminance;
}

/** A card in a plate as the network knows it. */
export const cardName = (
  { kind, take }: Pick<MeasuredCard, 'kind' | 'take'>,
  other: Pick<OtherRound, 'name'> | null,
): string => `${kind} in ${takeName(take)}${other ? ` (${other.name})` : ''}`;

/** Every measurement is a pair: the card in a plate, and the same card in the panorama, which stands there once. */
function cardsOnce(
  measured: readonly MeasuredCard[],
  shotMs: number,
  held: Held,
  other: OtherRound | null,
): NetworkCard[] {
  if (measured.length === 0) return [];
  const card = { ...held, round: other?.id };
  const where = other ? ` (${other.name})` : '';
  const inPlates = measured.map((one): NetworkCard => ({
    ...card,
    name: cardName(one, other),
    take: one.take.id,
    value: held.value * 2 ** one.gainStops,
    uncertaintyStops: one.uncertaintyStops,
    timeMs: new Date(one.take.shotAt).getTime(),
    timeWithinS: takeWithinS(one.take),
  }));
  return [
    ...inPlates,
    { ...card, name: `card in the panorama${where}`, take: null, uncertaintyStops: CARD_STOPS, timeMs: shotMs },
  ];
} // prettier-ignore

/** All that says something of exposure against a panorama, joined, and where it comes from. */
export interface JoinedExposures {
  network: Network;
  /** Whether an earlier round told what the rig makes of light. */
  sensitivityKnown: boolean;
  /** One sigma of how the light drifts, as it was assumed. */
  driftStopsPerHour: number;
  /** What the network says of a take. */
  of: (take: Take) => Network['takes'][number];
  /** Cards on the panorama itself, then those of other rounds. */
  cards: MeasuredCard[];
  rounds: OtherRound[];
  readings: Owned<Reading>[];
  unused: Exposures['unused'];
  /** A source as people know it. */
  named: (source: string) => string;
}

/**
 * Joins cards, lux readings under the panorama's light and settings of some takes of its setup; null when there is no card, no reading and no take.
 * Takes without a card and with the same settings are one: what is said of one holds for all.
 */
export async function joinExposures(
  db: Queries,
  { files }: Pick<Services, 'files'>,
  panorama: Owned<StoredPanorama>,
  takes: readonly Owned<Take>[],
): Promise<JoinedExposures> {
  const { productionId } = panorama;
  const { round, station } = await originOf(db, panorama);
  const own = await cardsOf(db, productionId, [panorama.id]);
  const bodiesOf = (cards: readonly MeasuredCard[]) => new Set(cards.map((c) => c.settings.body));
  const rounds = await otherRoundsOf(db, panorama, bodiesOf(own), new Set(takes.map((t) => t.bodyId)));
  const cards = [...own, ...rounds.flatMap((r) => r.cards)];
  const { meters, readings, unused, seen } = await metersOf(db, files, panorama, round, station.setupId);

  const members = new Map<string, NetworkTake>();
  const memberOf = new Map<string, string>();
  const known = new Map<string, Take>();
  const join = (take: Take, settings = settingsOf(take), key = take.id) => {
    if (!members.has(key))
      members.set(key, { id: take.id, ...settings, fStop: null, timeMs: new Date(take.shotAt).getTime() });
    memberOf.set(take.id, members.get(key)!.id);
    known.set(take.id, take);
  };
  for (const { take, settings } of cards) if (!memberOf.has(take.id)) join(take, settings);
  for (const take of takes) if (!memberOf.has(take.id)) join(take, settingsOf(take), JSON.stringify(settingsOf(take)));

  const shotMs = new Date(round.shotAt).getTime();
  const driftStopsPerHour = await lightDrift(db, productionId, station.setupId, new Date(round.shotAt));
  const { told, sensitivityKnown } = rigOf(round);
  const network = solveNetwork({
    panorama: { rigResponsivity: told, timeMs: shotMs, timeWithinS: round.shotAtUncertaintyS ?? 0 },
    otherRounds: await Promise.all(
      rounds.map(async ({ id, sameRig, shotAt, shotAtUncertaintyS, setupId }) => ({
        id,
        sameRig,
        timeMs: shotAt.getTime(),
        timeWithinS: shotAtUncertaintyS ?? 0,
        driftStopsPerHour: await lightDrift(db, productionId, setupId, shotAt),
      })),
    ),
    takes: [...members.values()],
    cards: [
      ...cardsOnce(own, shotMs, heldIn(own, seen), null),
      ...rounds.flatMap((r) => cardsOnce(r.cards, r.shotAt.getTime(), ANY_LIGHT, r)),
    ],
    meters,
    driftStopsPerHour,
  });
  return {
    network,
    sensitivityKnown,
    driftStopsPerHour,
    of: (take) => network.takes.find((t) => t.id === memberOf.get(take.id))!,
    cards,
    rounds,
    readings,
    unused,
    named: (source) => {
      const take = [...known.values()].find((t) => source === `settings of ${t.id}`);
      return take ? `settings of ${takeName(take)}` : source;
    },
  };
}
