import path from 'node:path';
import compression from 'compression';
import express, { Router, type Express } from 'express';
import { find as findZone } from 'geo-tz';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import type { Logger } from 'pino';
import type { DataSource } from 'typeorm';
import {
  bodyInput, dayInput, lensInput, locationInput, roundInput, setupInput, stationInput, takeFaults, takeInput, type CameraBody, type LensRecord, type LightRound, type Location,
  type Setup, type ShootDay, type Station, type Take,
} from '@tawny/contract';
import { productionGate } from '../access/authorise';
import { calibrationRoutes } from '../calibrations/routes';
import { Bodies, Days, Lenses, Locations, Productions, Rounds, Setups, Stations, Takes } from '../db/entities';
import { handoffRoutes } from '../handoffs/routes';
import { jobRoutes } from '../jobs/routes';
import { panoramaRoutes } from '../panoramas/routes';
import { plateRoutes, takePlateRoutes } from '../plates/routes';
import { ApiProblem, notFound, problemHandler } from '../problems';
import { roundRoutes } from '../rounds/routes';
import type { Services } from '../services';
import { gapRoutes } from '../setups/gaps';
import { idempotency } from './idempotency';
import { bare, recordRoutes } from './records';

/** A take must be possible with its body and lens, both of this production. */
async function checkTake(take: Take, productionId: string, db: DataSource): Promise<Take> {
  const body = await db.getRepository(Bodies).findOneBy({ productionId, id: take.bodyId });
  const lens = await db.getRepository(Lenses).findOneBy({ productionId, id: take.lensId });
  if (!body) throw new ApiProblem(422, 'invalid-fields', 'bodyId: there is no such camera body in the kit', { errors: [{ field: 'bodyId', message: 'There is no such camera body in the kit' }] });
  if (!lens) throw new ApiProblem(422, 'invalid-fields', 'lensId: there is no such lens in the kit', { errors: [{ field: 'lensId', message: 'There is no such lens in the kit' }] });
  const faults = takeFaults(take, body, lens);
  if (faults.length > 0) throw new ApiProblem(422, 'invalid-fields', faults.map((f) => f.message).join('; '), { errors: faults });
  return take;
}

function recordRouters({ db }: Services): [string, Router][] {
  return [
    ['locations', recordRoutes<Location>(db, {
      entity: Locations, noun: 'location', input: locationInput, order: { by: 'name', direction: 'ASC' },
      check: async (l) => ({ ...l, zone: l.zone ?? findZone(l.latitudeDeg, l.longitudeDeg)[0] ?? 'UTC' }),
    })],
    ['days', recordRoutes<ShootDay>(db, { entity: Days, noun: 'shoot day', input: dayInput, order: { by: 'date', direction: 'DESC' } })],
    ['setups', recordRoutes<Setup>(db, { entity: Setups, noun: 'setup', input: setupInput, filter: 'dayId', order: { by: 'slate', direction: 'ASC' } })],
    ['bodies', recordRoutes<CameraBody>(db, { entity: Bodies, noun: 'camera body', input: bodyInput, order: { by: 'name', direction: 'ASC' } })],
    ['lenses', recordRoutes<LensRecord>(db, { entity: Lenses, noun: 'lens', input: lensInput, order: { by: 'name', direction: 'ASC' } })],
    ['takes', recordRoutes<Take>(db, { entity: Takes, noun: 'take', input: takeInput, filter: 'setupId', order: { by: 'shotAt', direction: 'DESC' }, check: checkTake })],
    ['stations', recordRoutes<Station>(db, { entity: Stations, noun: 'station', input: stationInput, filter: 'setupId', order: { by: 'name', direction: 'ASC' } })],
    ['rounds', recordRoutes<LightRound>(db, { entity: Rounds, noun: 'round', input: roundInput, filter: 'stationId', order: { by: 'shotAt', direction: 'DESC' } })],
  ];
}

/** The whole HTTP side: API, health, and the built interface when there is one. */
export function createApp(services: Services, log: Logger, webFolder: string | null): Express {
  const { db } = services;
  const app = express();
  app.disable('x-powered-by');
  app.use(pinoHttp({ logger: log, autoLogging: { ignore: (req) => req.url === '/health' || !req.url?.startsWith('/api') } }));
  app.use(helmet({ contentSecurityPolicy: { directives: { 'default-src': ["'self'"], 'img-src': ["'self'", 'data:', 'blob:'], 'style-src': ["'self'", "'unsafe-inline'"], 'worker-src': ["'self'", 'blob:'], 'upgrade-insecure-requests': null } }, strictTransportSecurity: false }));
  app.get('/health', async (_req, res) => {
    await db.query('SELECT 1');
    res.json({ status: 'ok' });
  });

  const api = Router();
  api.get('/productions', async (_req, res) => {
    res.json({ items: (await db.getRepository(Productions).find({ order: { code: 'ASC' } })).map(bare), next: null });
  });
  const owned = Router({ mergeParams: true });
  owned.use(express.json({ limit: '1mb' }));
  owned.use(idempotency(db));
  owned.get('/', (req, res) => {
    res.json(req.production);
  });
  owned.use('/jobs', jobRoutes(db));
  owned.use('/gaps', gapRoutes(db));
  owned.use('/rounds', roundRoutes(services));
  owned.use('/takes', takePlateRoutes(services));
  owned.use('/plates', plateRoutes(services));
  owned.use('/panoramas', panoramaRoutes(services), calibrationRoutes(services));
  owned.use('/handoffs', handoffRoutes(services));
  for (const [path_, router] of recordRouters(services)) owned.use(`/${path_}`, router);
  api.use('/productions/:production', productionGate(db), owned);
  api.use((_req, _res) => {
    throw notFound('route');
  });
  app.use('/api/v1', compression(), api);

  if (webFolder) {
    app.use(compression());
    app.use(express.static(webFolder, { index: false, setHeaders: (res, file) => {
      if (/[\\/]_expo[\\/]|[\\/]assets[\\/]/.test(file)) res.setHeader('Cache-Control', 'public, max-age=31536000, immutable');
    } }));
    app.use((req, res, next) => {
      if (req.method !== 'GET' || req.path.startsWith('/api')) return next();
      res.set('Cache-Control', 'no-cache').sendFile(path.join(webFolder, 'index.html'));
    });
  }
  app.use(problemHandler);
  return app;
}
