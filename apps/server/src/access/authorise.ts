import type { RequestHandler } from 'express';
import type { DataSource } from 'typeorm';
import type { Production } from '@tawny/contract';
import { Productions } from '../db/entities';
import { ApiProblem, notFound } from '../problems';

export interface User {
  name: string;
}

/** The one user until accounts exist. */
export const LOCAL_USER: User = { name: 'local' };

export type Action = 'read' | 'write';

/** The single place that decides who may do what in a production. Today: the local user may do everything. */
export function mayDo(user: User | null, _action: Action, _production: Production): boolean {
  return user === LOCAL_USER;
}

declare module 'express-serve-static-core' {
  interface Request {
    production: Production;
    user: User;
  }
}

/** Finds the production that the route names and asks `mayDo` before anything else sees the request. */
export function productionGate(db: DataSource): RequestHandler<{ production: string }> {
  return async (req, _res, next) => {
    const production = await db.getRepository(Productions).findOneBy({ code: req.params.production.toUpperCase() });
    if (!production) throw notFound('production');
    const action: Action = req.method === 'GET' || req.method === 'HEAD' ? 'read' : 'write';
    if (!mayDo(LOCAL_USER, action, production))
      throw new ApiProblem(403, 'not-allowed', `You may not ${action} in ${production.title}`);
    req.production = production;
    req.user = LOCAL_USER;
    next();
  };
}
