import path from 'node:path';
import compression from 'compression';
import express, { type Express } from 'express';
import staticGzip from 'express-static-gzip';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import type { Logger } from 'pino';
import { API_BASE } from '@tawny/contract';
import { mountArriving } from '../http/arriving';
import { guard } from '../http/guard';
import { mountOperations } from '../http/mount';
import { inFlight } from '../http/quotas';
import type { Config } from '../config';
import { notFound, problemHandler } from '../problems';
import type { Services } from '../services';
import { allHandlers } from './operations';

export type AppOptions = Pick<Config, 'webFolder' | 'hosts' | 'silentMs'>;

/** The whole HTTP side: API, health, and the built interface when there is one. */
export function createApp(services: Services, log: Logger, { webFolder, hosts, silentMs }: AppOptions): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(
    pinoHttp({
      logger: log,
      autoLogging: { ignore: (req) => req.url === '/health' || !req.url?.startsWith('/api') },
    }),
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
  app.use(guard(hosts));
  app.get('/health', async (_req, res) => {
    await services.db.query('SELECT 1');
    res.json({ status: 'ok' });
  });
  const operations = mountOperations(services, allHandlers(services));
  app.use(API_BASE, inFlight(), compression(), mountArriving(services, silentMs), operations, (_req, _res) => {
    throw notFound('route');
  });
  if (webFolder) {
    app.use(
      staticGzip(webFolder, {
        index: false,
        enableBrotli: true,
        orderPreference: ['br', 'gz'],
        serveStatic: {
          setHeaders: (res, file) => {
            if (/[\\/]_expo[\\/]|[\\/]assets[\\/]/.test(file))
              res.setHeader('Cache-Control', 'public, max-age=31536000, immutable');
          },
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
