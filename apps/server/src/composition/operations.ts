import { find as findZone } from 'geo-tz';
import {
  bodyInput,
  eyeLineInput,
  filterInput,
  lampInput,
  lensInput,
  locationInput,
  planMarkInput,
  planMeasureInput,
  readingInput,
  referenceObjectInput,
  stationInput,
  type CameraBody,
  type EyeLine,
  type FilterRecord,
  type LampRecord,
  type LensRecord,
  type Location,
  type PlanMark,
  type PlanMeasure,
  type Reading,
  type ReferenceObject,
  type Station,
} from '@tawny/contract';
import { calibrationOperations } from '../calibrations/operations';
import { clipOperations } from '../clips/operations';
import { curveOperations } from '../kit/curveOperations';
import { clockOperations } from '../rounds/clockOperations';
import { dayOperations } from '../days/operations';
import {
  Bodies,
  EyeLines,
  Filters,
  Lamps,
  Lenses,
  Locations,
  PlanMarks,
  PlanMeasures,
  Readings,
  ReferenceObjects,
  Stations,
} from '../db/entities';
import { handoffOperations } from '../handoffs/operations';
import type { AllHandlers } from '../http/handler';
import { jobOperations } from '../jobs/operations';
import { kitOperations } from '../kit/operations';
import { rigOperations } from '../kit/rigOperations';
import { panoramaOperations } from '../panoramas/operations';
import { plateOperations } from '../plates/operations';
import { instrumentOperations } from '../readings/operations';
import { writtenHandlers } from '../records/recordHandlers';
import { productionOperations } from '../productions/operations';
import { referenceOperations } from '../references/operations';
import { roundOperations } from '../rounds/operations';
import type { Services } from '../services';
import { productionGaps } from '../setups/gaps';
import { setupOperations } from '../setups/operations';
import { takeOperations } from '../takes/operations';

/** Who does each operation of the table. Records without a feature of their own are said here. */
export function allHandlers(services: Services): AllHandlers {
  const { db } = services;
  const byName = { by: ['name'], direction: 'ASC' } as const;
  return {
    productions: productionOperations(db),
    locations: writtenHandlers<'locations', Location>({
      entity: Locations,
      noun: 'location',
      input: locationInput,
      order: byName,
      check: async (l) => ({ ...l, zone: l.zone ?? findZone(l.latitudeDeg, l.longitudeDeg)[0] ?? 'UTC' }),
    }),
    days: dayOperations,
    setups: setupOperations,
    gaps: {
      list: async ({ production }) => ({ items: await productionGaps(db, production.id, new Date()), next: null }),
    },
    clocks: clockOperations,
    bodies: writtenHandlers<'bodies', CameraBody>({
      entity: Bodies,
      noun: 'camera body',
      input: bodyInput,
      order: byName,
    }),
    lenses: writtenHandlers<'lenses', LensRecord>({ entity: Lenses, noun: 'lens', input: lensInput, order: byName }),
    rigs: rigOperations(services),
    filters: writtenHandlers<'filters', FilterRecord>({
      entity: Filters,
      noun: 'filter',
      input: filterInput,
      order: byName,
    }),
    instruments: instrumentOperations,
    objects: writtenHandlers<'objects', ReferenceObject>({
      entity: ReferenceObjects,
      noun: 'reference object',
      input: referenceObjectInput,
      order: byName,
    }),
    kit: kitOperations,
    takes: takeOperations(services),
    readings: writtenHandlers<'readings', Reading>({
      entity: Readings,
      noun: 'reading',
      input: readingInput,
      order: { by: ['takenAt'], direction: 'DESC' },
      implied: (_, fields) => (fields.takenAt === undefined ? fields : { takenAtFrom: 'entered', ...fields }),
    }),
    lamps: writtenHandlers<'lamps', LampRecord>({
      entity: Lamps,
      noun: 'lamp record',
      input: lampInput,
      order: byName,
    }),
    eyelines: writtenHandlers<'eyelines', EyeLine>({
      entity: EyeLines,
      noun: 'eye line',
      input: eyeLineInput,
      order: { by: ['who'], direction: 'ASC' },
    }),
    marks: writtenHandlers<'marks', PlanMark>({ entity: PlanMarks, noun: 'mark', input: planMarkInput, order: byName }),
    measures: writtenHandlers<'measures', PlanMeasure>({
      entity: PlanMeasures,
      noun: 'measure',
      input: planMeasureInput,
      order: { by: ['kind'], direction: 'ASC' },
    }),
    stations: writtenHandlers<'stations', Station>({
      entity: Stations,
      noun: 'station',
      input: stationInput,
      order: byName,
    }),
    references: referenceOperations(services),
    rounds: roundOperations(services),
    panoramas: { ...panoramaOperations(services), ...calibrationOperations(services) },
    plates: plateOperations(services),
    clips: clipOperations(services),
    curves: curveOperations(services),
    handoffs: handoffOperations,
    jobs: jobOperations(db),
  };
}
