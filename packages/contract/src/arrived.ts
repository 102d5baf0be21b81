import { z } from 'zod';

/** Part of an upload that names, as JSON, a file which came in pieces before (`/productions/:production/arriving`, tus 1.0). */
export const ARRIVED_PART = 'arrived';
export const arrivedSchema = z.object({
  /** Name that the part would have if the file were in the request. */
  field: z.string().max(50),
  name: z.string().max(1000),
  id: z.string().regex(/^[0-9a-f]{32}$/),
});
