import { z } from 'zod';
import { PROVENANCE_KINDS, PROVENANCE_WORDS } from '@tawny/core/estimate/provenance';

export { PROVENANCE_WORDS };

/** Where a fact comes from, from what, and when. */
export const provenanceSchema = z.object({
  kind: z.enum(PROVENANCE_KINDS),
  source: z.string(),
  at: z.string().nullable(),
});

/** A number with its 95 % half width, null when not known. */
export const measuredSchema = z.object({
  value: z.number(),
  uncertainty: z.number().nullable(),
  provenance: provenanceSchema,
});

/** What a result rests on, and the names of those of its facts that have changed since it was made: then it is stale. */
export const basisSchema = z.object({
  facts: z.array(
    z.object({
      name: z.string(),
      kind: z.enum(PROVENANCE_KINDS),
      source: z.string(),
      uncertainty: z.number().nullable(),
      unit: z.string(),
    }),
  ),
  changed: z.array(z.string()),
});
export type Basis = z.infer<typeof basisSchema>;
