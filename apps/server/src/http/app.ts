import path from 'node:path';
import compression from 'compression';
import express, { Router, type Express } from 'express';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import type { Logger } from 'pino';
import { productionGate } from '../access/authorise';
import { calibrationRoutes } from '../calibrations/routes';
import { Productions } from '../db/entities';
import { clipRoutes, takeClipRoutes } from '../clips/routes';
import { handoffRoutes } from '../handoffs/routes';
import { jobRoutes } from '../jobs/routes';
import { glareRoutes } from '../kit/glareRoutes';
import { kitRoutes } from '../kit/routes';
import { panoramaRoutes } from '../panoramas/routes';
import { plateRoutes, takePlateRoutes } from '../plates/routes';
import { notFound, problemHandler } from '../problems';
import { simulatedInstrumentRoutes } from '../readings/instrumentRoutes';
import { referenceRoutes } from '../references/routes';
import { roundRoutes } from '../rounds/routes';
import { stationViewRoutes } from '../rounds/stationViews';
import type { Services } from '../services';
import { gapRoutes } from '../setups/gaps';
import { dayExportRoutes, takeImportRoutes } from '../takes/routes';
import { idempotency } from './idempotency';
import { recordRouters } from './recordKinds';
import { bare } from './records';

/** The whole HTTP side: API, health, and the built interface when there is one. */
export function createApp(services: Services, log: Logger, webFolder: string | null): Express {
  const { db } = services;
  const app = express();
  app.disable('x-powered-by');
  app.use(
    pinoHttp({ logger: log, autoLogging: { ignore: (req) => req.url === '/health' || !req.url?.startsWith('/api') } }),
  );
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          'default-src': ["'self'"],
          'img-src': ["'self'", 'data:', 'blob:'],
          'style-src': ["'self'", "'unsafe-inline'"],
          'worker-src': ["'self'", 'blob:'],
          'upgrade-insecure-requests': null,
        },
      },
      strictTransportSecurity: false,
    }),
  );
  app.get('/health', async (_req, res) => {
    await db.query('SELECT 1');
    res.json({ status: 'ok' });
  });

  const api = Router();
  api.get('/productions', async (_req, res) => {
    res.json({ items: (await db.getRepository(Productions).find({ order: { code: 'ASC' } })).map(bare), next: null });
  });
  const owned = Router({ mergeParams: true });
  owned.use(express.json({ limit: '16mb' }));
  owned.use(idempotency(db));
  owned.get('/', (req, res) => {
    res.json(req.production);
  });
  owned.use('/jobs', jobRoutes(db));
  owned.use('/gaps', gapRoutes(db));
  owned.use('/rounds', roundRoutes(services), stationViewRoutes(services));
  owned.use('/kit', kitRoutes(db));
  owned.use('/rigs', glareRoutes(services));
  owned.use('/days', dayExportRoutes(db));
  owned.use('/takes', takeImportRoutes(services), takePlateRoutes(services), takeClipRoutes(services));
  owned.use('/clips', clipRoutes(services));
  owned.use('/references', referenceRoutes(services));
  owned.use('/instruments/simulate', simulatedInstrumentRoutes(services));
  owned.use('/plates', plateRoutes(services));
  owned.use('/panoramas', panoramaRoutes(services), calibrationRoutes(services));
  owned.use('/handoffs', handoffRoutes(services));
  for (const [path_, router] of recordRouters(db)) owned.use(`/${path_}`, router);
  api.use('/productions/:production', productionGate(db), owned);
  api.use((_req, _res) => {
    throw notFound('route');
  });
  app.use('/api/v1', compression(), api);

  if (webFolder) {
    app.use(compression());
    app.use(
      express.static(webFolder, {
        index: false,
        setHeaders: (res, file) => {
          if (/[\\/]_expo[\\/]|[\\/]assets[\\/]/.test(file))
            res.setHeader('Cache-Control', 'public, max-age=31536000, immutable');
        },
      }),
    );
    app.use((req, res, next) => {
      if (req.method !== 'GET' || req.path.startsWith('/api')) return next();
      res.set('Cache-Control', 'no-cache').sendFile(path.join(webFolder, 'index.html'));
    });
  }
  app.use(problemHandler);
  return app;
}
