import { z } from 'zod';

export const uuid = z.uuid();
export const instant = z.iso.datetime({ offset: true });

/** Fields that every stored record carries. */
export const recordFields = {
  id: uuid,
  version: z.number().int().positive(),
  createdAt: z.string(),
  updatedAt: z.string(),
};

const named = (name: string, low: number, high: number, unit: string) =>
  z
    .number({ error: `${name} must be a number` })
    .min(low, `${name} must be at least ${low}${unit}`)
    .max(high, `${name} must be at most ${high}${unit}`);

export const latitudeDeg = named('Latitude', -90, 90, ' degrees');
export const longitudeDeg = named('Longitude', -180, 180, ' degrees');
export const altitudeM = named('Altitude', -500, 9000, ' m');
export const bounded = named;
export const positive = (name: string, high: number, unit = '') =>
  z
    .number({ error: `${name} must be a number` })
    .gt(0, `${name} must be more than 0${unit}`)
    .max(high, `${name} must be at most ${high}${unit}`);
export const title = (name: string, most = 120) =>
  z.string().trim().min(1, `${name} must not be empty`).max(most, `${name} is longer than ${most} characters`);

/** RFC 9457 problem document with a stable code and the fields or files concerned. */
export const problemSchema = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number(),
  code: z.string(),
  detail: z.string(),
  errors: z
    .array(z.object({ field: z.string().optional(), file: z.string().optional(), message: z.string() }))
    .optional(),
  current: z.unknown().optional(),
});
export type Problem = z.infer<typeof problemSchema>;

export const page = <T extends z.ZodType>(item: T) => z.object({ items: z.array(item), next: z.string().nullable() });
