import type { RequestHandler } from 'express';
import { ApiProblem } from '../problems';

/** Requests that are answered at a time; a set with fifty people and as many uploads stays far below. */
const MOST_IN_FLIGHT = 400;

/** Turns requests away, with when to try again, while more are in flight than anybody needs. */
export function inFlight(most = MOST_IN_FLIGHT): RequestHandler {
  let now = 0;
  return (_req, res, next) => {
    if (now >= most)
      throw new ApiProblem(429, 'too-many-requests', `More than ${most} requests at a time: try again in a moment`);
    now++;
    res.once('close', () => now--);
    next();
  };
}
