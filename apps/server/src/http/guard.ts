import type { Request, RequestHandler } from 'express';
import { CLIENT_HEADER } from '@tawny/contract';
import { ApiProblem } from '../problems';

const refused = (why: string) => new ApiProblem(403, 'not-from-here', why);

/** Host and port of an address; null when it is none. */
function hostOf(address: string): string | null {
  try {
    return new URL(address).host;
  } catch {
    return null;
  }
}

const READS = new Set(['GET', 'HEAD', 'OPTIONS']);

/**
 * Lets in who asks under one of this server's own names and from its own pages: a page of another site, or a name that was
 * pointed at this address, gets nothing. Programs that are no browsers say no origin; writes want a header that a page of
 * another site cannot send unasked, whatever their body.
 * @param names host names besides those of this machine alone, without port
 */
export function guard(names: readonly string[]): RequestHandler {
  const known = new Set(['127.0.0.1', 'localhost', '[::1]', ...names.map((n) => n.toLowerCase())]);
  return (req, _res, next) => {
    const host = hostOf(`http://${req.get('Host') ?? ''}`);
    if (host === null || !known.has(host.replace(/:\d+$/, '')))
      throw refused('This server does not answer under that name');
    const origin = req.get('Origin');
    if (origin !== undefined && hostOf(origin) !== host) throw refused('Pages of other sites get nothing here');
    if (crossSite(req)) throw refused('Pages of other sites get nothing here');
    if (!READS.has(req.method) && req.get(CLIENT_HEADER) === undefined)
      throw refused(`A write needs the header ${CLIENT_HEADER}, which tells what program sends it`);
    next();
  };
}

/** Asked for by a page of another site. Following a link to the interface is nobody's harm; API addresses are never followed from elsewhere. */
function crossSite(req: Request): boolean {
  const site = req.get('Sec-Fetch-Site');
  if (site === undefined || site === 'same-origin' || site === 'none') return false;
  return !(req.get('Sec-Fetch-Mode') === 'navigate' && req.method === 'GET' && !req.path.startsWith('/api'));
}
