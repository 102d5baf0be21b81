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
/** What carries nothing. */
export const none = () => z.object({});
type Nothing = ReturnType<typeof none>;

type Facts<P extends string> = Pick<Operation<P>, 'method' | 'path' | 'does'> & Partial<Operation<P>>;
/** Schemas are made when the operation is first used: a phone that shows a day builds those of a day. */
interface Schemas<Q extends z.ZodType, B extends z.ZodType, A extends z.ZodType> {
  query?: () => Q;
  body?: () => B;
  answer: () => A;
}

const USUAL = { right: 'read', takes: 'nothing', gives: 'json', status: 200, keyed: false, reads: [], changes: [] };

const lazily = (make: () => z.ZodType): PropertyDescriptor => {
  let made: z.ZodType | undefined;
  return { enumerable: true, get: () => (made ??= make()) };
};

const operation = <P extends string, Q extends z.ZodType, B extends z.ZodType, A extends z.ZodType>(
  facts: Facts<P>,
  { query, body, answer }: Schemas<Q, B, A>,
): Operation<P, Q, B, A> =>
  Object.defineProperties({ ...USUAL, ...facts } as Operation<P, Q, B, A>, {
    query: lazily(query ?? none),
    body: lazily(body ?? none),
    answer: lazily(answer),
  });

interface Extras<Q extends z.ZodType> {
  query?: () => Q;
  reads?: readonly Resource[];
}
interface WriteExtras<Q extends z.ZodType> {
  query?: () => Q;
  changes: readonly Resource[];
  method?: 'POST' | 'PATCH' | 'DELETE';
  status?: number;
}

/** Reads something; changes nothing. */
export const reads = <const P extends string, A extends z.ZodType, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  answer: () => A,
  { query, reads }: Extras<Q> & { reads: readonly Resource[] },
): Operation<P, Q, Nothing, A> => operation({ method: 'GET', path, does, reads }, { query, answer });

/** Gives a file. */
export const file = <const P extends string, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  { query, reads }: Extras<Q> = {},
): Operation<P, Q, Nothing, z.ZodUnknown> =>
  operation({ method: 'GET', path, does, gives: 'file', reads: reads ?? [] }, { query, answer: () => z.unknown() });

/** Works something out of what it is given; nothing is stored. */
export const asks = <const P extends string, B extends z.ZodType, A extends z.ZodType>(
  path: P,
  does: string,
  schemas: () => readonly [B, A],
): Operation<P, Nothing, B, A> =>
  operation({ method: 'POST', path, does, takes: 'json' }, { body: () => schemas()[0], answer: () => schemas()[1] });

/** Works something out of files; nothing is stored. */
export const asksOfFiles = <const P extends string, A extends z.ZodType, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  answer: () => A,
  { query, reads }: Extras<Q> = {},
): Operation<P, Q, Nothing, A> =>
  operation({ method: 'POST', path, does, takes: 'files', reads: reads ?? [] }, { query, answer });

/** Changes something; a request carries a key. */
export function writes<const P extends string, B extends z.ZodType, A extends z.ZodType, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  schemas: () => readonly [B, A],
  { query, changes, method = 'POST', status = method === 'POST' ? 201 : 200 }: WriteExtras<Q>,
): Operation<P, Q, B, A> {
  const takes = method === 'DELETE' ? 'nothing' : 'json';
  return operation(
    { method, path, does, right: 'write', takes, status, keyed: true, changes },
    { query, body: () => schemas()[0], answer: () => schemas()[1] },
  );
}

/** Makes what no production holds: the record's own id tells whether it was sent before, so no key is wanted. */
export const begins = <const P extends string, B extends z.ZodType, A extends z.ZodType>(
  path: P,
  does: string,
  schemas: () => readonly [B, A],
  { changes }: { changes: readonly Resource[] },
): Operation<P, Nothing, B, A> =>
  operation(
    { method: 'POST', path, does, right: 'write', takes: 'json', status: 201, changes },
    { body: () => schemas()[0], answer: () => schemas()[1] },
  );

/** Takes files in. They are told apart by their hashes, so no key is wanted. */
export const uploads = <const P extends string, A extends z.ZodType, Q extends z.ZodType = Nothing>(
  path: P,
  does: string,
  answer: () => A,
  { query, changes, status = 201 }: Omit<WriteExtras<Q>, 'method'>,
): Operation<P, Q, Nothing, A> =>
  operation({ method: 'POST', path, does, right: 'write', takes: 'files', status, changes }, { query, answer });

export const PAGE_SIZE = 200;
const pageQuery = () =>
  z.object({
    limit: z.coerce.number().int().min(1).max(PAGE_SIZE).default(PAGE_SIZE),
    /** The `next` of the page before. */
    after: z.string().max(500).optional(),
  });

const noFilter = () => ({});

/** A list, page by page. */
export const lists = <const P extends string, T extends z.ZodType, F extends z.ZodRawShape = NoFields>(
  path: P,
  does: string,
  item: () => T,
  extras: { filter?: () => F; reads: readonly Resource[] },
) =>
  reads(path, does, () => page(item()), {
    query: () => pageQuery().extend((extras.filter ?? noFilter)() as F),
    reads: extras.reads,
  });

const OWNED = '/productions/:production';
const seen = () =>
  z.object({ version: z.coerce.number({ error: 'State the version that was seen' }).int().positive() });

/** List, one, removal and restoring of a kind of record, by its path below the production. */
export function records<const N extends string, T extends z.ZodType, F extends z.ZodRawShape = NoFields>(
  name: N,
  noun: string,
  item: () => T,
  filter: (() => F) | undefined = undefined,
  also: readonly Resource[] = [],
) {
  const at = `${OWNED}/${name}` as const;
  const changes = [name, ...also];
  return {
    list: lists(at, `Lists each ${noun}`, item, { filter, reads: [name] }),
    get: reads(`${at}/:id`, `One ${noun}`, item, { reads: [name] }),
    remove: writes(`${at}/:id`, `Removes a ${noun}; what refers to it keeps its meaning`, () => [none(), item()], {
      query: seen,
      changes,
      method: 'DELETE',
    }),
    restore: writes(`${at}/:id/restore`, `Takes a removal of a ${noun} back`, () => [none(), item()], {
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
>(
  name: N,
  noun: string,
  /** Of the record, and of what a client writes of it. */
  schemas: () => readonly [T, I],
  filter: (() => F) | undefined = undefined,
  also: readonly Resource[] = [],
) {
  const changes = [name, ...also];
  const at = `${OWNED}/${name}` as const;
  const input = () => schemas()[1];
  const item = () => schemas()[0];
  return {
    ...records(name, noun, item, filter, also),
    create: writes(at, `Makes a ${noun} under the client's own id`, () => [input(), item()], { changes }),
    change: writes(
      `${at}/:id`,
      `Changes fields of a ${noun} from the version that was seen`,
      () => [changeOf(input()), item()],
      { changes, method: 'PATCH' },
    ),
  };
}

/** Filter by one record that the others hang on. */
export const by =
  <K extends string>(field: K) =>
  () =>
    ({ [field]: uuid.optional() }) as unknown as { [P in K]: z.ZodOptional<typeof uuid> };
/** The same where a list of everything would help nobody. */
export const onlyBy =
  <K extends string>(field: K, what: string) =>
  () =>
    ({ [field]: z.uuid(`State the ${field} ${what}`) }) as unknown as { [P in K]: typeof uuid };
