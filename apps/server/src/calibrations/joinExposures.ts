import { In } from 'typeorm';
import type { Queries } from '../db/dataSource';
import type { Exposures, InstrumentRecord, LightRound, PanoramaCorners, Reading, Take } from '@tawny/contract';
import {
  conjugate,
  flatPixel,
  flatView,
  measureCard,
  viewAround,
  correctReading,
  directionFromAngles,
  illuminance,
  luminance,
  NOMINAL_LUMINANCE_PER_UNIT,
  rotate,
  solveNetwork,
  type Network,
  type Corners,
  type NetworkCard,
  type NetworkMeter,
  type NetworkTake,
  type Quaternion,
  type RgbImage,
} from '@tawny/core';
import { decodeFloatPicture } from '@tawny/pipeline';
import { Instruments, Readings, type Owned, type StoredPanorama } from '../db/entities';
import { pixelsOf } from '../panoramas/operations';
import type { Services } from '../services';
import { cardsOf, settingsOf, type MeasuredCard } from './cards';
import { latestCalibration, originOf } from './latest';
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
/** 95 % half width of what a whole panorama says of illuminance, stops: docs/accuracy.md. */
const PANORAMA_STOPS = 0.05;
/** Lean of a panorama whose orientation was not measured beyond which a level plane is not told, degrees. */
const LEVEL_DEG = 5;

/** How a take is called on its slate. */
export const takeName = ({ slate, take, camera }: Pick<Take, 'slate' | 'take' | 'camera'>) =>
  `${slate}/${take}${camera}`;

/** A reading of light for the network, or why it cannot be one. */
function meterOf(
  reading: Owned<Reading>,
  instrument: InstrumentRecord | null,
  panorama: { image: RgbImage; rotation: Quaternion | null; levelDeg: number; clipped: boolean },
): NetworkMeter | string {
  const { planeAzimuthDeg, planeElevationDeg } = reading;
  if (planeElevationDeg === null || (planeAzimuthDeg === null && Math.abs(planeElevationDeg) < 90))
    return 'nobody said where its plane faced';
  if (panorama.clipped) return 'the panorama does not hold its brightest light: it cannot say what falls on a plane';
  const level = Math.abs(planeElevationDeg) === 90 && panorama.levelDeg <= LEVEL_DEG;
  if (!panorama.rotation && !level) return 'where the panorama faces was not measured yet';
  const { value, uncertainty } = correctReading('lux', reading.shown, instrument, null);
  if (!(value > 0)) return 'it shows no light';
  const normal = { azimuthDeg: planeAzimuthDeg ?? 0, elevationDeg: planeElevationDeg };
  const world = directionFromAngles(normal.azimuthDeg, normal.elevationDeg);
  const own = panorama.rotation ? rotate(conjugate(panorama.rotation), world) : world;
  const there = luminance(...illuminance(panorama.image, own), panorama.image.space);
  if (!(there > 0)) return 'the panorama throws no light on its plane';
  return {
    name: `${reading.shown} lux on ${normal.elevationDeg === 90 ? 'the level' : `a plane at ${normal.azimuthDeg}°, ${normal.elevationDeg}°`}`,
    kind: 'lux',
    value,
    uncertaintyStops: Math.log2(1 + uncertainty / value),
    normal,
    seenByPanorama: { value: there, uncertaintyStops: PANORAMA_STOPS },
    timeMs: new Date(reading.takenAt).getTime(),
  };
}

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
  const network = solveNetwork({
    panorama: { rigResponsivity: NOMINAL_RIG, timeMs: shotMs },
    otherRounds: rounds.map(({ id, sameRig, shotAt }) => ({ id, sameRig, timeMs: shotAt.getTime() })),
    takes: [...members.values()],
    cards: [
      ...cardsOnce(own, shotMs, inPanorama, null),
      ...rounds.flatMap((r) => cardsOnce(r.cards, r.shotAt.getTime(), CARD_REFLECTANCE, r)),
    ],
    meters,
    driftStopsPerHour: null,
  });
  return {
    network,
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

/** Readings of light under a panorama's condition, as the network takes them; the picture is decoded only when there are any. */
async function metersOf(
  db: Queries,
  files: Services['files'],
  panorama: Owned<StoredPanorama>,
  round: LightRound,
  setupId: string,
) {
  const { productionId } = panorama;
  const where = { productionId, setupId, kind: 'lux', lightCondition: In([round.lightCondition, '']) } as const;
  const logged = await db.getRepository(Readings).findBy(where);
  const unused: Exposures['unused'] = [];
  const meters: NetworkMeter[] = [];
  const readings: Owned<Reading>[] = [];
  if (logged.length === 0) return { meters, readings, unused, image: null };
  const instruments = await db.getRepository(Instruments).findBy({ productionId });
  const orientation = (await latestCalibration(db, productionId, panorama.id))?.orientation ?? null;
  const image = decodeFloatPicture(await files.read(panorama.floatHash), pixelsOf(panorama));
  const seen = {
    image,
    rotation: orientation?.frame === 'trueNorth' ? ([...orientation.rotation] as unknown as Quaternion) : null,
    levelDeg: panorama.levelDeg ?? Infinity,
    clipped: panorama.clippedSr > 0,
  };
  for (const reading of logged) {
    const meter = meterOf(reading, instruments.find((i) => i.id === reading.instrumentId) ?? null, seen);
    if (typeof meter === 'string') unused.push({ name: `${reading.shown} lux`, why: meter });
    else {
      meters.push(meter);
      readings.push(reading);
    }
  }
  return { meters, readings, unused, image };
}
