import { z } from 'zod';
import { uuid } from './common';

/** What a setup lacks, in order of what is lost first. */
export const gapSchema = z.object({
  rule: z.string(),
  setupId: uuid,
  what: z.string(),
  /** Why, and until when it can be had. */
  reason: z.string(),
  /** `gone`: its light went before anybody had it. */
  urgency: z.enum(['now', 'today', 'later', 'gone']),
  /** When it can, or could, no longer be had; null when nothing takes it away. */
  lostAt: z.string().nullable(),
  /** Where its one button leads, below the production. */
  action: z.object({ title: z.string(), path: z.string() }),
});
export type Gap = z.infer<typeof gapSchema>;
export const gapsSchema = z.object({ setupId: uuid, gaps: z.array(gapSchema), roundId: uuid.nullable() });
export type SetupGaps = z.infer<typeof gapsSchema>;
