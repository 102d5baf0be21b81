import { randomUUID } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import type { Calibration } from '@tawny/contract';
import {
  findingOf,
  gainFromCard,
  gainFromMetadata,
  inSpace,
  measurePatch,
  northFromSun,
  yawQuaternion,
  type PatchRect,
  type Provenance,
  type ProvenanceKind,
  type RgbImage,
} from '@tawny/core';
import { decodeFloatPicture, readLinearPicture } from '@tawny/pipeline';
import type { Queries } from '../db/dataSource';
import {
  Calibrations,
  Locations,
  Panoramas,
  Plates,
  Rounds,
  Takes,
  type Owned,
  type StoredCalibration,
} from '../db/entities';
import type { Handlers } from '../http/handler';
import { findPanorama, pixelsOf } from '../panoramas/operations';
import { plateExposure } from '../plates/addPlate';
import { ApiProblem } from '../problems';
import { bare } from '../records/bare';
import { basisOfOne, inheritFacts, recordFacts, useFact, type UsedFact } from '../records/facts';
import { findOwned } from '../records/find';
import { setPlace } from '../records/place';
import type { Services } from '../services';
import { latestCalibration, originOf } from './latest';

/** From shares of the picture to pixels. */
function inPixels(rect: PatchRect, image: RgbImage): PatchRect {
  return {
    left: rect.left * image.width,
    right: rect.right * image.width,
    top: rect.top * image.height,
    bottom: rect.bottom * image.height,
  };
}

const PLATE_CLIP = 0.98;

/** Parts of a calibration, and the facts that each rests on by their names. */
const PARTS = {
  orientation: ['time of the round', 'place', 'level', 'sun in the picture'],
  scale: ['card in the panorama', 'card in the plate', 'decoding of the plate', 'exposure of the take'],
} as const;

const from = (kind: ProvenanceKind, source: string, at: Date | null = null): Provenance => ({
  kind,
  source,
  at: at?.toISOString() ?? null,
});

/** Calibrations are versioned: each measurement makes a new one that keeps the other parts of the last, and what they rest on. */
async function store<P extends keyof typeof PARTS>(
  tx: EntityManager,
  productionId: string,
  panoramaId: string,
  part: P,
  found: NonNullable<StoredCalibration[P]>,
  facts: UsedFact[],
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
    [part]: found,
  } as never);
  if (last) await inheritFacts(tx, 'calibrations', last.id, id, PARTS[part]);
  await recordFacts(tx, productionId, 'calibrations', id, facts);
  return publicCalibration(tx, await tx.getRepository(Calibrations).findOneByOrFail({ id }));
}

const publicCalibration = async (db: Queries, stored: Owned<StoredCalibration>): Promise<Calibration> => ({
  ...bare(stored),
  basis: await basisOfOne(db, 'calibrations', stored.id),
});

/** How codes of a plate were taken for light, by their depth: only floats say so themselves. */
const DECODINGS: Record<number, Provenance> = {
  8: from('assumed', '8 bits taken as sRGB'),
  16: from('assumed', '16 bits taken as linear'),
  32: from('fromFile', 'floats are linear'),
};

/** What the sun's interval is told with when nobody states better. */
const USUAL = { levelDeg: 0.1, clockS: 10 };

export const calibrationOperations = ({
  files,
}: Services): Pick<Handlers<'panoramas'>, 'calibration' | 'north' | 'card'> => ({
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
        'No sun was found in this panorama: north must come from another source, such as a compass or picked bearings',
      );
    const { round, station } = await originOf(tx, found);
    const { location } = await setPlace(tx, production.id, station.setupId);
    const utc = new Date(round.shotAt);
    const levelDeg = body.levelDeg ?? found.levelDeg ?? USUAL.levelDeg;
    const clockS = body.clockS ?? USUAL.clockS;
    const north = northFromSun({ detected: found.sun, place: location, utc, levelDeg, clockS });
    const facts = [
      await useFact(tx, Rounds, round, ['shotAt'], {
        name: 'time of the round',
        provenance: from('assumed', 'planned light time', utc),
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
            ? from('assumed', 'a levelled rig')
            : from('measured', 'upright edges in the picture'),
        uncertainty: levelDeg,
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
        },
      },
      facts,
    );
  },
  card: async ({ tx, production, params, body }) => {
    const found = await findPanorama(tx, production.id, params.id);
    const plate = await findOwned(tx, Plates, production.id, body.plateId, 'plate');
    const take = await findOwned(tx, Takes, production.id, plate.takeId, 'take');
    const plateImage = inSpace(
      await files.withLocalFiles([plate.hash], ([path]) => readLinearPicture(path, plate.name)),
      found.space,
    );
    const panoramaImage = decodeFloatPicture(await files.read(found.floatHash), pixelsOf(found));
    const card = gainFromCard(
      measurePatch(plateImage, inPixels(body.plateRect, plateImage), 'plate', PLATE_CLIP),
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
      await useFact(tx, Plates, plate, ['bits'], { name: 'decoding of the plate', provenance: DECODINGS[plate.bits] }),
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
      facts,
    );
  },
});
