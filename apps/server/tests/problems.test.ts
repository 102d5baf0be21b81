import { QueryFailedError } from 'typeorm';
import { ZodError } from 'zod';
import { FileProblem } from '@tawny/formats';
import { ApiProblem, toProblem } from '../src/problems';

const withCode = (code: string, message = 'x') => Object.assign(new Error(message), { code });
const fromDatabase = (code: string, message = 'violates constraint "takes_once"') =>
  new QueryFailedError('SELECT 1', [], Object.assign(new Error(message), { code, constraint: 'takes_once' }));

test.each([
  ['a full disk', withCode('ENOSPC'), 507, 'disk-full'],
  ['a full disk of the database', fromDatabase('53100'), 507, 'disk-full'],
  ['a database that is not there', withCode('ECONNREFUSED'), 503, 'database-away'],
  ['a database that is going', fromDatabase('57P01'), 503, 'database-away'],
  ['a line to it that broke', new Error('Connection terminated unexpectedly'), 503, 'database-away'],
  [
    'a transaction whose line broke',
    new Error('Query runner already released. Cannot run queries anymore.'),
    503,
    'database-away',
  ],
  ['one like it', fromDatabase('23505'), 409, 'already-there'],
  ['an unknown reference', fromDatabase('23503'), 422, 'unknown-reference'],
  ['no id', fromDatabase('22P02'), 404, 'not-found'],
  ['half a character', fromDatabase('22P05'), 422, 'bad-text'],
  ['a number too large', fromDatabase('22003'), 422, 'out-of-range'],
  ['what is in use', fromDatabase('TW001', '3 setups'), 409, 'in-use'],
  ['what was removed', fromDatabase('TW002', 'shoot day'), 409, 'removed'],
  ['a broken percent sign', new URIError('URI malformed'), 400, 'bad-address'],
  ['a damaged body', Object.assign(new Error('incorrect header check'), { status: 400 }), 400, 'not-readable'],
  ['an unknown charset', Object.assign(new Error('unsupported charset'), { status: 415 }), 415, 'unknown-encoding'],
  ['a body too large', Object.assign(new Error('too large'), { status: 413 }), 413, 'too-large'],
  ['a bad file', new FileProblem('damaged-image', 'one.jpg', 'breaks off'), 422, 'damaged-image'],
  ['bad fields', new ZodError([]), 422, 'invalid-fields'],
  ['our own words', new ApiProblem(418, 'teapot', 'short and stout'), 418, 'teapot'],
  ['what nobody foresaw', new TypeError('x is undefined'), 500, 'internal'],
] as const)('%s is told as what it is', (_name, error, status, code) => {
  const problem = toProblem(error);
  expect(problem).toMatchObject({ status, code });
  // No name of the database's, no path.
  expect(problem.detail).not.toMatch(/constraint|takes_once|undefined|\.ts/);
  if (code === 'in-use') expect(problem.detail).toContain('3 setups');
});
