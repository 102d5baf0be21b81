import { z } from 'zod';

export const uuid = z.uuid();
/** Cameras and calendars of the trade know these years; beyond them a date is a slip. */
const inReason = (text: string) => Number(text.slice(0, 4)) >= 1900 && Number(text.slice(0, 4)) <= 2199;
const YEARS = 'The year must be between 1900 and 2199';
export const instant = z.iso.datetime({ offset: true }).refine(inReason, YEARS);
/** How the time of something logged is known: it was logged as it happened, stated by hand, or nobody said it. */
export const TIMES_FROM = ['logged', 'entered', 'assumed'] as const;
export const calendarDate = z.iso.date('A date is written YYYY-MM-DD').refine(inReason, YEARS);

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

/** A zone of the IANA database. */
export const timeZone = z
  .string()
  .min(1)
  .max(64)
  .refine(
    (zone) => {
      try {
        new Intl.DateTimeFormat('en', { timeZone: zone });
        return true;
      } catch {
        return false;
      }
    },
    { error: 'is no time zone: write one such as Europe/London' },
  );

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
