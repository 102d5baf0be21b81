import { EventEmitter } from 'node:events';
import type { Request, RequestHandler, Response } from 'express';
import { CLIENT_HEADER } from '@tawny/contract';
import { guard } from '../src/http/guard';
import { assertPlainText } from '../src/http/plainText';
import { inFlight } from '../src/http/quotas';
import { ApiProblem } from '../src/problems';

/** A request as the handlers see it. */
function asked(method: string, path: string, headers: Record<string, string> = {}): Request {
  const named = new Map(Object.entries({ Host: 'localhost:8080', ...headers }).map(([k, v]) => [k.toLowerCase(), v]));
  return { method, path, get: (name: string) => named.get(name.toLowerCase()) } as unknown as Request;
}

/** Status with which a handler refuses; null when it lets through. */
function refusal(handler: RequestHandler, req: Request, res: Response = new EventEmitter() as unknown as Response) {
  let passed = false;
  try {
    void handler(req, res, () => (passed = true));
  } catch (error) {
    return (error as ApiProblem).status;
  }
  expect(passed).toBe(true);
  return null;
}

describe('who is let in', () => {
  const handler = guard(['Light.Set.Example']);
  const ours = { [CLIENT_HEADER]: 'test' };

  test.each([
    ['localhost', 'localhost:8080', null],
    ['an address', '127.0.0.1', null],
    ['the other kind of address', '[::1]:8080', null],
    ['a stated name, however it is written', 'light.SET.example:443', null],
    ['a name that was pointed here', 'rebound.example:8080', 403],
    ['a name that begins like ours', 'localhost.example', 403],
    ['no name', '', 403],
    ['no name at all', 'a b', 403],
  ])('under %s', (_what, Host, status) => {
    expect(refusal(handler, asked('GET', '/api/v1/productions', { Host }))).toBe(status);
  });

  test.each([
    ['our own page', 'http://localhost:8080', null],
    ['our own page behind a proxy', 'https://localhost:8080', null],
    ['a page of another port', 'http://localhost:3000', 403],
    ['a page of another site', 'https://elsewhere.example', 403],
    ['a page that hides where it is from', 'null', 403],
  ])('for %s', (_what, Origin, status) => {
    for (const method of ['GET', 'POST', 'DELETE', 'OPTIONS'])
      expect(refusal(handler, asked(method, '/api/v1/productions', { ...ours, Origin }))).toBe(status);
  });

  test('what a page of another site asks for unasked is refused, a link to the interface is followed', () => {
    const cross = { 'Sec-Fetch-Site': 'cross-site' };
    const link = { ...cross, 'Sec-Fetch-Mode': 'navigate' };
    expect(refusal(handler, asked('GET', '/api/v1/productions', cross))).toBe(403);
    expect(refusal(handler, asked('GET', '/api/v1/productions', link))).toBe(403);
    expect(refusal(handler, asked('GET', '/HERN/day', link))).toBeNull();
    expect(refusal(handler, asked('POST', '/HERN/day', { ...link, ...ours }))).toBe(403);
    expect(refusal(handler, asked('GET', '/HERN/day', { 'Sec-Fetch-Site': 'same-site' }))).toBe(403);
  });

  test('a write says what program sends it', () => {
    for (const method of ['POST', 'PATCH', 'DELETE', 'PUT']) {
      expect(refusal(handler, asked(method, '/api/v1/productions'))).toBe(403);
      expect(refusal(handler, asked(method, '/api/v1/productions', ours))).toBeNull();
    }
  });
});

describe('how many at a time', () => {
  test('more than so many are told to come again; who is done makes room', () => {
    const handler = inFlight(3);
    const answers = [0, 1, 2].map(() => new EventEmitter() as unknown as Response);
    for (const res of answers) expect(refusal(handler, asked('GET', '/'), res)).toBeNull();
    expect(refusal(handler, asked('GET', '/'))).toBe(429);
    (answers[1] as unknown as EventEmitter).emit('close');
    expect(refusal(handler, asked('GET', '/'))).toBeNull();
    expect(refusal(handler, asked('GET', '/'))).toBe(429);
  });

  test('a request that ends twice makes room once', () => {
    const handler = inFlight(1);
    const res = new EventEmitter() as unknown as Response;
    expect(refusal(handler, asked('GET', '/'), res)).toBeNull();
    for (const _ of [1, 2]) (res as unknown as EventEmitter).emit('close');
    expect(refusal(handler, asked('GET', '/'))).toBeNull();
    expect(refusal(handler, asked('GET', '/'))).toBe(429);
  });
});

describe('text that a text can hold', () => {
  const fault = (said: unknown) => {
    try {
      assertPlainText(said);
      return null;
    } catch (error) {
      return (error as ApiProblem).extra.errors?.[0].field ?? (error as ApiProblem).code;
    }
  };

  test('any language passes, at any place', () => {
    expect(fault({ notes: 'Grüße, 光, 👩‍🚒, tab\tand line\n', list: ['', { deep: 'é' }], n: 1, none: null })).toBeNull();
    expect(fault(undefined)).toBeNull();
  });

  test('NUL and half characters are named by the field that the caller knows', () => {
    expect(fault({ notes: 'a\0b' })).toBe('notes');
    expect(fault({ lamps: [{ name: 'ok' }, { name: '\ud83d' }] })).toBe('lamps.1.name');
    expect(fault({ '\udc00': 1 })).toBe('the name of a field');
  });

  test('what is nested without end is refused without going there', () => {
    let deep: unknown = 'x';
    for (let k = 0; k < 10000; k++) deep = [deep];
    expect(fault({ deep })).toBe('too-deep');
  });
});
