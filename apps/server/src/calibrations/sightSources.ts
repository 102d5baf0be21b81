import type { EntityManager } from 'typeorm';
import type { Location, Plate, Sight, Station, Take } from '@tawny/contract';
import { cameraOfTake, trueHeadingDeg, type OrientationSources, type Provenance } from '@tawny/core';
import { Bodies, Lenses, Panoramas, Plates, Stations, Takes, type Owned, type StoredPanorama } from '../db/entities';
import { ApiProblem } from '../problems';
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
  sources: Pick<OrientationSources, 'hand' | 'picks' | 'marks' | 'plate' | 'station'>;
  facts: UsedFact[];
}

/** What a sight says of a panorama, with the plate's camera as it is logged, and the facts that this rests on. @throws ApiProblem naming what is missing */
export async function sightSources(
  tx: EntityManager,
  panorama: Owned<StoredPanorama>,
  station: Owned<Station>,
  location: Location,
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
  const marks = sight.marks.map((m) => ({ ...m }));
  if (sight.plateId === null) {
    if (sight.picks.length > 0)
      throw new ApiProblem(422, 'no-plate', 'Picks need the plate that they were made in', {
        errors: [{ field: 'plateId', message: 'name the plate' }],
      });
    return { sources: { hand: handOf(sight, null), picks: [], marks, plate: null, station: null }, facts };
  }
  const plate = await findOwned(tx, Plates, productionId, sight.plateId, 'plate');
  const take = await findOwned(tx, Takes, productionId, plate.takeId, 'take');
  if (take.flopped && (sight.hand || sight.picks.length > 0))
    throw new ApiProblem(
      422,
      'flopped',
      `The plate of take ${take.slate}/${take.take} is flopped: a panorama laid over it would be turned the wrong way. Lay it over a take that is not`,
    );
  const headingDeg = trueHeadingDeg(take, location);
  facts.push(
    await useFact(
      tx,
      Takes,
      take,
      ['headingDeg', 'headingNorth', 'tiltDeg', 'focalLengthMm', 'eastM', 'northM', 'heightM', 'formatName', 'shotAt'],
      {
        name: 'camera in the sight',
        provenance: from('logged', `${take.slate}/${take.take}${take.camera}, taken as ${knownWords(take.tiltDeg)}`),
      },
    ),
    await useFact(tx, Stations, station, ['eastM', 'northM', 'heightM'], {
      name: 'station in the sight',
      provenance: from('logged', station.name),
    }),
  );
  const camera = await plateSource(tx, take, plate, location, headingDeg);
  // In the plan's axes: they are the sight's only while the plate's heading is known.
  const known = headingDeg !== null;
  return {
    sources: {
      hand: handOf(sight, headingDeg),
      marks,
      plate: camera,
      station: known ? { eastM: station.eastM, upM: station.heightM, northM: station.northM } : null,
      picks: sight.picks.map((p, k) => ({
        ...p,
        name: `pick ${k + 1}`,
        distanceShare: DISTANCE_SHARE,
        sigmaPx: PICK_SIGMA_PX,
      })),
    },
    facts,
  };
}

/** How well the camera is taken to be known: nobody states it, so it is said with the fact. */
function knownWords(tiltDeg: number | null): string {
  const tilt = tiltDeg === null ? `level within ${UNKNOWN_TILT_DEG}°` : `tilted to ${LOGGED.tiltDeg}°`;
  return `known to ${LOGGED.headingDeg}° of heading, ${tilt}, rolled by nothing to ${LOGGED.rollDeg}°, focal length to ${100 * LOGGED.focalShare} %, ${LOGGED.positionM} m`;
}

/** A turn over a plate is as good as the turn and, towards north, as the plate's heading. */
function handOf({ hand }: Sight, headingDeg: number | null): OrientationSources['hand'] {
  if (!hand) return null;
  const uncertaintyDeg = headingDeg === null ? hand.uncertaintyDeg : Math.hypot(hand.uncertaintyDeg, LOGGED.headingDeg);
  return { quaternion: hand.rotation, uncertaintyDeg };
}

async function plateSource(
  tx: EntityManager,
  take: Owned<Take>,
  plate: Pick<Plate, 'widthPx' | 'heightPx'>,
  location: Location,
  headingDeg: number | null,
): Promise<NonNullable<OrientationSources['plate']>> {
  const [body, lens] = await Promise.all([
    findOwned(tx, Bodies, take.productionId, take.bodyId, 'camera body'),
    findOwned(tx, Lenses, take.productionId, take.lensId, 'lens'),
  ]);
  const camera = cameraOfTake(take, body, lens, location);
  if (!camera)
    throw new ApiProblem(
      422,
      'no-camera',
      `The body of take ${take.slate}/${take.take} does not record "${take.formatName}": choose the format in the log`,
    );
  const scale = plate.widthPx / camera.widthPx;
  const { eastM, northM, heightM } = take;
  return {
    focalXPx: camera.focalXPx * scale,
    focalYPx: camera.focalYPx * scale,
    centreXPx: plate.widthPx / 2,
    centreYPx: plate.heightPx / 2,
    distortion: camera.distortion,
    headingDeg,
    tiltDeg: take.tiltDeg ?? 0,
    rollDeg: 0,
    position: headingDeg === null || heightM === null ? null : { eastM, upM: heightM, northM },
    uncertainty: { ...LOGGED, tiltDeg: take.tiltDeg === null ? UNKNOWN_TILT_DEG : LOGGED.tiltDeg },
  };
}
