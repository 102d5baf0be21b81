import { randomUUID } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import type { Calibration, LightRound, Take } from '@tawny/contract';
import {
  findingOf,
  gainFromCard,
  gainFromMetadata,
  measurePatch,
  northFromSun,
  UNKNOWN_LEVEL_DEG,
  yawQuaternion,
  type Provenance,
  type ProvenanceKind,
} from '@tawny/core';
import { decodeFloatPicture } from '@tawny/pipeline';
import type { Queries } from '../db/dataSource';
import {
  Bodies,
  Calibrations,
  Frames,
  Locations,
  Panoramas,
  Plates,
  Rounds,
  Takes,
  type Owned,
  type StoredCalibration,
  type StoredPanorama,
} from '../db/entities';
import { inPixels } from '../decode/patch';
import { statedDecodingOf } from '../decodings/stated';
import { withDecodings } from '../decodings/withDecodings';
import type { Handlers } from '../http/handler';
import { findPanorama, pixelsOf } from '../panoramas/operations';
import { plateExposure } from '../plates/addPlate';
import { ApiProblem } from '../problems';
import { bare } from '../records/bare';
import { basisOf, basisOfOne, inheritFacts, recordFacts, useFact, type UsedFact } from '../records/facts';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';
import { setPlace } from '../records/place';
import { rigClock, trueMiddleMs } from '../rounds/roundTime';
import type { Services } from '../services';
import { latestCalibration, originOf } from './latest';

/** Parts of a calibration, and the facts that each rests on by their names. */
const PARTS = {
  orientation: ['time of the round', 'place', 'level', 'sun in the picture'],
  scale: [
    'card in the panorama',
    'card in the plate',
    'decoding of the plate',
    'recording format',
    'exposure of the take',
  ],
} as const;

const from = (kind: ProvenanceKind, source: string, at: Date | null = null): Provenance => ({
  kind,
  source,
  at: at?.toISOString() ?? null,
});

/**
 * Calibrations are versioned: each measurement makes a new one that keeps the other parts of the last, and what they rest on. A part rests on facts of its
 * own, or on what the calibration rested on that it is taken `as` from; one that was set aside on nothing.
 */
async function store<P extends keyof typeof PARTS>(
  tx: EntityManager,
  productionId: string,
  panoramaId: string,
  part: P,
  found: StoredCalibration[P],
  rests: { facts: UsedFact[] } | { as: string } | null,
  reason = '',
): Promise<Calibration> {
  // Two measurements at once wait for each other here: neither part is lost.
  await tx.query('SELECT 1 FROM panoramas WHERE id = $1 FOR UPDATE', [panoramaId]);
  const last = await latestCalibration(tx, productionId, panoramaId);
  const id = randomUUID();
  await tx.getRepository(Calibrations).insert({
    id,
    productionId,
    panoramaId,
    number: (last?.number ?? 0) + 1,
    orientation: last?.orientation ?? null,
    scale: last?.scale ?? null,
    colour: last?.colour ?? null,
    version: 1,
    reason,
    [part]: found,
  } as never);
  if (last) await inheritFacts(tx, 'calibrations', last.id, id, { except: PARTS[part] });
  if (rests && 'as' in rests) await inheritFacts(tx, 'calibrations', rests.as, id, { only: PARTS[part] });
  else if (rests) await recordFacts(tx, productionId, 'calibrations', id, rests.facts);
  return publicCalibration(tx, await tx.getRepository(Calibrations).findOneByOrFail({ id }));
}

const publicCalibration = async (db: Queries, stored: Owned<StoredCalibration>): Promise<Calibration> => ({
  ...bare(stored),
  basis: await basisOfOne(db, 'calibrations', stored.id),
});

/** Where the meaning of a plate's code values comes from, as provenance. */
const DECODING_KINDS = { entered: 'logged', file: 'fromFile', kit: 'logged' } as const;

/** Where a round's time comes from, as provenance. */
const TIME_KINDS: Record<LightRound['shotAtFrom'], ProvenanceKind> = {
  planned: 'predicted',
  files: 'fromFile',
  entered: 'logged',
};

/**
 * When the sun's disc was photographed: the middle of the exposure that it was taken from, its camera's clock corrected; of a round whose
 * files do not tell, the time of the round, which may be as far off as the round was long.
 */
async function timeOfSun(
  tx: EntityManager,
  panorama: Owned<StoredPanorama>,
  round: Owned<LightRound>,
  statedS: number | undefined,
): Promise<{ utc: Date; clockS: number | null; source: string }> {
  const known = statedS ?? round.shotAtUncertaintyS;
  const { productionId } = panorama;
  const middle = { utc: new Date(round.shotAt), clockS: known, source: round.shotAtSource };
  if (round.shotAtFrom !== 'files') return middle;
  const clock = await rigClock(tx, productionId, round.stationId);
  const frames = (await tx.getRepository(Frames).findBy({ productionId, roundId: round.id })).filter((f) => f.takenAt);
  const own = frames.find((f) => f.id === panorama.sunFrameId);
  if (own)
    return {
      utc: new Date(trueMiddleMs(own, clock)),
      clockS: known,
      source: `${round.shotAtSource}; the sun's own frame ${own.name}`,
    };
  const times = frames.map((f) => trueMiddleMs(f, clock));
  const half = times.length > 0 ? (Math.max(...times) - Math.min(...times)) / 2000 : 0;
  return { ...middle, clockS: known === null ? null : Math.hypot(known, half) };
}

/** The kit's recording format of a take, on whose decoding its plates rest. */
async function recordingFormat(tx: EntityManager, take: Owned<Take>): Promise<UsedFact> {
  const body = await findOwned(tx, Bodies, take.productionId, take.bodyId, 'camera body');
  return useFact(tx, Bodies, body, ['formats'], {
    name: 'recording format',
    provenance: from('logged', `${body.name}, ${take.formatName}`),
  });
}

export const calibrationOperations = ({
  files,
  decoder,
}: Services): Pick<Handlers<'panoramas'>, 'calibration' | 'calibrations' | 'choose' | 'north' | 'card'> => ({
  calibration: async ({ tx, production, params }) => {
    const { id } = await findPanorama(tx, production.id, params.id);
    const found = await latestCalibration(tx, production.id, id);
    return { calibration: found ? await publicCalibration(tx, found) : null };
  },
  north: async ({ tx, production, params, body }) => {
    const found = await findPanorama(tx, production.id, params.id);
    if (!found.sun)
      throw new ApiProblem(
        422,
        'no-sun',
        'No sun was found in this panorama: north stays unknown until a round shows the sun',
      );
    const { round, station } = await originOf(tx, found);
    const { location } = await setPlace(tx, production.id, station.setupId);
    const { utc, clockS, source } = await timeOfSun(tx, found, round, body.clockS);
    const levelDeg = body.levelDeg ?? found.levelDeg;
    const north = northFromSun({ detected: found.sun, place: location, utc, levelDeg, clockS });
    const facts = [
      await useFact(tx, Rounds, round, ['shotAt'], {
        name: 'time of the round',
        provenance: from(TIME_KINDS[round.shotAtFrom], source, utc),
        uncertainty: clockS,
        unit: 's',
      }),
      await useFact(tx, Locations, location, ['latitudeDeg', 'longitudeDeg', 'altitudeM'], {
        name: 'place',
        provenance: from('logged', location.name),
      }),
      await useFact(tx, Panoramas, found, ['levelDeg'], {
        name: 'level',
        provenance: body.levelDeg
          ? from('logged', 'stated for this measurement')
          : found.levelDeg === null
            ? from('assumed', 'nobody looked: rigs lean as much as that')
            : from('measured', 'upright edges in the picture'),
        uncertainty: levelDeg ?? UNKNOWN_LEVEL_DEG,
        unit: '°',
      }),
      await useFact(tx, Panoramas, found, ['sun'], {
        name: 'sun in the picture',
        provenance: from('measured', found.sun.clipped ? 'its clipped disc' : 'its disc'),
        uncertainty: found.sun.uncertaintyDeg,
        unit: '°',
      }),
    ];
    const finding = findingOf([
      {
        name: 'Sun in the picture',
        value: north.yawDeg,
        uncertainty: north.uncertaintyDeg,
        provenance: from('measured', 'sun', utc),
      },
    ]);
    return store(
      tx,
      production.id,
      found.id,
      'orientation',
      {
        ...finding,
        // A single source of heading, but the sun's height witnesses level, clock and place.
        verdict: north.agrees ? 'agrees' : 'disagrees',
        sources: finding.sources.map((s) => ({ ...s, cause: north.cause })),
        frame: 'trueNorth',
        rotation: [...yawQuaternion(north.yawDeg)],
        sun: {
          computedAzimuthDeg: north.computed.azimuthDeg,
          computedElevationDeg: north.computed.elevationDeg,
          foundAzimuthDeg: found.sun.azimuthDeg,
          foundElevationDeg: found.sun.elevationDeg,
          elevationDifferenceDeg: north.elevationDifferenceDeg,
          elevationToleranceDeg: north.elevationToleranceDeg,
          utc: utc.toISOString(),
          clockErrorS: clockS === null ? null : { value: north.clock.valueS, uncertainty: north.clock.uncertaintyS },
          heightTestsHour: north.heightTestsHour,
        },
      },
      { facts },
    );
  },
  card: async ({ tx, production, params, body }) => {
    const found = await findPanorama(tx, production.id, params.id);
    const plate = await findOwned(tx, Plates, production.id, body.plateId, 'plate');
    const take = await findOwned(tx, Takes, production.id, plate.takeId, 'take');
    const decoding = await statedDecodingOf(tx, plate);
    const inPlate = await withDecodings(tx, files, production.id, [{ ...plate, decoding }], ([picture]) =>
      decoder.run('measurePlate', picture, body.plateRect, found.space),
    );
    const panoramaImage = decodeFloatPicture(await files.read(found.floatHash), pixelsOf(found));
    const card = gainFromCard(
      inPlate,
      measurePatch(panoramaImage, inPixels(body.panoramaRect, panoramaImage), 'panorama'),
    );
    const metadata = gainFromMetadata(plateExposure(plate, take));
    const facts = [
      await useFact(tx, Panoramas, found, ['floatHash'], {
        name: 'card in the panorama',
        provenance: from('measured', 'marked by hand'),
      }),
      await useFact(tx, Plates, plate, ['hash'], {
        name: 'card in the plate',
        provenance: from('measured', plate.name),
        uncertainty: card.uncertaintyStops,
        unit: 'stop',
      }),
      await useFact(tx, Plates, plate, ['fileDecoding', 'enteredDecoding'], {
        name: 'decoding of the plate',
        provenance: from(DECODING_KINDS[decoding.from!], decoding.source),
      }),
      ...(decoding.from === 'kit' ? [await recordingFormat(tx, take)] : []),
      await useFact(tx, Takes, take, ['tStop', 'ndStops', 'shutterAngleDeg', 'fps', 'ei'], {
        name: 'exposure of the take',
        provenance: from('logged', `${take.slate}/${take.take}${take.camera}`),
        uncertainty: metadata.uncertaintyStops,
        unit: 'stop',
      }),
    ];
    const finding = findingOf([
      {
        name: 'Grey card',
        value: card.gainStops,
        uncertainty: card.uncertaintyStops,
        provenance: from('measured', 'grey card'),
      },
      {
        name: 'Metadata',
        value: metadata.gainStops,
        uncertainty: metadata.uncertaintyStops,
        provenance: from('predicted', 'exposures of plate and rig'),
      },
    ]);
    return store(
      tx,
      production.id,
      found.id,
      'scale',
      {
        ...finding,
        card: {
          plateId: plate.id,
          channelStops: card.channelStops,
          plateRect: body.plateRect,
          panoramaRect: body.panoramaRect,
        },
      },
      { facts },
    );
  },
  calibrations: async ({ tx, production, params, query }) => {
    const { id: panoramaId } = await findPanorama(tx, production.id, params.id);
    const order = { by: ['number'], direction: 'DESC' } as const;
    const { items, next } = await listPage(tx, Calibrations, order, production.id, { panoramaId }, query);
    const bases = await basisOf(tx, 'calibrations', items.map((c) => c.id)); // prettier-ignore
    return { items: items.map((c) => ({ ...bare(c), basis: bases.get(c.id)! })), next };
  },
  choose: async ({ tx, production, params, body: { part, from: number, reason } }) => {
    const { id: panoramaId } = await findPanorama(tx, production.id, params.id);
    if (number === null) return store(tx, production.id, panoramaId, part, null, null, reason);
    const where = { productionId: production.id, panoramaId, number };
    const older = await tx.getRepository(Calibrations).findOneBy(where);
    if (!older?.[part])
      throw new ApiProblem(422, 'not-measured', `Measurement ${number} of this panorama holds no ${part}`, {
        errors: [{ field: 'from', message: `holds no ${part}` }],
      });
    return store(tx, production.id, panoramaId, part, older[part], { as: older.id }, reason);
  },
});
