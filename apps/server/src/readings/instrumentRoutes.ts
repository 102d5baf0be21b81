import { randomInt } from 'node:crypto';
import { Router } from 'express';
import { z } from 'zod';
import { READING_KINDS, type InstrumentKind, type ReadingKind } from '@tawny/contract';
import { directionFromAngles, magneticDeclinationDeg, trueHeadingDeg } from '@tawny/core';
import { setIlluminance } from '@tawny/pipeline';
import { compassReading, createRandom, lightMeterReading, plainReading } from '@tawny/simset';
import { Instruments, Setups, Stations, Takes } from '../db/entities';
import { ApiProblem, notFound } from '../problems';
import { setPlace, simulatedSet } from '../rounds/simulateJob';
import type { Services } from '../services';

const input = z.object({
  setupId: z.uuid(),
  kind: z.enum(Object.keys(READING_KINDS) as [ReadingKind, ...ReadingKind[]]),
  instrumentId: z.uuid().nullable(),
  stationId: z.uuid().nullable(),
  takeId: z.uuid().nullable(),
  at: z.iso.datetime({ offset: true }),
  lightCondition: z.string().max(40),
  planeAzimuthDeg: z.number().min(0).max(360).default(0),
  planeElevationDeg: z.number().min(-90).max(90).default(90),
});

const INSTRUMENT_OF: Partial<Record<ReadingKind, InstrumentKind>> = {
  lux: 'luxMeter',
  compass: 'compass',
  tilt: 'inclinometer',
  height: 'tape',
  east: 'positioning',
  north: 'positioning',
};

/** The simulated instruments stand in for sensors that this machine does not have: the truth comes from the simulated set and the log, the faults from the kit. */
export function simulatedInstrumentRoutes({ db }: Services): Router {
  const router = Router({ mergeParams: true });
  router.post('/', async (req, res) => {
    const q = input.parse(req.body);
    const productionId = req.production.id;
    if (!INSTRUMENT_OF[q.kind])
      throw new ApiProblem(
        422,
        'not-simulated',
        `There is no simulated instrument for ${READING_KINDS[q.kind].title.toLowerCase()}: enter the value`,
      );
    if (!(await db.getRepository(Setups).existsBy({ productionId, id: q.setupId }))) throw notFound('setup');
    const instrument = q.instrumentId
      ? await db.getRepository(Instruments).findOneBy({ productionId, id: q.instrumentId })
      : null;
    const fault = { bias: instrument?.bias ?? 0, sigma: instrument?.sigma ?? 0.02 };
    const take = q.takeId ? await db.getRepository(Takes).findOneBy({ productionId, id: q.takeId }) : null;
    const station = q.stationId ? await db.getRepository(Stations).findOneBy({ productionId, id: q.stationId }) : null;
    const place = await setPlace(db, productionId, q.setupId);
    const random = createRandom(randomInt(1 << 30), q.kind);
    const logged = (value: number | null | undefined, what: string) => {
      if (value === null || value === undefined)
        throw new ApiProblem(422, 'no-truth', `The simulated instrument needs a take with its ${what}`);
      return value;
    };
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
      res.json({ shown: lightMeterReading(lux, fault, random) });
    } else if (q.kind === 'compass') {
      const heading = take && trueHeadingDeg(take, place.location);
      res.json({
        shown: compassReading(
          logged(heading, 'heading'),
          magneticDeclinationDeg(place.location, new Date(q.at)),
          fault,
          random,
        ),
      });
    } else if (q.kind === 'tilt') {
      res.json({ shown: plainReading(logged(take?.tiltDeg, 'tilt'), fault, random, 0.1) });
    } else if (q.kind === 'east' || q.kind === 'north') {
      const where = take ?? station;
      res.json({
        shown: plainReading(logged(q.kind === 'east' ? where?.eastM : where?.northM, 'position'), fault, random, 0.001),
      });
    } else {
      res.json({ shown: plainReading(logged(station?.heightM ?? take?.heightM, 'height'), fault, random, 0.005) });
    }
  });
  return router;
}
