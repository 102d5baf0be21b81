import type { Request } from 'express';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';
import type { Answered, Api, Asked, Operation, OperationName, OperationOf, Production } from '@tawny/contract';
import type { User } from '../access/authorise';

/** Bytes that an operation gives: a stored file by its hash, or made on the spot, whole or part by part. */
export interface FileReply {
  content: { hash: string } | { bytes: Uint8Array | string } | { parts: AsyncIterable<string> };
  type: string;
  /** Offered for saving under this name; shown in place without one. */
  name?: string;
  /** Never changes under its address. */
  lasting?: boolean;
}

/** What a handler is given: the request as the table parsed it, inside the transaction of a write. */
export interface Context<N extends OperationName> {
  production: Production;
  user: User;
  params: Required<Asked<N>> extends { params: infer P } ? { [K in keyof P]: string } : Record<string, never>;
  query: OperationOf<N> extends Operation<string, infer Q, z.ZodType, z.ZodType> ? z.output<Q> : never;
  body: OperationOf<N> extends Operation<string, z.ZodType, infer B, z.ZodType> ? z.output<B> : never;
  /** The transaction of a write, which holds its key; the database itself for everything else. */
  tx: EntityManager;
  /** Asked for by a stand-in: its work goes behind everybody's. */
  background: boolean;
  /** Of operations that take files. */
  request: Request;
}

export type Reply<N extends OperationName> = OperationOf<N> extends { gives: 'file' } ? FileReply : Answered<N>;
export type Handler<N extends OperationName> = (context: Context<N>) => Promise<Reply<N> | FileReply>;
export type Handlers<R extends keyof Api> = {
  [V in keyof Api[R] & string]: `${R & string}.${V}` extends OperationName ? Handler<`${R & string}.${V}`> : never;
};
export type AllHandlers = { [R in keyof Api]: Handlers<R> };
