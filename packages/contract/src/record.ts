import { z } from 'zod';
import { recordFields, uuid } from './common';

/** A stored record: what the client writes and what the server adds. */
export const record = <S extends z.ZodRawShape>(shape: S) => z.object({ ...recordFields, ...shape });
/** What a client writes: its own id, so that a write may be queued and sent again. */
export const recordInput = <S extends z.ZodRawShape>(shape: S) => z.object({ id: uuid, ...shape });

const withoutDefault = (field: z.ZodType): z.ZodType =>
  field instanceof z.ZodDefault ? (field.unwrap() as z.ZodType) : field;

/** Partial change of a record: any of its fields and the version that was seen. A field left out stays as it is, whatever its default. */
export function changeOf(input: z.ZodObject): z.ZodObject {
  const fields = Object.entries(input.shape as Record<string, z.ZodType>).filter(([name]) => name !== 'id');
  return z.object({
    ...Object.fromEntries(fields.map(([name, field]) => [name, withoutDefault(field).optional()])),
    version: z.number().int().positive(),
  });
}
