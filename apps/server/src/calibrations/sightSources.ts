import type { EntityManager } from 'typeorm';
import type { Location, Sight, Station, Take } from '@tawny/contract';
import {
  apartM,
  mostShiftDeg,
  pacedTo,
  sigmaOf95,
  trueHeadingDeg,
  type OrientationSources,
  type PlateOnFormat,
  type Provenance,
} from '@tawny/core';
import { Panoramas, Plates, Stations, Takes, type Owned, type StoredPanorama } from '../db/entities';
import { cameraOnPlate } from '../plates/cameraOnPlate';
import { ApiProblem } from '../problems';
import { compassOf, marksOf, viewsCompassOf } from './setSources';
import { useFact, type UsedFact } from '../records/facts';
import { findOwned } from '../records/find';

/** How well a camera is known from what is logged of it: 95 % half widths. */
const LOGGED = { focalShare: 0.01, headingDeg: 2, tiltDeg: 0.5, rollDeg: 1, positionM: 0.3 } as const;
/** A tilt that nobody logged. */
const UNKNOWN_TILT_DEG = 15;
/** Somebody taps a thing in either picture this well (one sigma). */
const PICK_SIGMA_PX = 1.5;
/** A distance that somebody states is known to this share. */
const DISTANCE_SHARE = 0.05;

const from = (kind: Provenance['kind'], source: string): Provenance => ({ kind, source, at: null });

interface SightSources {
  sources: Pick<OrientationSources, 'hand' | 'picks' | 'marks' | 'compass' | 'plate' | 'station'>;
  facts: UsedFact[];
  /** Whose plate it was; null without one. */
  takeId: string | null;
}

/** What a sight says of a panorama, with the plate's camera as it is logged, and the facts that this rests on. @throws ApiProblem naming what is missing */
export async function sightSources(
  tx: EntityManager,
  panorama: Owned<StoredPanorama>,
  station: Owned<Station>,
  location: Owned<Location>,
  shotAt: Date,
  sight: Sight,
): Promise<SightSources> {
  const { productionId } = panorama;
  const facts = [
    await useFact(tx, Panoramas, panorama, ['exrHash'], {
      name: 'panorama in the sight',
      provenance: from(sight.hand ? 'logged' : 'measured', sight.hand ? 'turned by eye' : 'tapped in the pictures'),
      uncertainty: sight.hand?.uncertaintyDeg ?? null,
      unit: '°',
    }),
  ];
  const marks = await marksOf(tx, panorama, station, sight.marks);
  const compass = await compassOf(tx, productionId, location, sight.compass);
  const ofViews = sight.viewsCompass ? await viewsCompassOf(tx, panorama, location, shotAt) : null;
  // Both may rest on the model's declination.
  const told = [...marks.facts, ...compass.facts, ...(ofViews?.facts ?? [])];
  facts.push(...told.filter((f, k) => told.findIndex((g) => g.name === f.name) === k));
  const seen = { marks: marks.sources, compass: ofViews ? [...compass.sources, ofViews.source] : compass.sources };
  if (sight.plateId === null) {
    if (sight.picks.length > 0)
      throw new ApiProblem(422, 'no-plate', 'Picks need the plate that they were made in', {
        errors: [{ field: 'plateId', message: 'name the plate' }],
      });
    return {
      sources: { ...seen, hand: handOf(sight, []), picks: [], plate: null, station: null },
      facts,
      takeId: null,
    };
  }
  const plate = await findOwned(tx, Plates, productionId, sight.plateId, 'plate');
  const take = await findOwned(tx, Takes, productionId, plate.takeId, 'take');
  const headingDeg = trueHeadingDeg(take, location);
  const { on } = await cameraOnPlate(tx, take, plate, location);
  facts.push(
    await useFact(
      tx,
      Takes,
      take,
      [
        'headingDeg',
        'headingNorth',
        'tiltDeg',
        'focalLengthMm',
        'eastM',
        'northM',
        'heightM',
        'formatName',
        'bodyId',
        'lensId',
        'flopped',
        'shotAt',
        'pictureCamera',
        'stationOffset',
      ],
      {
        name: 'camera in the sight',
        provenance: from(
          take.pictureCamera ? 'measured' : 'logged',
          `${take.slate}/${take.take}${take.camera}, taken as ${knownWords(knownTo(take, station))}${FIT_WORDS[on.fit]}${offsetWords(take, station)}`,
        ),
      },
    ),
    await useFact(tx, Stations, station, ['eastM', 'northM', 'heightM'], {
      name: 'station in the sight',
      provenance: from('logged', station.name),
    }),
  );
  // In the plan's axes: they are the sight's only while the plate's heading is known.
  const known = headingDeg !== null;
  return {
    sources: {
      hand: handOf(sight, [
        headingDeg === null ? 0 : knownTo(take, station).headingDeg,
        nearShiftDeg(sight, take, station),
      ]),
      ...seen,
      plate: plateSource(take, station, on, headingDeg),
      station: known ? { eastM: station.eastM, upM: station.heightM, northM: station.northM } : null,
      picks: sight.picks.map((p, k) => ({
        ...p,
        name: `pick ${k + 1}`,
        distanceShare: DISTANCE_SHARE,
        sigmaPx: Math.max(
          PICK_SIGMA_PX,
          sigmaOf95(p.withinPx ?? 0),
          (sigmaOf95(p.withinDeg ?? 0) * panorama.widthPx) / 360,
        ),
      })),
    },
    facts,
    takeId: take.id,
  };
}

type KnownTo = Record<keyof typeof LOGGED, number>;

/** How well a take's camera is known: by its picture where that told, else as what is logged usually is. */
function knownTo(take: Take, station: Station): KnownTo {
  const { focalLengthMm, tiltDeg, pictureCamera: seen } = take;
  const within = seen?.uncertainty;
  const seenFocal = within?.focalLengthMm ?? null;
  return {
    focalShare: seenFocal === null ? LOGGED.focalShare : seenFocal / (seen?.focalLengthMm ?? focalLengthMm),
    headingDeg: within?.headingDeg ?? LOGGED.headingDeg,
    tiltDeg: within?.tiltDeg ?? (tiltDeg === null ? UNKNOWN_TILT_DEG : LOGGED.tiltDeg),
    rollDeg: within?.rollDeg ?? LOGGED.rollDeg,
    positionM: pacedTo(take, station)?.withinM ?? LOGGED.positionM,
  };
}

/** Said with the fact: of what is logged nobody states how well it is known. */
const knownWords = (k: KnownTo): string =>
  `known to ${k.headingDeg.toFixed(1)}° of heading, ${k.tiltDeg.toFixed(1)}° of tilt, ${k.rollDeg.toFixed(1)}° of roll, ${(100 * k.focalShare).toFixed(1)} % of focal length, ${k.positionM} m`;

/** How the plate's proportions were read, where they leave something to be assumed. */
const FIT_WORDS: Record<PlateOnFormat['fit'], string> = {
  whole: '',
  enlarged: ', its plate of more pixels than its format taken as enlarged, not as overscan',
  desqueezed: ', its plate brought back to its width',
  portrait: ', on its side',
  cropped: ', its plate taken as the largest part of the middle of its format',
};

/** Said with the fact: where the station was taken to be. */
const offsetWords = (take: Take, station: Station): string => {
  const apart = apartM(take, station);
  if (!apart) return ', where it stood not known';
  return `, ${apart.metres.toFixed(1)} m from the station ${apart.from === 'paced' ? 'as paced' : 'by the plan'}`;
};

/** What near things that a turn was laid on may have shifted it by: degrees. */
function nearShiftDeg({ hand }: Sight, take: Take, station: Station): number {
  const apart = apartM(take, station);
  return hand && hand.distanceM !== null && apart ? mostShiftDeg(apart.metres, hand.distanceM) : 0;
}

/** A turn over a plate is as good as the turn and, beside it, as what else it rests on: the plate's heading, the shift of near things (95 %). */
function handOf({ hand }: Sight, withinDeg: readonly number[]): OrientationSources['hand'] {
  if (!hand) return null;
  const uncertaintyDeg = Math.min(180, Math.hypot(hand.uncertaintyDeg, ...withinDeg));
  return { quaternion: hand.rotation, uncertaintyDeg };
}

function plateSource(
  take: Take,
  station: Station,
  on: PlateOnFormat,
  headingDeg: number | null,
): NonNullable<OrientationSources['plate']> {
  const { eastM, northM } = take;
  const picture = take.pictureCamera;
  const heightM = picture?.heightM ?? take.heightM;
  return {
    ...on.optics,
    headingDeg,
    tiltDeg: picture?.tiltDeg ?? take.tiltDeg ?? 0,
    rollDeg: picture?.rollDeg ?? 0,
    position:
      headingDeg === null || heightM === null || eastM === null || northM === null
        ? null
        : { eastM, upM: heightM, northM },
    stationOffset: pacedTo(take, station),
    uncertainty: knownTo(take, station),
  };
}
