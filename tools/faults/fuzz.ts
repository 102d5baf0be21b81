import { randomUUID } from 'node:crypto';
import http from 'node:http';
import { gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { z } from 'zod';
import { CLIENT_HEADER, OPERATIONS, type Operation, type OperationName } from '@tawny/contract';

/** Texts that programs stumble over. */
const ODD_TEXTS = [
  '', ' ', '\0', 'a\0b', '\ud800', '\udfff\ud800', '%', '%00', '%zz', '..', '../../etc', "'; DROP TABLE takes; --", '{{1+1}}', '<script>', '\u202e', '\ufeff',
  'NaN', 'null', 'undefined', '[object Object]', '__proto__', 'constructor', '0', '-1', '1e999', '9'.repeat(40), 'x'.repeat(5000),
  '0000-01-01', '0000-01-01T00:00:00Z', '9999-12-31T23:59:59Z', '2026-02-30', '2026-13-01T00:00:00Z', '99999-01-01T00:00:00Z', '2026-10-14T24:00:00Z', '2026-10-14T15:00:00+99:99',
  'ffffffff-ffff-ffff-ffff-ffffffffffff', '00000000-0000-0000-0000-000000000000', 'Not/AZone', 'Europe/London',
]; // prettier-ignore
const ODD_NUMBERS = [0, -0, -1, 0.5, 1e-320, 1e308, -1e308, 2 ** 31, 2 ** 32, 2 ** 53, 2 ** 63, 1e21, 90, 91, -181];

const oddText = fc.oneof(
  fc.constantFrom(...ODD_TEXTS),
  fc.string(),
  fc.string({ unit: 'binary' }),
  fc.array(fc.integer({ min: 0xd800, max: 0xdfff }), { maxLength: 3 }).map((u) => String.fromCharCode(...u)),
);
const oddValue = fc.oneof(
  oddText,
  fc.constantFrom<unknown>(...ODD_NUMBERS, null, true, false, [], {}, [[]], [null], { length: 5 }),
  fc.jsonValue({ maxDepth: 2 }),
);

type Shape = {
  type?: string;
  anyOf?: Shape[];
  oneOf?: Shape[];
  allOf?: Shape[];
  enum?: unknown[];
  const?: unknown;
  format?: string;
  properties?: Record<string, Shape>;
  required?: string[];
  items?: Shape;
  prefixItems?: Shape[];
  minimum?: number;
  maximum?: number;
  exclusiveMinimum?: number;
};

/** Values that would do, each now and then put out by one that does not. */
function like(shape: Shape, ids: readonly string[], mischief: number): fc.Arbitrary<unknown> {
  const good = likely(shape, ids, mischief);
  return mischief === 0
    ? good
    : fc.oneof({ weight: 100 - mischief, arbitrary: good }, { weight: mischief, arbitrary: oddValue });
}

function likely(shape: Shape, ids: readonly string[], mischief: number): fc.Arbitrary<unknown> {
  const inner = (s: Shape) => like(s, ids, mischief);
  if (shape.const !== undefined) return fc.constant(shape.const);
  if (shape.enum) return fc.constantFrom(...shape.enum);
  const choices = shape.anyOf ?? shape.oneOf;
  if (choices) return fc.oneof(...choices.map(inner));
  if (shape.type === 'object')
    return fc.record(
      Object.fromEntries(Object.entries(shape.properties ?? {}).map(([key, value]) => [key, inner(value)])),
      { requiredKeys: shape.required ?? [] },
    );
  if (shape.type === 'array')
    return shape.prefixItems
      ? fc.tuple(...shape.prefixItems.map(inner))
      : fc.array(inner(shape.items ?? {}), { maxLength: 4 });
  if (shape.type === 'number' || shape.type === 'integer') {
    const low = Math.max(shape.minimum ?? shape.exclusiveMinimum ?? -1000, -1e6);
    const high = Math.min(shape.maximum ?? low + 2000, 1e6);
    return shape.type === 'integer'
      ? fc.integer({ min: Math.ceil(low), max: Math.max(Math.ceil(low), Math.floor(high)) })
      : fc.double({ min: low, max: Math.max(low, high), noNaN: true });
  }
  if (shape.type === 'boolean') return fc.boolean();
  if (shape.type === 'null') return fc.constant(null);
  if (shape.format === 'uuid') return fc.oneof(fc.constantFrom(...ids), fc.uuid());
  if (shape.format === 'date-time')
    return fc.date({ min: new Date(0), max: new Date(4e12), noInvalidDate: true }).map((d) => d.toISOString());
  if (shape.type === 'string') return fc.string({ minLength: 1, maxLength: 12 });
  return oddValue;
}

const shapeOf = (schema: z.ZodType): Shape => z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }) as Shape;

export interface FuzzRequest {
  name: OperationName;
  method: string;
  path: string;
  headers: Record<string, string>;
  body: Buffer | null;
}

const text = (value: unknown) => (typeof value === 'string' ? value : JSON.stringify(value)) ?? '';

/** Percent signs of an address, right, wrong, or left away. */
const inAddress = (value: unknown, broken: boolean) => {
  const plain = text(value);
  if (broken)
    return encodeURI(plain.toWellFormed())
      .replace(/%25/g, '%')
      .replace(/[?#\s]/g, '');
  return encodeURIComponent(plain.toWellFormed());
};

/** Bodies that are none: cut off, in another charset or encoding than stated, damaged. */
const spoilt = (json: Buffer) =>
  fc.constantFrom<{ body: Buffer; headers: Record<string, string> }>(
    { body: json.subarray(0, Math.floor(json.length / 2)), headers: {} },
    { body: Buffer.concat([json, Buffer.from([0xff, 0xfe])]), headers: {} },
    { body: json, headers: { 'Content-Encoding': 'gzip' } },
    { body: gzipSync(json).subarray(0, -6), headers: { 'Content-Encoding': 'gzip' } },
    { body: gzipSync(json), headers: { 'Content-Encoding': 'gzip' } },
    { body: json, headers: { 'Content-Encoding': 'brotli-of-the-future' } },
    { body: json, headers: { 'Content-Type': 'application/json; charset=ebcdic' } },
    { body: json, headers: { 'Content-Type': 'text/plain' } },
    { body: Buffer.from('['.repeat(20000)), headers: {} },
    { body: Buffer.from('"a"'), headers: {} },
    { body: Buffer.from('null'), headers: {} },
    { body: Buffer.alloc(0), headers: {} },
  );

/** Work that a worker would be at for seconds is asked for of records that are not there. */
const heavy = (name: string, operation: Operation) =>
  operation.changes.includes('jobs') || name === 'rounds.phoneFrame' || name === 'days.report';

function requestsOf(
  name: OperationName,
  operation: Operation,
  production: string,
  ids: readonly string[],
): fc.Arbitrary<FuzzRequest> {
  const id = heavy(name, operation)
    ? fc.oneof(fc.uuid(), oddText)
    : fc.oneof({ weight: 5, arbitrary: fc.constantFrom(...ids) }, fc.uuid(), oddText);
  const known = heavy(name, operation) ? [randomUUID()] : ids;
  const code = fc.oneof({ weight: 12, arbitrary: fc.constant(production) }, oddText);
  const query = like(shapeOf(operation.query), known, 15);
  const body = fc.constantFrom(0, 4, 25).chain((mischief) => like(shapeOf(operation.body), known, mischief));
  return fc
    .record({ id, code, query, body, broken: fc.integer({ min: 0, max: 9 }), odd: oddText })
    .chain(({ id, code, query, body, broken, odd }) => {
      const path = operation.path.replace(/:([a-zA-Z]+)/g, (_, key: string) =>
        inAddress(key === 'production' ? code : key === 'id' ? id : odd, broken === 0),
      );
      const search = Object.entries((query ?? {}) as object)
        .map(([k, v]) => `${inAddress(k, broken === 1)}=${inAddress(v, broken === 1)}`)
        .join('&');
      const json = operation.takes === 'nothing' ? Buffer.alloc(0) : Buffer.from(JSON.stringify(body ?? null));
      const base: FuzzRequest = {
        name,
        method: operation.method,
        path: `/api/v1${path}${search ? `?${search}` : ''}`,
        headers: {
          [CLIENT_HEADER]: 'fuzz',
          ...(operation.keyed ? { 'Idempotency-Key': broken === 2 ? 'k'.repeat(300) : randomUUID() } : {}),
          ...(operation.takes === 'nothing' ? {} : { 'Content-Type': 'application/json' }),
        },
        body: operation.takes === 'nothing' ? null : json,
      };
      if (broken !== 3 || operation.takes === 'nothing') return fc.constant(base);
      return spoilt(json).map((s) => ({ ...base, body: s.body, headers: { ...base.headers, ...s.headers } }));
    });
}

export interface FuzzAnswer {
  status: number;
  text: string;
  ms: number;
}

/** Sends a request as it stands, also where a well-mannered client would mend it. */
export function ask(base: string, request: FuzzRequest, agent: http.Agent): Promise<FuzzAnswer> {
  const started = performance.now();
  const { hostname, port } = new URL(base);
  return new Promise((resolve, reject) => {
    const sent = http.request(
      { agent, hostname, port, method: request.method, path: request.path, headers: request.headers },
      (answer) => {
        const parts: Buffer[] = [];
        answer.on('data', (part: Buffer) => parts.push(part));
        answer.on('error', reject);
        answer.on('end', () =>
          resolve({
            status: answer.statusCode!,
            text: Buffer.concat(parts).toString('utf8'),
            ms: performance.now() - started,
          }),
        );
      },
    );
    sent.on('error', reject);
    sent.end(request.body ?? undefined);
  });
}

export interface FuzzReport {
  requests: number;
  /** How many answers had each status. */
  statuses: Record<number, number>;
  /** Answers that no request may get: 500, a leaked inside, a refusal that is no problem document. */
  wrong: { request: FuzzRequest; answer: FuzzAnswer; why: string }[];
  slowestMs: number;
}

const LEAKS = /node_modules|\.ts:\d|at \w+ \(|\/tmp\/|constraint|QueryFailed|duplicate key|violates/;

function whyWrong({ status, text: body }: FuzzAnswer): string | null {
  if (status >= 500) return `answered ${status}`;
  if (status < 400) return null;
  try {
    const problem = JSON.parse(body) as { code?: unknown; detail?: unknown };
    if (typeof problem.code !== 'string' || typeof problem.detail !== 'string') return 'the refusal says nothing';
  } catch {
    // What is no request at all, or has no end, is refused by the server's own parser.
    return status === 400 || status === 431 ? null : 'the refusal is no problem document';
  }
  const leak = body.match(LEAKS);
  return leak ? `the refusal tells an inside: ${leak[0]}` : null;
}

/**
 * Sends requests made from the API table, right ones, nearly right ones and nonsense, several at a time.
 * @param production code of a production that may be spoilt
 * @param ids of its records
 */
export async function fuzz(
  base: string,
  production: string,
  ids: readonly string[],
  { requests, seed, mostMs, atOnce = 8 }: { requests: number; seed: number; mostMs: number; atOnce?: number },
): Promise<FuzzReport> {
  const any = fc.oneof(...OPERATIONS.map(({ name, operation }) => requestsOf(name, operation, production, ids)));
  const report: FuzzReport = { requests: 0, statuses: {}, wrong: [], slowestMs: 0 };
  const agent = new http.Agent({ keepAlive: true, maxSockets: atOnce });
  const until = performance.now() + mostMs;
  const waiting = fc.sample(any, { numRuns: requests, seed })[Symbol.iterator]();
  const client = async () => {
    for (const request of waiting) {
      if (performance.now() > until) return;
      const answer = await ask(base, request, agent);
      report.requests++;
      report.statuses[answer.status] = (report.statuses[answer.status] ?? 0) + 1;
      report.slowestMs = Math.max(report.slowestMs, answer.ms);
      const why = whyWrong(answer);
      if (why) report.wrong.push({ request, answer, why });
    }
  };
  await Promise.all(Array.from({ length: atOnce }, client));
  agent.destroy();
  return report;
}
