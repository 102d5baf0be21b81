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
  500: 'Our fault',
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
  if (error instanceof QueryFailedError) {
    const driver = error.driverError as { code?: string; constraint?: string };
    if (driver.code === '23503')
      return make(
        422,
        'unknown-reference',
        `It refers to something that is not in this production (${driver.constraint})`,
      );
    if (driver.code === '23505')
      return make(409, 'already-there', `There is one like it already (${driver.constraint})`);
    if (driver.code === '22P02') return make(404, 'not-found', 'That is not the id of anything');
  }
  const status = (error as { status?: unknown }).status;
  if (error instanceof SyntaxError && status === 400) return make(400, 'not-json', 'The body is not JSON');
  if (status === 413) return make(413, 'too-large', 'The body is larger than this route takes');
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
  res.status(problem.status).type('application/problem+json').send(JSON.stringify(problem));
};
