import type { PanoramaCorners } from '@tawny/contract';
import { findingOf, northFromSun, yawQuaternion, type Provenance, type ProvenanceKind } from '@tawny/core';
import { Calibrations } from '../db/entities';
import type { Handlers } from '../http/handler';
import { findPanorama, type MeasuredOn } from '../panoramas/operations';
import { ApiProblem } from '../problems';
import { bare } from '../records/bare';
import { basisOf } from '../records/facts';
import { listPage } from '../records/listPage';
import { setPlace } from '../records/place';
import type { Services } from '../services';
import { exposuresOf } from './exposures';
import { latestCalibration, originOf } from './latest';
import { orient } from './orient';
import { measureColour, measureRegions } from './colour';
import { measureGain } from './gain';
import { measureGainBySurface } from './surfaceGain';
import { withPanorama } from './patches';
import { proposeFor } from './proposePicks';
import { setCardAside } from './setAside';
import { shareTurn } from './shareTurn';
import { publicCalibration, storeCalibration } from './store';
import { seenSun, sunFacts, timeOfSun } from './timeOfSun';

const from = (kind: ProvenanceKind, source: string, at: Date | null = null): Provenance => ({
  kind,
  source,
  at: at?.toISOString() ?? null,
});

export const calibrationOperations = ({ files, decoder }: Services): Pick<Handlers<'panoramas'>, MeasuredOn> => ({
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
        plateHeading: null,
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
  card: async ({ tx, production, params, body }) =>
    measureGain(tx, { files, decoder }, await findPanorama(tx, production.id, params.id), body),
  surface: async ({ tx, production, params, body }) =>
    measureGainBySurface(tx, { files, decoder }, await findPanorama(tx, production.id, params.id), body),
  colour: async ({ tx, production, params, body }) =>
    measureColour(tx, { files, decoder }, await findPanorama(tx, production.id, params.id), body),
  colourByRegions: async ({ tx, production, params, body }) =>
    measureRegions(tx, { files, decoder }, await findPanorama(tx, production.id, params.id), body),
  findChart: async ({ tx, production, params, body }) => {
    const found = await withPanorama({ files }, await findPanorama(tx, production.id, params.id), (panorama) =>
      decoder.run('chartOnPanorama', panorama, body),
    );
    const corners = found?.corners.map((c) => [c.azimuthDeg, c.elevationDeg] as const);
    return { found: found && { ...found, corners: corners as unknown as PanoramaCorners } };
  },
  calibrations: async ({ tx, production, params, query }) => {
    const { id: panoramaId } = await findPanorama(tx, production.id, params.id);
    const order = { by: ['number'], direction: 'DESC' } as const;
    const { items, next } = await listPage(tx, Calibrations, order, production.id, { panoramaId }, query);
    const bases = await basisOf(tx, 'calibrations', items.map((c) => c.id)); // prettier-ignore
    return { items: items.map((c) => ({ ...bare(c), basis: bases.get(c.id)! })), next };
  },
  setAside: async ({ tx, production, params, body }) =>
    setCardAside(tx, production.id, (await findPanorama(tx, production.id, params.id)).id, body),
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
