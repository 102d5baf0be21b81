import express, { Router, type Request, type RequestHandler, type Response } from 'express';
import { OPERATIONS, type Operation, type OperationName } from '@tawny/contract';
import { LOCAL_USER } from '../access/authorise';
import { ApiProblem } from '../problems';
import type { Services } from '../services';
import type { AllHandlers, Context, FileReply } from './handler';
import { once } from './once';
import { assertPlainText } from './plainText';
import { productionFor } from './productionFor';
import { sendFile } from './sendFile';

/** Tables come in as JSON; nothing else is nearly as large. */
const BODY_LIMITS: Partial<Record<OperationName, string>> = { 'takes.import': '16mb', 'kit.import': '16mb' };
const BODY_LIMIT = '1mb';
/** Everything that can be sent as JSON is refused in another dress. */
const json = (limit: string) => [wantJson, express.json({ limit, type: () => true })];

type AnyHandler = (context: Context<OperationName>) => Promise<unknown>;

/** Mounts every operation of the table; one that has no handler does not compile. */
export function mountOperations(services: Services, handlers: AllHandlers): Router {
  const router = Router();
  // Literal segments are meant before parameters.
  const literal = ({ path }: Operation) => path.split('/').filter((s) => !s.startsWith(':')).length;
  for (const { name, operation } of [...OPERATIONS].sort((a, b) => literal(b.operation) - literal(a.operation))) {
    const [resource, verb] = name.split('.');
    const handler = (handlers as unknown as Record<string, Record<string, AnyHandler>>)[resource][verb];
    const method = operation.method.toLowerCase() as 'get' | 'post' | 'patch' | 'delete';
    const parse = operation.takes === 'json' ? json(BODY_LIMITS[name] ?? BODY_LIMIT) : [];
    router[method](operation.path, ...parse, (req: Request, res: Response) =>
      serve(services, operation, handler, req, res),
    );
  }
  return router;
}

const wantJson: RequestHandler = (req, _res, next) => {
  if (req.is('application/json') === false) throw new ApiProblem(415, 'not-json', 'Send the body as application/json');
  next();
};

async function serve(
  services: Services,
  operation: Operation,
  handler: AnyHandler,
  req: Request,
  res: Response,
): Promise<void> {
  const { db, files } = services;
  for (const said of [req.params, req.query, operation.takes === 'json' ? req.body : undefined]) assertPlainText(said);
  const production = await productionOf(services, operation, req);
  const context = {
    production,
    user: LOCAL_USER,
    params: req.params,
    query: operation.query.parse(req.query),
    body: operation.takes === 'json' ? operation.body.parse(req.body ?? {}) : {},
    tx: db.manager,
    background: req.get('Tawny-Background') === 'yes',
    request: req,
  } as unknown as Context<OperationName>;
  if (operation.gives === 'file') return sendFile(res, files, (await handler(context)) as FileReply);
  if (!operation.keyed) {
    res.status(operation.status).json(await handler(context));
    return;
  }
  const kept = await once(db, req, production.id, operation.status, (tx) => handler({ ...context, tx }));
  if (kept.replayed) res.set('Idempotency-Replayed', 'true');
  res.status(kept.status).json(kept.body);
}

async function productionOf(services: Services, operation: Operation, req: Request) {
  if (!operation.path.includes('/:production')) return undefined as never;
  return productionFor(services, String(req.params.production), operation.right);
}
