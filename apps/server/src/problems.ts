import 'pino-http';
import type { ErrorRequestHandler } from 'express';
import { ZodError } from 'zod';
import { QueryFailedError } from 'typeorm';
import { FileProblem } from '@tawny/formats';
import type { Problem } from '@tawny/contract';

/** An error that the caller can do something about: becomes an RFC 9457 problem document. */
export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
    readonly extra: Pick<Problem, 'errors' | 'current'> = {},
  ) {
    super(detail);
    this.name = 'ApiProblem';
  }
}

/** What a computation refuses by a RangeError, as a problem that its caller can mend. */
export function toldOr<T>(compute: () => T): T {
  try {
    return compute();
  } catch (error) {
    if (error instanceof RangeError)
      throw new ApiProblem(422, 'not-told', error.message.charAt(0).toUpperCase() + error.message.slice(1));
    throw error;
  }
}

export const notFound = (what: string) =>
  new ApiProblem(404, 'not-found', `There is no such ${what} in this production`);

const TITLES: Record<number, string> = {
  400: 'The request cannot be read',
  403: 'Not allowed',
  404: 'Not found',
  409: 'Conflict',
  413: 'Too large',
  415: 'Wrong kind of content',
  422: 'Something in it cannot be right',
  429: 'Too much at a time',
  500: 'Our fault',
  503: 'Not now',
  507: 'The disk is full',
};

/** Seconds after which something that cannot be done now is worth trying again. */
const RETRY_S = 5;
/** For so long a refused body is still read. */
const DRAIN_S = 30;

/** Codes of the database by which it says that it is going, coming, or not there. */
const AWAY = /^(08...|57P0[123]|53300|ECONNREFUSED|ECONNRESET|EPIPE)$/;

function codeOf(error: unknown): string {
  const driver = error instanceof QueryFailedError ? (error.driverError as { code?: unknown }) : error;
  return String((driver as { code?: unknown } | null)?.code ?? '');
}

const driverMessage = (error: unknown): string =>
  String(((error as QueryFailedError).driverError as { message?: unknown }).message ?? '');

/** The database cannot be reached, which is nobody's fault and passes. */
export function databaseAway(error: unknown): boolean {
  if (!(error instanceof Error) || error instanceof ApiProblem) return false;
  return (
    AWAY.test(codeOf(error)) ||
    /Connection terminated|timeout exceeded when trying to connect|Cannot use a pool after|Driver not Connected|Client has encountered a connection error|not queryable|already released/i.test(
      error.message,
    )
  );
}

const FULL = new Set(['ENOSPC', 'EDQUOT', 'EFBIG', '53100']);

/** What the database says of a value, in the caller's words: its own names stay inside. */
const REFUSALS: Record<string, [status: number, code: string, detail: string]> = {
  '23503': [422, 'unknown-reference', 'It refers to something that is not in this production'],
  '23505': [409, 'already-there', 'There is one like it already'],
  '23514': [422, 'out-of-range', 'One of its values is outside what is possible'],
  '22P02': [404, 'not-found', 'That is not the id of anything'],
  '22P05': [422, 'bad-text', 'It holds characters that no text can hold'],
  '22021': [422, 'bad-text', 'It holds characters that no text can hold'],
  '22003': [422, 'out-of-range', 'One of its numbers is outside what is possible'],
  '22007': [422, 'out-of-range', 'One of its dates or times is outside what is possible'],
  '22009': [422, 'out-of-range', 'One of its dates or times is outside what is possible'],
  '22008': [422, 'out-of-range', 'One of its dates or times is outside what is possible'],
};

/** Turns any thrown thing into a problem; what we did not foresee becomes a 500 without its insides. */
export function toProblem(error: unknown): Problem {
  const make = (status: number, code: string, detail: string, extra: Partial<Problem> = {}): Problem => ({
    type: `urn:tawny:problem:${code}`,
    title: TITLES[status] ?? 'Problem',
    status,
    code,
    detail,
    ...extra,
  });
  if (error instanceof ApiProblem) return make(error.status, error.code, error.message, error.extra);
  if (error instanceof FileProblem)
    return make(422, error.code, error.message, { errors: [{ file: error.file, message: error.message }] });
  if (error instanceof ZodError) {
    const errors = error.issues.map((i) => ({ field: i.path.join('.'), message: i.message }));
    return make(422, 'invalid-fields', errors.map((e) => `${e.field || 'body'}: ${e.message}`).join('; '), { errors });
  }
  if (error instanceof RangeError) return make(422, 'out-of-range', error.message);
  const code = codeOf(error);
  if (databaseAway(error))
    return make(
      503,
      'database-away',
      'The database does not answer; nothing was changed. It is tried again in a moment',
    );
  if (FULL.has(code))
    return make(
      507,
      'disk-full',
      'The disk of the server is full: make room there, then send it again. Nothing was half kept',
    );
  if (code === 'TW001')
    return make(
      409,
      'in-use',
      `It is in use: ${driverMessage(error)}. Remove those first, or let them hang on another`,
    );
  if (code === 'TW002')
    return make(409, 'removed', `The ${driverMessage(error)} that it belongs to was removed: take that back first`);
  if (error instanceof QueryFailedError && REFUSALS[code]) return make(...REFUSALS[code]);
  if (error instanceof URIError)
    return make(400, 'bad-address', 'The address holds a percent sign that stands for nothing');
  // What the readers of bodies refuse: charset, encoding, length, damage.
  const { status } = error as { status?: unknown };
  if (status === 413) return make(413, 'too-large', 'The body is larger than this route takes');
  if (status === 415)
    return make(415, 'unknown-encoding', 'The body is in a charset or encoding that is not read here');
  if (error instanceof SyntaxError && status === 400) return make(400, 'not-json', 'The body is not JSON');
  if (typeof status === 'number' && status >= 400 && status < 500)
    return make(400, 'not-readable', 'The request cannot be read: it is damaged or breaks off');
  return make(500, 'internal', 'The server failed on this request; it is logged and nothing was changed');
}

export const problemHandler: ErrorRequestHandler = (error, req, res, _next) => {
  const problem = toProblem(error);
  if (problem.status >= 500) req.log.error({ err: error }, 'request failed');
  else req.log.info({ code: problem.code, detail: problem.detail }, 'request refused');
  if (res.headersSent) {
    res.destroy();
    return;
  }
  if (problem.status === 503 || problem.status === 429) res.set('Retry-After', String(RETRY_S));
  const body = Buffer.from(JSON.stringify(problem));
  res.status(problem.status).type('application/problem+json').set('Content-Length', String(body.length));
  if (req.complete) {
    res.end(body);
    return;
  }
  // It is said at once; what is still being sent is read away for a while, or the sender would not hear it. Then the line is closed.
  res.set({ Connection: 'close', 'Cache-Control': 'no-transform' }).write(body);
  const late = setTimeout(() => req.destroy(), 1000 * DRAIN_S);
  req.once('close', () => {
    clearTimeout(late);
    res.end();
  });
  req.resume();
};
