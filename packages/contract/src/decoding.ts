import { z } from 'zod';
import { record } from './record';

const HELP = 'A curve is linear, srgb, rec709, hlg, pq, gamma:G or a Common LUT Format file of the kit';

/** A curve that has a name. */
export const namedCurveSchema = z.union(
  [
    z.enum(['linear', 'srgb', 'rec709', 'hlg', 'pq', 'gamma22']),
    z.templateLiteral(['gamma:', z.number().min(0.1).max(10)]),
  ],
  { error: HELP },
);
/** A curve of the kit, by the hash of its file. */
const kitCurveSchema = z.templateLiteral(['clf:', z.string().regex(/^[0-9a-f]{64}$/)]);

export const CODE_RANGES = ['full', 'legal'] as const;

/** What code values of a picture mean: curve to light, the range that black and white stand in, and primaries of the light. */
export const decodingSchema = z.object({
  curve: z.union([namedCurveSchema, kitCurveSchema], { error: HELP }),
  range: z.enum(CODE_RANGES, { error: 'The range is full or legal' }).default('full'),
  /** By name, as CIE xy of red, green, blue and white, or by the matrix from XYZ to the sensor's own values that a raw file states. */
  primaries: z
    .union(
      [
        z.enum(['rec709', 'acescg']),
        z.array(z.number()).length(8),
        z.object({ xyzToCamera: z.array(z.number()).length(9) }),
      ],
      { error: 'Primaries are rec709, acescg or eight chromaticities' },
    )
    .default('rec709'),
});
export type PictureDecoding = z.infer<typeof decodingSchema>;

/** Where a decoding comes from: a person at this picture, the file's own tags, the recording format in the kit, or nowhere. */
export const statedDecodingSchema = z.object({
  decoding: decodingSchema.nullable(),
  from: z.enum(['entered', 'file', 'kit']).nullable(),
  /** Words for people: what says it, or why nobody does. */
  source: z.string(),
});
export type StatedDecoding = z.infer<typeof statedDecodingSchema>;

/** A logarithmic or other curve of the kit, as a Common LUT Format file that its user brought. */
export const curveSchema = record({
  name: z.string(),
  fileName: z.string(),
  hash: z.string(),
  /** What the file says of its own input and output. */
  input: z.string().nullable(),
  output: z.string().nullable(),
});
export type KitCurve = z.infer<typeof curveSchema>;
