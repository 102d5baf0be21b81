import { z } from 'zod';

/** Kinds of kit in the order in which they refer to each other. */
export const KIT_KINDS = ['bodies', 'lenses', 'rigs', 'filters', 'instruments', 'objects'] as const;
export type KitKind = (typeof KIT_KINDS)[number];

export const kitImportInput = z.object({
  /** Of a CSV, which holds one kind. */
  kind: z.enum(KIT_KINDS).optional(),
  fileName: z.string().max(200),
  contentBase64: z.string().max(14_000_000, 'The file is larger than 10 MB'),
  dryRun: z.boolean(),
  acceptRest: z.boolean().default(false),
});
export const kitCopyInput = z.object({ from: z.string().min(1, 'Name the production to copy from') });

/** What was offered, entry by entry, with what is wrong in it. */
export const kitImportSchema = z.object({
  rows: z.array(
    z.object({
      kind: z.string(),
      row: z.number(),
      label: z.string(),
      faults: z.array(z.object({ field: z.string(), message: z.string() })),
    }),
  ),
  imported: z.number(),
  dryRun: z.boolean(),
});
export type KitImport = z.infer<typeof kitImportSchema>;
