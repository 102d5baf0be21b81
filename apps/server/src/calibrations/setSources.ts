import type { EntityManager } from 'typeorm';
import type { Location, Sight, Station } from '@tawny/contract';
import {
  anglesFromDirection,
  DECLINATION_SIGMA_DEG,
  DEG,
  halfWidth95,
  magneticDeclinationDeg,
  solvePlan,
  UNKNOWN_SIGMA,
  type CompassSource,
  type MarkSource,
  type OrientationSources,
  type Provenance,
} from '@tawny/core';
import {
  Instruments,
  Locations,
  Panoramas,
  PlanMarks,
  PlanMeasures,
  Readings,
  Stations,
  type Owned,
  type StoredPanorama,
} from '../db/entities';
import { ApiProblem } from '../problems';
import { useFact, type UsedFact } from '../records/facts';
import { findOwned } from '../records/find';

/** Somebody points at the foot of a mark this well, whatever the screen, degrees (95 %). */
const FOOT_DEG = 0.2;
/** The ground between station and mark is level, and the station where it is said to be, this well, metres (95 %). */
const GROUND_M = 0.2;
/** A mark that nothing ties and nobody holds is where it was drawn this well, metres (95 %). */
const UNTIED_M = 1;
/** Nearer than this a mark tells no direction, metres. */
const UNDER_M = 0.5;

/** Marks as the solver takes them; of those on the plan the direction from the station to their foot, with all that it rests on. */
export async function marksOf(
  tx: EntityManager,
  { productionId, widthPx }: Pick<Owned<StoredPanorama>, 'productionId' | 'widthPx'>,
  station: Owned<Station>,
  marks: Sight['marks'],
): Promise<{ sources: MarkSource[]; facts: UsedFact[] }> {
  const { setupId } = station;
  const onPlan = marks.some((m) => m.planMarkId !== null);
  const plan = onPlan ? await tx.getRepository(PlanMarks).findBy({ productionId, setupId }) : [];
  const measures = onPlan ? await tx.getRepository(PlanMeasures).findBy({ productionId, setupId }) : [];
  const solved = solvePlan(plan, measures);
  if ('fault' in solved) throw new ApiProblem(422, 'plan-contradicts', `The plan of the set: ${solved.fault}`);
  const facts: UsedFact[] = [];
  const logged = (source: string): Provenance => ({ kind: 'logged', source, at: null });
  if (onPlan)
    facts.push(
      await useFact(tx, Stations, station, ['eastM', 'northM', 'heightM'], {
        name: 'mark: the station',
        provenance: logged(`${station.name}, the ground level to ${GROUND_M} m`),
      }),
    );
  for (const [k, measure] of measures.entries())
    facts.push(
      await useFact(tx, PlanMeasures, measure, ['fromMarkId', 'toMarkId', 'kind', 'value', 'sigma'], {
        name: `mark: measure ${k + 1} of the plan`,
        provenance: { kind: 'measured', source: measure.kind, at: null },
      }),
    );
  const sources: MarkSource[] = [];
  for (const mark of marks) {
    const pointedDeg = Math.hypot(180 / widthPx, mark.withinDeg ?? 0);
    const seen = { panoramaAzimuthDeg: mark.panoramaAzimuthDeg, panoramaElevationDeg: mark.panoramaElevationDeg };
    if (mark.planMarkId === null) {
      // The schema wants all three of a mark that is not on the plan.
      const [azimuthDeg, elevationDeg, statedDeg] = [mark.azimuthDeg!, mark.elevationDeg!, mark.uncertaintyDeg!];
      const uncertaintyDeg = Math.hypot(statedDeg, mark.withinDeg ?? 0);
      sources.push({ ...seen, name: mark.name, azimuthDeg, elevationDeg, uncertaintyDeg });
      continue;
    }
    const record = await findOwned(tx, PlanMarks, productionId, mark.planMarkId, 'mark');
    const at = solved.marks.find((m) => m.id === mark.planMarkId);
    if (!at)
      throw new ApiProblem(422, 'other-setup', `The mark "${record.name}" is on the plan of another setup`, {
        errors: [{ field: 'marks', message: 'choose one of this set' }],
      });
    const [east, north] = [at.eastM - station.eastM, at.northM - station.northM];
    const apartM = Math.hypot(east, north);
    if (apartM < UNDER_M)
      throw new ApiProblem(422, 'mark-too-near', `The mark "${record.name}" lies under the station: it tells no direction`); // prettier-ignore
    const { azimuthDeg, elevationDeg } = anglesFromDirection([east, -station.heightM, -north]);
    const withinM = Math.hypot(GROUND_M, at.ellipse?.majorM ?? (record.fixed ? 0 : UNTIED_M));
    const uncertaintyDeg = Math.hypot(FOOT_DEG, pointedDeg, Math.atan2(withinM, apartM) / DEG);
    sources.push({ ...seen, name: record.name, azimuthDeg, elevationDeg, uncertaintyDeg });
    const name = `mark ${record.name}`;
    facts.push(
      await useFact(tx, PlanMarks, record, ['eastM', 'northM', 'fixed'], {
        // Two of a plan may share a name.
        name: facts.some((f) => f.name === name) ? `${name} (${facts.length})` : name,
        provenance: at.ellipse
          ? { kind: 'measured', source: 'the plan of the set', at: null }
          : logged(record.fixed ? 'held on the plan' : `drawn on the plan, taken as good to ${UNTIED_M} m`),
        uncertainty: uncertaintyDeg,
        unit: '°',
      }),
    );
  }
  return { sources, facts };
}

/** Compass readings of the log as the solver takes them: bias and declination apart, so that a forgotten one can be told. */
export async function compassOf(
  tx: EntityManager,
  productionId: string,
  location: Owned<Location>,
  readings: Sight['compass'],
): Promise<{ sources: CompassSource[]; facts: UsedFact[] }> {
  const facts: UsedFact[] = [];
  const sources: CompassSource[] = [];
  if (readings.length > 0) facts.push(await declinationFact(tx, location));
  for (const [k, { readingId, panoramaAzimuthDeg }] of readings.entries()) {
    const reading = await findOwned(tx, Readings, productionId, readingId, 'reading');
    if (reading.kind !== 'compass')
      throw new ApiProblem(422, 'no-compass', 'That reading is no compass bearing', {
        errors: [{ field: `compass.${k}.readingId`, message: 'choose a compass bearing of the log' }],
      });
    const instrument = reading.instrumentId
      ? await findOwned(tx, Instruments, productionId, reading.instrumentId, 'instrument')
      : null;
    const modelDeg = magneticDeclinationDeg(location, new Date(reading.takenAt));
    const uncertaintyDeg = halfWidth95(instrument?.sigma ?? UNKNOWN_SIGMA.compass);
    const name = `compass ${k + 1}`;
    sources.push({
      name,
      panoramaAzimuthDeg,
      readingDeg: reading.shown,
      biasDeg: instrument?.bias ?? 0,
      declinationDeg: modelDeg,
      declinationSigmaDeg: DECLINATION_SIGMA_DEG,
      modelDeg,
      uncertaintyDeg,
    });
    facts.push(
      await useFact(tx, Readings, reading, ['shown', 'instrumentId'], {
        name,
        provenance: { kind: 'logged', source: instrument?.name ?? `a compass that nobody named, taken as good to ${uncertaintyDeg.toFixed(1)}° and without bias`, at: new Date(reading.takenAt).toISOString() }, // prettier-ignore
        uncertainty: uncertaintyDeg,
        unit: '°',
      }),
    );
    if (instrument)
      facts.push(
        await useFact(tx, Instruments, instrument, ['bias', 'sigma'], {
          name: `compass ${k + 1}, its calibration`,
          provenance: { kind: 'logged', source: instrument.name, at: null },
        }),
      );
  }
  return { sources, facts };
}

/** The compass of the camera, as the frames of the round told it; its declination by the model where it means magnetic north. Null where they told none. */
export async function viewsCompassOf(
  tx: EntityManager,
  panorama: Owned<StoredPanorama>,
  location: Owned<Location>,
  at: Date,
): Promise<{ source: CompassSource; facts: UsedFact[] } | null> {
  const seen = panorama.viewsCompass;
  if (!seen) return null;
  const magnetic = seen.north === 'magnetic';
  const modelDeg = magneticDeclinationDeg(location, at);
  const facts = [
    await useFact(tx, Panoramas, panorama, ['viewsCompass'], {
      name: 'compass of the views',
      provenance: {
        kind: 'fromFile',
        source: `the camera's own, ${seen.views} ${seen.views === 1 ? 'view' : 'views'} that differ by ${seen.spreadDeg.toFixed(1)}°, ${seen.north} north, taken as good to ${seen.uncertaintyDeg.toFixed(0)}°`,
        at: null,
      },
      uncertainty: seen.uncertaintyDeg,
      unit: '°',
    }),
    ...(magnetic ? [await declinationFact(tx, location)] : []),
  ];
  return {
    source: {
      name: 'compass of the views',
      panoramaAzimuthDeg: 0,
      readingDeg: seen.turnDeg,
      biasDeg: 0,
      declinationDeg: magnetic ? modelDeg : 0,
      declinationSigmaDeg: magnetic ? DECLINATION_SIGMA_DEG : 0,
      // Whether "true" was written of what is magnetic is tested like any other reading.
      modelDeg,
      uncertaintyDeg: seen.uncertaintyDeg,
    },
    facts,
  };
}

const declinationFact = (tx: EntityManager, location: Owned<Location>) =>
  useFact(tx, Locations, location, ['latitudeDeg', 'longitudeDeg', 'altitudeM'], {
    name: 'compass declination',
    provenance: { kind: 'predicted', source: `World Magnetic Model at ${location.name}`, at: null },
    uncertainty: halfWidth95(DECLINATION_SIGMA_DEG),
    unit: '°',
  });

/** Points on the sea's horizon, with the eye's height over the water that their dip is worked out from. */
export async function horizonOf(
  tx: EntityManager,
  station: Owned<Station>,
  location: Owned<Location>,
  points: Sight['horizon'],
): Promise<{ source: OrientationSources['horizon']; facts: UsedFact[] }> {
  if (points.length === 0) return { source: null, facts: [] };
  const heightM = Math.max(0, location.altitudeM + station.heightM);
  const provenance: Provenance = {
    kind: 'assumed',
    source: `the eye ${heightM.toFixed(1)} m over the water: altitude of ${location.name} and height of ${station.name}`,
    at: null,
  };
  return {
    source: { points, heightM },
    facts: [
      await useFact(tx, Locations, location, ['altitudeM'], { name: 'horizon: altitude over the water', provenance }),
      await useFact(tx, Stations, station, ['heightM'], {
        name: 'horizon: height of the rig',
        provenance: { kind: 'logged', source: station.name, at: null },
      }),
    ],
  };
}
