import type { EntityManager } from 'typeorm';
import type { Take } from '@tawny/contract';
import {
  findingOf,
  gainFromCard,
  gainFromMetadata,
  measurePatch,
  northFromSun,
  yawQuaternion,
  type Provenance,
  type ProvenanceKind,
} from '@tawny/core';
import { decodeFloatPicture } from '@tawny/pipeline';
import { Bodies, Calibrations, Panoramas, Plates, Takes, type Owned } from '../db/entities';
import { inPixels } from '../decode/patch';
import { statedDecodingOf } from '../decodings/stated';
import { withDecodings } from '../decodings/withDecodings';
import type { Handlers } from '../http/handler';
import { findPanorama, pixelsOf } from '../panoramas/operations';
import { plateExposure } from '../plates/addPlate';
import { ApiProblem } from '../problems';
import { bare } from '../records/bare';
import { basisOf, useFact, type UsedFact } from '../records/facts';
import { findOwned } from '../records/find';
import { listPage } from '../records/listPage';
import { setPlace } from '../records/place';
import type { Services } from '../services';
import { exposuresOf } from './exposures';
import { latestCalibration, originOf } from './latest';
import { orient } from './orient';
import { proposeFor } from './proposePicks';
import { shareTurn } from './shareTurn';
import { publicCalibration, storeCalibration } from './store';
import { seenSun, sunFacts, timeOfSun } from './timeOfSun';

const from = (kind: ProvenanceKind, source: string, at: Date | null = null): Provenance => ({
  kind,
  source,
  at: at?.toISOString() ?? null,
});

/** Where the meaning of a plate's code values comes from, as provenance. */
const DECODING_KINDS = { entered: 'logged', file: 'fromFile', kit: 'logged' } as const;

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
}: Services): Pick<
  Handlers<'panoramas'>,
  'calibration' | 'calibrations' | 'choose' | 'exposures' | 'north' | 'propose' | 'orient' | 'shareTurn' | 'card'
> => ({
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
    const time = await timeOfSun(tx, found, round, body.clockS);
    const { utc, clockS } = time;
    const levelDeg = body.levelDeg ?? found.levelDeg;
    const north = northFromSun({ detected: found.sun, place: location, utc, levelDeg, clockS });
    const facts = await sunFacts(tx, found, round, location, time, seenSun(found)!, body.levelDeg);
    const finding = findingOf([
      {
        name: 'Sun in the picture',
        value: north.yawDeg,
        uncertainty: north.uncertaintyDeg,
        provenance: from('measured', 'sun', utc),
      },
    ]);
    return storeCalibration(
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
        tiltUncertaintyDeg: null,
        sight: null,
        degenerate: null,
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
  exposures: async ({ tx, production, params }) =>
    exposuresOf(tx, { files }, await findPanorama(tx, production.id, params.id)),
  shareTurn: async ({ tx, production, params }) => shareTurn(tx, await findPanorama(tx, production.id, params.id)),
  propose: async ({ tx, production, params, body }) =>
    proposeFor(tx, { files, decoder }, await findPanorama(tx, production.id, params.id), body.plateId),
  orient: async ({ tx, production, params, body }) =>
    orient(tx, await findPanorama(tx, production.id, params.id), body),
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
    return storeCalibration(
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
    if (number === null) return storeCalibration(tx, production.id, panoramaId, part, null, null, reason);
    const where = { productionId: production.id, panoramaId, number };
    const older = await tx.getRepository(Calibrations).findOneBy(where);
    if (!older?.[part])
      throw new ApiProblem(422, 'not-measured', `Measurement ${number} of this panorama holds no ${part}`, {
        errors: [{ field: 'from', message: `holds no ${part}` }],
      });
    return storeCalibration(tx, production.id, panoramaId, part, older[part], { as: older.id }, reason);
  },
});
