import type { Router } from 'express';
import { find as findZone } from 'geo-tz';
import type { DataSource } from 'typeorm';
import {
  bodyInput,
  cameraClockInput,
  dayInput,
  eyeLineInput,
  filterInput,
  instrumentInput,
  lampInput,
  lensInput,
  locationInput,
  NEEDS_OF_KIND,
  panoramaRigInput,
  planMarkInput,
  planMeasureInput,
  readingInput,
  referenceObjectInput,
  roundInput,
  setupInput,
  stationInput,
  takeInput,
  type CameraBody,
  type CameraClock,
  type EyeLine,
  type FilterRecord,
  type InstrumentRecord,
  type LampRecord,
  type LensRecord,
  type LightRound,
  type Location,
  type PanoramaRig,
  type PlanMark,
  type PlanMeasure,
  type Reading,
  type ReferenceObject,
  type Setup,
  type ShootDay,
  type Station,
  type Take,
} from '@tawny/contract';
import {
  Bodies,
  CameraClocks,
  Days,
  EyeLines,
  Filters,
  Instruments,
  Lamps,
  Lenses,
  Locations,
  PlanMarks,
  PlanMeasures,
  Readings,
  ReferenceObjects,
  Rigs,
  Rounds,
  Setups,
  Stations,
  Takes,
} from '../db/entities';
import { checkTake } from '../takes/checkTake';
import { recordRoutes } from './records';

/** The plain records of a production: where they live and what binds them. */
export function recordRouters(db: DataSource): [string, Router][] {
  const byName = { by: 'name', direction: 'ASC' } as const;
  return [
    [
      'locations',
      recordRoutes<Location>(db, {
        entity: Locations,
        noun: 'location',
        input: locationInput,
        order: byName,
        check: async (l) => ({ ...l, zone: l.zone ?? findZone(l.latitudeDeg, l.longitudeDeg)[0] ?? 'UTC' }),
      }),
    ],
    [
      'days',
      recordRoutes<ShootDay>(db, {
        entity: Days,
        noun: 'shoot day',
        input: dayInput,
        order: { by: 'date', direction: 'DESC' },
      }),
    ],
    [
      'setups',
      recordRoutes<Setup>(db, {
        entity: Setups,
        noun: 'setup',
        input: setupInput,
        filter: 'dayId',
        order: { by: 'slate', direction: 'ASC' },
        // A new setup without a list gets the template of its kind.
        complete: (s) => (s.needs.length === 0 ? { ...s, needs: [...NEEDS_OF_KIND[s.kind]] } : s),
      }),
    ],
    [
      'clocks',
      recordRoutes<CameraClock>(db, {
        entity: CameraClocks,
        noun: 'camera clock',
        input: cameraClockInput,
        filter: 'dayId',
        order: { by: 'camera', direction: 'ASC' },
      }),
    ],
    ['bodies', recordRoutes<CameraBody>(db, { entity: Bodies, noun: 'camera body', input: bodyInput, order: byName })],
    ['lenses', recordRoutes<LensRecord>(db, { entity: Lenses, noun: 'lens', input: lensInput, order: byName })],
    [
      'rigs',
      recordRoutes<PanoramaRig>(db, { entity: Rigs, noun: 'panorama rig', input: panoramaRigInput, order: byName }),
    ],
    ['filters', recordRoutes<FilterRecord>(db, { entity: Filters, noun: 'filter', input: filterInput, order: byName })],
    [
      'instruments',
      recordRoutes<InstrumentRecord>(db, {
        entity: Instruments,
        noun: 'instrument',
        input: instrumentInput,
        order: byName,
      }),
    ],
    [
      'objects',
      recordRoutes<ReferenceObject>(db, {
        entity: ReferenceObjects,
        noun: 'reference object',
        input: referenceObjectInput,
        order: byName,
      }),
    ],
    [
      'takes',
      recordRoutes<Take>(db, {
        entity: Takes,
        noun: 'take',
        input: takeInput,
        filter: 'setupId',
        order: { by: 'shotAt', direction: 'DESC' },
        check: checkTake,
      }),
    ],
    [
      'readings',
      recordRoutes<Reading>(db, {
        entity: Readings,
        noun: 'reading',
        input: readingInput,
        filter: 'setupId',
        order: { by: 'takenAt', direction: 'DESC' },
      }),
    ],
    [
      'lamps',
      recordRoutes<LampRecord>(db, {
        entity: Lamps,
        noun: 'lamp record',
        input: lampInput,
        filter: 'setupId',
        order: byName,
      }),
    ],
    [
      'eyelines',
      recordRoutes<EyeLine>(db, {
        entity: EyeLines,
        noun: 'eye line',
        input: eyeLineInput,
        filter: 'setupId',
        order: { by: 'who', direction: 'ASC' },
      }),
    ],
    [
      'marks',
      recordRoutes<PlanMark>(db, {
        entity: PlanMarks,
        noun: 'mark',
        input: planMarkInput,
        filter: 'setupId',
        order: byName,
      }),
    ],
    [
      'measures',
      recordRoutes<PlanMeasure>(db, {
        entity: PlanMeasures,
        noun: 'measure',
        input: planMeasureInput,
        filter: 'setupId',
        order: { by: 'kind', direction: 'ASC' },
      }),
    ],
    [
      'stations',
      recordRoutes<Station>(db, {
        entity: Stations,
        noun: 'station',
        input: stationInput,
        filter: 'setupId',
        order: byName,
      }),
    ],
    [
      'rounds',
      recordRoutes<LightRound>(db, {
        entity: Rounds,
        noun: 'round',
        input: roundInput,
        filter: 'stationId',
        order: { by: 'shotAt', direction: 'DESC' },
      }),
    ],
  ];
}
