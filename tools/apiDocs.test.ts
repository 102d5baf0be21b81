import fs from 'node:fs';
import path from 'node:path';
import { addressOf, answerOf, ApiError, operationAt, operationOf, OPERATIONS, requestOf } from '@tawny/contract';
import { apiFiles, openApi } from './apiDocs';

test('the docs of the API are what its table gives: run npm run api-docs', () => {
  for (const [name, text] of apiFiles())
    expect(fs.readFileSync(path.join(__dirname, '../docs', name), 'utf8') === text).toBe(true);
});

test('every operation has a place of its own, and every path leads back to it', () => {
  const places = OPERATIONS.map(({ operation: o }) => `${o.method} ${o.path}`);
  expect(new Set(places).size).toBe(places.length);
  for (const { name, operation } of OPERATIONS) {
    const address = `/api/v1${operation.path.replace(/:[a-zA-Z]+/g, 'x1')}`;
    expect(operationAt(operation.method, address)).toBe(name);
    // Files are known by their sums, and what begins a production by its own id.
    const inProduction = operation.path.includes(':production');
    expect(operation.keyed).toBe(operation.right === 'write' && operation.takes !== 'files' && inProduction);
    if (operation.method === 'GET') expect(operation).toMatchObject({ right: 'read', changes: [] });
    else if (operation.right === 'write') expect(operation.changes.length).toBeGreaterThan(0);
  }
  expect(operationAt('GET', '/api/v1/nothing')).toBeNull();
});

test('OpenAPI names every operation once, with its parameters, key and answer', () => {
  const { paths } = openApi() as {
    paths: Record<string, Record<string, { operationId: string; parameters: { name: string; in: string }[] }>>;
  };
  const all = Object.values(paths).flatMap((methods) => Object.values(methods));
  expect(all.map((o) => o.operationId).sort()).toEqual(OPERATIONS.map((o) => o.name as string).sort());
  const build = paths['/productions/{production}/rounds/{id}/build'].post;
  expect(build.parameters.map((p) => p.name)).toEqual(['production', 'id', 'Idempotency-Key']);
});

test('a request is made of the table: address, key, body; an answer that is not what was agreed is refused by name', () => {
  const id = 'a b';
  expect(addressOf('panoramas.tile', { params: { production: 'HERN', id, column: 1, row: 2 } })).toBe(
    '/api/v1/productions/HERN/panoramas/a%20b/tiles/1/2',
  );
  const asked = { params: { production: 'HERN', id: 'x' }, body: { widthPx: 512 } };
  expect(requestOf('rounds.build', asked, () => 'new key')).toEqual({
    method: 'POST',
    url: '/api/v1/productions/HERN/rounds/x/build',
    headers: { 'Tawny-Client': 'tawny', 'Content-Type': 'application/json', 'Idempotency-Key': 'new key' },
    body: '{"widthPx":512}',
  });
  expect(requestOf('rounds.build', { ...asked, key: 'own' }, () => '').headers['Idempotency-Key']).toBe('own');
  expect(addressOf('takes.list', { params: { production: 'A' }, query: { setupId: undefined, limit: 3 } })).toBe(
    '/api/v1/productions/A/takes?limit=3',
  );
  expect(answerOf('rounds.knownFrames', 200, '{"known":["a"]}')).toEqual({ known: ['a'] });
  expect(() => answerOf('rounds.knownFrames', 200, '{"known":[1]}')).toThrow(/known\.0/);
  expect(() => answerOf('rounds.knownFrames', 502, '<html>')).toThrow(/502/);
  try {
    answerOf(
      'rounds.knownFrames',
      422,
      JSON.stringify({
        type: 't',
        title: 't',
        status: 422,
        code: 'c',
        detail: 'no',
        errors: [{ field: 'hashes', message: 'too many' }],
      }),
    );
    throw new Error('was not refused');
  } catch (error) {
    expect((error as ApiError).field('hashes')).toBe('too many');
  }
  expect(operationOf('takes.create').status).toBe(201);
});
