import { z } from 'zod';
import { recordFields, uuid } from './common';
import { basisSchema } from './facts';

const pixels = z.tuple([z.number(), z.number()]);

/** Strokes along edges of a plate that are parallel in the world, in its own upright pixels, and what is known of them. */
export const plateStrokesInput = z.object({
  families: z
    .array(
      z.object({
        kind: z.enum(['vertical', 'level', 'free'], { error: 'A family of strokes is vertical, level or free' }),
        /** World azimuth along which its edges run away from the camera; null when nobody surveyed it. */
        azimuthDeg: z.number().min(-360).max(720).nullable().default(null),
        strokes: z.array(z.tuple([z.number(), z.number(), z.number(), z.number()])).max(60, 'At most 60 strokes'),
      }),
    )
    .min(1, 'Draw a stroke first')
    .max(6, 'At most 6 families of strokes'),
  /** A length on the ground or upright from it, in metres. */
  knownLength: z
    .object({
      from: pixels,
      to: pixels,
      lengthM: z.number().gt(0, 'A length is more than 0 m').max(1000, 'A length is at most 1000 m'),
      lying: z.enum(['ground', 'vertical']),
    })
    .nullable()
    .default(null),
});
export type PlateStrokesInput = z.input<typeof plateStrokesInput>;
export type PlateStrokes = z.infer<typeof plateStrokesInput>;

const half = z.number().nullable();
/** What a take carries of its camera because the picture told it; null what it did not tell. Uncertainties are 95 % half widths. */
export const pictureCameraSchema = z.object({
  plateCameraId: uuid,
  focalLengthMm: z.number().nullable(),
  tiltDeg: z.number(),
  rollDeg: z.number(),
  headingDeg: z.number().nullable(),
  heightM: z.number().nullable(),
  uncertainty: z.object({
    focalLengthMm: half,
    tiltDeg: z.number(),
    rollDeg: z.number(),
    headingDeg: half,
    heightM: half,
  }),
});
export type PictureCameraRecord = z.infer<typeof pictureCameraSchema>;

/** A camera as it was measured from the strokes on a plate of its take. */
export const plateCameraSchema = z.object({
  ...recordFields,
  takeId: uuid,
  plateId: uuid,
  strokes: plateStrokesInput,
  found: pictureCameraSchema.omit({ plateCameraId: true }),
  residualPx: z.number(),
  /** With what was logged. */
  verdict: z.enum(['agrees', 'disagrees', 'cannotTell']),
  cause: z.string().nullable(),
  degenerate: z.string().nullable(),
  basis: basisSchema,
});
export type PlateCameraRecord = z.infer<typeof plateCameraSchema>;
