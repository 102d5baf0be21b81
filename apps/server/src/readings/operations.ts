import { randomInt } from 'node:crypto';
import {
  instrumentInput,
  READING_KINDS,
  type InstrumentKind,
  type InstrumentRecord,
  type ReadingKind,
} from '@tawny/contract';
import { directionFromAngles, magneticDeclinationDeg, trueHeadingDeg } from '@tawny/core';
import { setIlluminance } from '@tawny/pipeline';
import { compassReading, createRandom, lightMeterReading, plainReading } from '@tawny/simset';
import { Instruments, Setups, Stations, Takes } from '../db/entities';
import type { Handlers } from '../http/handler';
import { ApiProblem } from '../problems';
import { findOwned } from '../records/find';
import { setPlace } from '../records/place';
import { writtenHandlers } from '../records/recordHandlers';
import { simulatedSet } from '../standins/simulatedSet';

const INSTRUMENT_OF: Partial<Record<ReadingKind, InstrumentKind>> = {
  lux: 'luxMeter',
  compass: 'compass',
  tilt: 'inclinometer',
  height: 'tape',
  east: 'positioning',
  north: 'positioning',
};

const logged = (value: number | null | undefined, what: string) => {
  if (value === null || value === undefined)
    throw new ApiProblem(422, 'no-truth', `The simulated instrument needs a take with its ${what}`);
  return value;
};

/** The simulated instruments stand in for sensors that this machine does not have: the truth comes from the simulated set and the log, the faults from the kit. */
export const instrumentOperations: Handlers<'instruments'> = {
  ...writtenHandlers<'instruments', InstrumentRecord>({
    entity: Instruments,
    noun: 'instrument',
    input: instrumentInput,
    order: { by: ['name'], direction: 'ASC' },
  }),
  simulate: async ({ tx, production, body: q }) => {
    const productionId = production.id;
    if (!INSTRUMENT_OF[q.kind])
      throw new ApiProblem(
        422,
        'not-simulated',
        `There is no simulated instrument for ${READING_KINDS[q.kind].title.toLowerCase()}: enter the value`,
      );
    await findOwned(tx, Setups, productionId, q.setupId, 'setup');
    const instrument = q.instrumentId
      ? await tx.getRepository(Instruments).findOneBy({ productionId, id: q.instrumentId })
      : null;
    const fault = { bias: instrument?.bias ?? 0, sigma: instrument?.sigma ?? 0.02 };
    const take = q.takeId ? await tx.getRepository(Takes).findOneBy({ productionId, id: q.takeId }) : null;
    const station = q.stationId ? await tx.getRepository(Stations).findOneBy({ productionId, id: q.stationId }) : null;
    const place = await setPlace(tx, productionId, q.setupId);
    const random = createRandom(randomInt(1 << 30), q.kind);
    if (q.kind === 'lux') {
      if (!station)
        throw new ApiProblem(422, 'no-station', 'A lux reading is taken at a station: choose one', {
          errors: [{ field: 'stationId', message: 'is empty' }],
        });
      const { spec } = simulatedSet(place, new Date(q.at), q.lightCondition);
      const lux = await setIlluminance(
        spec,
        { eastM: station.eastM, upM: station.heightM, northM: station.northM },
        directionFromAngles(q.planeAzimuthDeg, q.planeElevationDeg),
      );
      return { shown: lightMeterReading(lux, fault, random) };
    }
    if (q.kind === 'compass') {
      const heading = take && trueHeadingDeg(take, place.location);
      const declination = magneticDeclinationDeg(place.location, new Date(q.at));
      return { shown: compassReading(logged(heading, 'heading'), declination, fault, random) };
    }
    if (q.kind === 'tilt') return { shown: plainReading(logged(take?.tiltDeg, 'tilt'), fault, random, 0.1) };
    if (q.kind === 'east' || q.kind === 'north') {
      const where = take ?? station;
      const value = logged(q.kind === 'east' ? where?.eastM : where?.northM, 'position');
      return { shown: plainReading(value, fault, random, 0.001) };
    }
    return { shown: plainReading(logged(station?.heightM ?? take?.heightM, 'height'), fault, random, 0.005) };
  },
};
