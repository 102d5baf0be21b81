import type { Queries } from '../db/dataSource';
import type { Exposures, PanoramaCorners, Reading, Take } from '@tawny/contract';
import {
  flatPixel,
  flatView,
  measureCard,
  viewAround,
  NOMINAL_LUMINANCE_PER_UNIT,
  solveNetwork,
  type Network,
  type Corners,
  type NetworkCard,
  type NetworkTake,
  type RgbImage,
} from '@tawny/core';
import type { Owned, StoredPanorama } from '../db/entities';
import type { Services } from '../services';
import { cardsOf, settingsOf, type MeasuredCard } from './cards';
import { originOf } from './latest';
import { lightDrift } from './lightDrift';
import { metersOf } from './meters';
import { anglesOf } from './patches';
import { otherRoundsOf, type OtherRound } from './otherRounds';

/** A panorama's unit before anything was measured of it: what nominal sensitivity and exposure tags promise, 95 %. */
const NOMINAL_RIG = {
  value: 1 / NOMINAL_LUMINANCE_PER_UNIT,
  uncertaintyStops: 0.3,
  name: "the rig's nominal sensitivity",
};
/** What a card in the panorama is worth beside the pair that was measured: its noise is part of the pair's. */
const CARD_STOPS = 0.005;
const CARD_REFLECTANCE = 0.18;

/** How a take is called on its slate. */
export const takeName = ({ slate, take, camera }: Pick<Take, 'slate' | 'take' | 'camera'>) =>
  `${slate}/${take}${camera}`;

/** Luminance of a card that was marked in a panorama. */
function cardIn(image: RgbImage, marked: PanoramaCorners): number {
  const corners = anglesOf(marked);
  const view = viewAround(corners, image.width);
  const inView = corners.map((c) => flatPixel(view, c)) as unknown as Corners;
  return measureCard(flatView(image, view), inView, 'panorama').luminance;
}

/** Every measurement is a pair: the card in a plate, and the same card in the panorama, which stands there once. */
function cardsOnce(
  measured: readonly MeasuredCard[],
  shotMs: number,
  inPanorama: number,
  other: OtherRound | null,
): NetworkCard[] {
  if (measured.length === 0) return [];
  const card = { reflectance: CARD_REFLECTANCE, normal: null, round: other?.id };
  const where = other ? ` (${other.name})` : '';
  const inPlates = measured.map(({ kind, take, gainStops, uncertaintyStops }): NetworkCard => ({
    ...card,
    name: `${kind} in ${takeName(take)}${where}`,
    take: take.id,
    value: inPanorama * 2 ** gainStops,
    uncertaintyStops,
    timeMs: new Date(take.shotAt).getTime(),
  }));
  return [
    ...inPlates,
    { ...card, name: `card in the panorama${where}`, take: null, value: inPanorama, uncertaintyStops: CARD_STOPS, timeMs: shotMs },
  ];
} // prettier-ignore

/** All that says something of exposure against a panorama, joined, and where it comes from. */
export interface JoinedExposures {
  network: Network;
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
  const { meters, readings, unused, image } = await metersOf(db, files, panorama, round, station.setupId);

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
  // Which value the card has in the panorama counts only beside a reading: without, the light on it is open.
  const card = own.find((c) => c.kind === 'card');
  const inPanorama = image && card ? cardIn(image, card.calibration.scale!.card.panoramaCorners) : CARD_REFLECTANCE;
  const driftStopsPerHour = await lightDrift(db, productionId, station.setupId, new Date(round.shotAt));
  const network = solveNetwork({
    panorama: { rigResponsivity: NOMINAL_RIG, timeMs: shotMs },
    otherRounds: await Promise.all(
      rounds.map(async ({ id, sameRig, shotAt, setupId }) => ({
        id,
        sameRig,
        timeMs: shotAt.getTime(),
        driftStopsPerHour: await lightDrift(db, productionId, setupId, shotAt),
      })),
    ),
    takes: [...members.values()],
    cards: [
      ...cardsOnce(own, shotMs, inPanorama, null),
      ...rounds.flatMap((r) => cardsOnce(r.cards, r.shotAt.getTime(), CARD_REFLECTANCE, r)),
    ],
    meters,
    driftStopsPerHour,
  });
  return {
    network,
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
