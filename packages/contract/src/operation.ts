import { z } from 'zod';
import { page, uuid } from './common';
import { changeOf } from './record';

export type Method = 'GET' | 'POST' | 'PATCH' | 'DELETE';
/** What somebody must be allowed to do in the production. */
export type Right = 'read' | 'write';

/** Kinds of things that answers are made of: what changes one of them makes answers stale that were made of it. */
export type Resource = string;

/** One thing that the API does, from which server, clients, tests and docs are made. */
export interface Operation<
  P extends string = string,
  Q extends z.ZodType = z.ZodType,
  B extends z.ZodType = z.ZodType,
  A extends z.ZodType = z.ZodType,
> {
  readonly method: Method;
  /** Below `/api/v1`; what stands behind a colon is a parameter. */
  readonly path: P;
  /** In one line, for the docs. */
  readonly does: string;
  readonly right: Right;
  /** What a request carries. */
  readonly takes: 'nothing' | 'json' | 'files';
  readonly query: Q;
  readonly body: B;
  /** A JSON answer, or the bytes of a file. */
  readonly gives: 'json' | 'file';
  readonly answer: A;
  readonly status: number;
  /** A key makes a request that is sent twice, also at the same time, run once and answer twice. */
  readonly keyed: boolean;
  readonly reads: readonly Resource[];
  readonly changes: readonly Resource[];
}

type NoFields = Record<never, never>;
const nothing = z.object({});
type Nothing = typeof nothing;
type Extras<Q extends z.ZodType> = { query?: Q; reads?: readonly Resource[] };

/** Reads something; changes nothing. */
export function reads<const P extends string, A extends z.ZodType, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  answer: A,
  extras: Extras<Q> & { reads: readonly Resource[] },
): Operation<P, Q, Nothing, A> {
  return {
    method: 'GET',
    path,
    does,
    right: 'read',
    takes: 'nothing',
    query: extras.query ?? (nothing as unknown as Q),
    body: nothing,
    gives: 'json',
    answer,
    status: 200,
    keyed: false,
    reads: extras.reads,
    changes: [],
  };
}

/** Gives a file. */
export function file<const P extends string, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  extras: Extras<Q> = {},
): Operation<P, Q, Nothing, z.ZodUnknown> {
  return { ...reads(path, does, z.unknown(), { reads: [], ...extras }), gives: 'file' };
}

/** Works something out of what it is given; nothing is stored. */
export function asks<const P extends string, B extends z.ZodType, A extends z.ZodType, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  body: B | 'files',
  answer: A,
  extras: Extras<Q> = {},
): Operation<P, Q, B, A> {
  return {
    ...reads(path, does, answer, { reads: [], ...extras }),
    method: 'POST',
    takes: body === 'files' ? 'files' : 'json',
    body: (body === 'files' ? nothing : body) as B,
  };
}

/** Changes something; a request carries a key. */
export function writes<const P extends string, B extends z.ZodType, A extends z.ZodType, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  body: B,
  answer: A,
  extras: { query?: Q; changes: readonly Resource[]; method?: 'POST' | 'PATCH' | 'DELETE'; status?: number },
): Operation<P, Q, B, A> {
  const method = extras.method ?? 'POST';
  return {
    method,
    path,
    does,
    right: 'write',
    takes: method === 'DELETE' ? 'nothing' : 'json',
    query: extras.query ?? (nothing as unknown as Q),
    body,
    gives: 'json',
    answer,
    status: extras.status ?? (method === 'POST' ? 201 : 200),
    keyed: true,
    reads: [],
    changes: extras.changes,
  };
}

/** Makes what no production holds: the record's own id tells whether it was sent before, so no key is wanted. */
export function begins<const P extends string, B extends z.ZodType, A extends z.ZodType>(
  path: P,
  does: string,
  body: B,
  answer: A,
  extras: { changes: readonly Resource[] },
): Operation<P, Nothing, B, A> {
  return { ...writes(path, does, body, answer, extras), keyed: false };
}

/** Part of an upload that names, as JSON, a file which came in pieces before (`/productions/:production/arriving`, tus 1.0). */
export const ARRIVED_PART = 'arrived';
export const arrivedSchema = z.object({
  /** Name that the part would have if the file were in the request. */
  field: z.string().max(50),
  name: z.string().max(1000),
  id: z.string().regex(/^[0-9a-f]{32}$/),
});

/** Takes files in. They are told apart by their hashes, so no key is wanted. */
export function uploads<const P extends string, A extends z.ZodType, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  answer: A,
  extras: { query?: Q; changes: readonly Resource[]; status?: number },
): Operation<P, Q, Nothing, A> {
  return { ...writes(path, does, nothing, answer, extras), takes: 'files', keyed: false };
}

export const PAGE_SIZE = 200;
const pageQuery = z.object({
  limit: z.coerce.number().int().min(1).max(PAGE_SIZE).default(PAGE_SIZE),
  /** The `next` of the page before. */
  after: z.string().max(500).optional(),
});

/** A list, page by page. */
export function lists<const P extends string, T extends z.ZodType, F extends z.ZodRawShape = NoFields>(
  path: P,
  does: string,
  item: T,
  extras: { filter?: F; reads: readonly Resource[] },
) {
  const query = pageQuery.extend((extras.filter ?? {}) as F);
  return reads(path, does, page(item), { query, reads: extras.reads });
}

const OWNED = '/productions/:production';
const seen = z.object({ version: z.coerce.number({ error: 'State the version that was seen' }).int().positive() });

/** List, one, removal and restoring of a kind of record, by its path below the production. */
export function records<const N extends string, T extends z.ZodType, F extends z.ZodRawShape = NoFields>(
  name: N,
  noun: string,
  item: T,
  filter: F = {} as F,
  also: readonly Resource[] = [],
) {
  const at = `${OWNED}/${name}` as const;
  const changes = [name, ...also];
  return {
    list: lists(at, `Lists each ${noun}`, item, { filter, reads: [name] }),
    get: reads(`${at}/:id`, `One ${noun}`, item, { reads: [name] }),
    remove: writes(`${at}/:id`, `Removes a ${noun}; what refers to it keeps its meaning`, z.object({}), item, {
      query: seen,
      changes,
      method: 'DELETE',
    }),
    restore: writes(`${at}/:id/restore`, `Takes a removal of a ${noun} back`, z.object({}), item, {
      changes,
      status: 200,
    }),
  };
}

/** The same with making and changing, for records that people write. */
export function writtenRecords<
  const N extends string,
  T extends z.ZodType,
  I extends z.ZodObject,
  F extends z.ZodRawShape = NoFields,
>(name: N, noun: string, item: T, input: I, filter: F = {} as F, also: readonly Resource[] = []) {
  const changes = [name, ...also];
  const at = `${OWNED}/${name}` as const;
  return {
    ...records(name, noun, item, filter, also),
    create: writes(at, `Makes a ${noun} under the client's own id`, input, item, { changes }),
    change: writes(`${at}/:id`, `Changes fields of a ${noun} from the version that was seen`, changeOf(input), item, {
      changes,
      method: 'PATCH',
    }),
  };
}

/** Filter by one record that the others hang on. */
export const by = <K extends string>(field: K) =>
  ({ [field]: uuid.optional() }) as unknown as { [P in K]: z.ZodOptional<typeof uuid> };
/** The same where a list of everything would help nobody. */
export const onlyBy = <K extends string>(field: K, what: string) =>
  ({ [field]: z.uuid(`State the ${field} ${what}`) }) as unknown as { [P in K]: typeof uuid };
