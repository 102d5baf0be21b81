import type { z } from 'zod';
import { operationOf, OPERATIONS, type OperationName, type OperationOf } from './api';
import { problemSchema, type Problem } from './common';
import type { Method, Operation } from './operation';

export const API_BASE = '/api/v1';
/** Every write says what program sends it: a page of another site cannot. */
export const CLIENT_HEADER = 'Tawny-Client';

/** Names of what stands behind colons in a path. */
type Parameters<P extends string> = P extends `${string}:${infer Rest}`
  ? Rest extends `${infer Name}/${infer More}`
    ? Name | Parameters<`/${More}`>
    : Rest extends `${infer Name}.${string}`
      ? Name
      : Rest
  : never;

type OptionalIfEmpty<K extends string, T> = object extends T
  ? { [P in K]?: T }
  : T extends Record<string, never>
    ? { [P in K]?: T }
    : { [P in K]: T };

/** What an operation wants to be told. */
export type Asked<N extends OperationName> =
  OperationOf<N> extends Operation<infer P, infer Q, infer B, z.ZodType>
    ? OptionalIfEmpty<'params', { [K in Parameters<P>]: string | number }> &
        OptionalIfEmpty<'query', z.input<Q>> &
        OptionalIfEmpty<'body', z.input<B>> & {
          /** The same key gives the same answer; a new one is made when left out. */
          key?: string;
        }
    : never;

export type Answered<N extends OperationName> =
  OperationOf<N> extends Operation<string, z.ZodType, z.ZodType, infer A> ? z.infer<A> : never;

export interface ApiRequest {
  method: Method;
  /** Below the server's address. */
  url: string;
  headers: Record<string, string>;
  body: string | undefined;
}

interface AnyAsked {
  params?: Record<string, string | number>;
  query?: Record<string, unknown>;
  body?: unknown;
  key?: string;
}

/** Address of what an operation reads, for pictures and downloads. */
export function addressOf<N extends OperationName>(name: N, asked: Asked<N>): string {
  const { params = {}, query = {} } = asked as AnyAsked;
  const path = operationOf(name).path.replace(/:([a-zA-Z]+)/g, (_, key: string) => encodeURIComponent(params[key]));
  const search = new URLSearchParams(
    Object.entries(query).flatMap(([k, v]) =>
      v === undefined || v === null ? [] : [[k, String(v)] as [string, string]],
    ),
  ).toString();
  return `${API_BASE}${path}${search ? `?${search}` : ''}`;
}

/** Under the same key a write is done once, however often it arrives. */
export const KEY_HEADER = 'Idempotency-Key';

/** The request of an operation, whatever sends it. */
export function requestOf<N extends OperationName>(name: N, asked: Asked<N>, newKey: () => string): ApiRequest {
  const operation: Operation = operationOf(name);
  const { body, key } = asked as AnyAsked;
  const json = operation.takes === 'json';
  return {
    method: operation.method,
    url: addressOf(name, asked),
    headers: {
      ...(operation.method === 'GET' ? {} : { [CLIENT_HEADER]: 'tawny' }),
      ...(json ? { 'Content-Type': 'application/json' } : {}),
      ...(operation.keyed ? { [KEY_HEADER]: key ?? newKey() } : {}),
    },
    body: json ? JSON.stringify(body ?? {}) : undefined,
  };
}

/** A refusal of the server, with its problem document. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
    this.name = 'ApiError';
  }

  /** Message for a field, when the problem names it. */
  field(name: string): string | undefined {
    return this.problem.errors?.find((e) => e.field === name)?.message;
  }
}

/** Reads an answer as the table says it is. @throws ApiError with the server's words, or when the answer is not what was agreed */
export function answerOf<N extends OperationName>(name: N, status: number, text: string): Answered<N> {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    value = undefined;
  }
  if (status < 200 || status > 299) {
    const problem = problemSchema.safeParse(value);
    throw new ApiError(
      problem.success
        ? problem.data
        : {
            type: 'about:blank',
            title: 'No answer',
            status,
            code: 'no-answer',
            detail: `The server answered ${status} without saying why. Try again in a moment.`,
          },
    );
  }
  const parsed = (operationOf(name).answer as z.ZodType).safeParse(value);
  if (parsed.success) return parsed.data as Answered<N>;
  const [issue] = parsed.error.issues;
  throw new ApiError({
    type: 'about:blank',
    title: 'Not understood',
    status,
    code: 'not-understood',
    detail: `The server's answer to ${name} is not what was agreed (${issue.path.join('.')}: ${issue.message}): load the page again, it may be of another version.`,
  });
}

/** A client over whatever carries requests: a browser, a script, a test. */
export function createClient(
  send: (request: ApiRequest) => Promise<{ status: number; text: string }>,
  newKey: () => string,
) {
  const call = async <N extends OperationName>(name: N, asked: Asked<N>): Promise<Answered<N>> => {
    const { status, text } = await send(requestOf(name, asked, newKey));
    return answerOf(name, status, text);
  };
  return call;
}

/** The operation that a method and an address below the API mean; null when there is none. */
export function operationAt(method: string, address: string): OperationName | null {
  const path = address.replace(API_BASE, '').split('?')[0].replace(/\/$/, '');
  const found = OPERATIONS.filter(({ operation }) => operation.method === method).filter(({ operation }) =>
    new RegExp(`^${operation.path.replace(/\./g, '\\.').replace(/:[a-zA-Z]+/g, '[^/]+?')}$`).test(path),
  );
  // A literal segment is meant before a parameter: /references/simulate is no id.
  const literal = (name: OperationName) =>
    operationOf(name)
      .path.split('/')
      .filter((s) => !s.startsWith(':')).length;
  return found.map(({ name }) => name).sort((a, b) => literal(b) - literal(a))[0] ?? null;
}
