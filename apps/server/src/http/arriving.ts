import { MemoryLocker, Server, type ServerOptions } from '@tus/server';
import { Router, type Request } from 'express';
import type { Arriving } from '../files/arriving';
import { MAX_FILE_BYTES } from '../files/uploads';
import { toProblem } from '../problems';
import type { Services } from '../services';
import { productionFor } from './productionFor';

/** Why a piece was not taken, as the protocol answers. */
const refusal = (status_code: number, body: string) => ({ status_code, body: `${body}\n` });

/**
 * Takes files in pieces by the tus protocol 1.0: a piece that breaks off is gone on with from its last byte. An upload of the
 * table then names what has arrived.
 */
export function mountArriving(services: Services, silentMs: number): Router {
  const { arriving } = services;
  const router = Router();
  const locker = new MemoryLocker();
  router.all('/productions/:production/arriving{/:id}', async (req, res) => {
    const production = await productionFor(services, req.params.production as string, 'write');
    // A sender may be as slow as the set's network, but not silent.
    const silent = () => req.destroy(new Error('silent'));
    req.socket.setTimeout(silentMs, silent);
    res.once('close', () => req.socket.setTimeout(0).off('timeout', silent));
    await serverFor(arriving, req, production.code, locker).handle(req, res);
  });
  return router;
}

/** Speaks the protocol for one production, at the address that was asked. */
function serverFor(arriving: Arriving, asked: Request, production: string, locker: ServerOptions['locker']): Server {
  const { id } = asked.params as { id?: string };
  const path = asked.baseUrl + (id === undefined ? asked.path : asked.path.slice(0, -id.length - 1));
  return new Server({
    path,
    locker,
    datastore: arriving.pieces,
    maxSize: MAX_FILE_BYTES,
    relativeLocation: true,
    allowedOrigins: () => false,
    getFileIdFromRequest: () => id,
    generateUrl: (_req, made) => `${path}/${made.id}`,
    onUploadCreate: async (_req, upload) => ({ metadata: { ...upload.metadata, production } }),
    onIncomingRequest: async (_req, wanted) => {
      if (id !== undefined && (await arriving.find(wanted))?.metadata?.production !== production)
        throw refusal(404, 'There is no such file on its way');
    },
    onResponseError: async (_req, error) => {
      if ('status_code' in error) return undefined;
      const { status, detail } = toProblem(error);
      if (status >= 500) asked.log.error({ err: error }, 'a piece could not be taken');
      // Nothing half kept on a disk that is full.
      if (status === 507 && id !== undefined) await arriving.forget(id);
      return refusal(status, detail);
    },
  });
}
