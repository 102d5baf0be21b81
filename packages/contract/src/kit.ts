import { z } from 'zod';
import { MOST_DEPARTURE, RESPONSE_KNOTS } from '@tawny/core/merge/responseTables';
import { decodingSchema, namedCurveSchema } from './decoding';
import { bounded, calendarDate, positive, title, uuid } from './common';
import { record, recordInput } from './record';

const serial = z.string().max(40, 'The serial number is longer than 40 characters').default('');
const squeeze = z
  .number({ error: 'Squeeze must be a number' })
  .min(1, 'Squeeze is 1 for spherical, up to 2 for anamorphic')
  .max(2, 'Squeeze is 1 for spherical, up to 2 for anamorphic')
  .default(1);

const formatSchema = z.object({
  name: title('Format', 60),
  /** Used window of the sensor. */
  gateWidthMm: positive('Gate width', 100, ' mm'),
  gateHeightMm: positive('Gate height', 100, ' mm'),
  widthPx: z
    .number()
    .int('Recorded width is a whole number of pixels')
    .min(16, 'Recorded width must be at least 16 px')
    .max(20000, 'Recorded width must be at most 20000 px'),
  heightPx: z
    .number()
    .int('Recorded height is a whole number of pixels')
    .min(16, 'Recorded height must be at least 16 px')
    .max(20000, 'Recorded height must be at most 20000 px'),
  maxFps: positive('Maximum fps', 2000),
  squeeze,
  circleOfConfusionMm: positive('Circle of confusion', 1, ' mm').default(0.025),
  /** What code values of its files mean where they do not say it themselves; null: nobody stated it. */
  decoding: decodingSchema.nullable().default(null),
});
export type RecordingFormat = z.infer<typeof formatSchema>;

const bodyFields = {
  name: title('Name'),
  serial,
  baseEi: z
    .number({ error: 'Base EI must be a number' })
    .int('EI is a whole number')
    .min(25, 'EI must be at least 25')
    .max(102400, 'EI must be at most 102400'),
  formats: z.array(formatSchema).min(1, 'A camera body needs at least one recording format'),
};
export const bodySchema = record(bodyFields);
export const bodyInput = recordInput(bodyFields);
export type CameraBody = z.infer<typeof bodySchema>;

export const PROJECTIONS = [
  'equidistant',
  'equisolid',
  'stereographic',
  'orthographic',
  'rectilinear',
  'latlong',
] as const;

const coefficient = z
  .number({ error: 'A distortion coefficient must be a number' })
  .min(-10, 'A distortion coefficient is between -10 and 10')
  .max(10, 'A distortion coefficient is between -10 and 10');

const lensFields = {
  name: title('Name'),
  serial,
  kind: z.enum(['prime', 'zoom', 'fisheye']).default('prime'),
  focalMinMm: positive('Focal length', 2000, ' mm'),
  focalMaxMm: positive('Focal length', 2000, ' mm'),
  tMin: positive('Widest T-stop', 64),
  tMax: positive('Smallest T-stop', 64),
  closeFocusM: positive('Close focus', 100, ' m'),
  squeeze,
  /** Light that gets through: T = f / sqrt(transmission). Null while nobody stated it: then no T-stop is made of an f-number. */
  transmission: z
    .number({ error: 'Transmission must be a number' })
    .min(0.05, 'Transmission is between 0.05 and 1')
    .max(1, 'Transmission is between 0.05 and 1')
    .nullable()
    .default(null),
  projection: z.enum(PROJECTIONS).default('rectilinear'),
  fovDeg: bounded('Field of view', 1, 360, ' degrees').nullable().default(null),
  /** Brown-Conrady on normalised coordinates, ideal to distorted, in the order k1 k2 p1 p2 k3, with the focal length at which it was solved; null until it is. */
  distortion: z
    .object({
      focalMm: positive('Focal length', 2000, ' mm'),
      idealToDistorted: z.tuple([coefficient, coefficient, coefficient, coefficient, coefficient]),
      solvedOn: calendarDate.nullable(),
    })
    .nullable()
    .default(null),
  /** Distance from the sensor plane forward to the entrance pupil at focal lengths; between them linear. */
  entrancePupil: z
    .array(
      z.object({
        focalMm: positive('Focal length', 2000, ' mm'),
        distanceMm: bounded('Entrance pupil', -500, 1000, ' mm'),
      }),
    )
    .max(20)
    .default([]),
};
export const lensSchema = record(lensFields);
export const lensInput = recordInput(lensFields)
  .refine((l) => l.focalMaxMm >= l.focalMinMm, {
    path: ['focalMaxMm'],
    message: 'The longest focal length is shorter than the shortest',
  })
  .refine((l) => l.tMax >= l.tMin, { path: ['tMax'], message: 'The smallest stop is wider than the widest' })
  .refine((l) => l.kind !== 'prime' || l.focalMaxMm === l.focalMinMm, {
    path: ['kind'],
    message: 'A prime has one focal length',
  });
export type LensRecord = z.infer<typeof lensSchema>;

/** What is assumed while nobody states a rig: an assumption, and said to be one wherever it is used. */
export const UNSTATED_RIG = { projection: 'equidistant', fovDeg: 185, views: 6 } as const;

const channelDepartures = z.array(z.number().min(-MOST_DEPARTURE).max(MOST_DEPARTURE)).length(RESPONSE_KNOTS);

/** Natural logarithm of relative illumination by even powers of the angle (radians), and how well it is known between middle and edge: 95 %, stops. */
export const falloffSchema = z.object({
  terms: z.tuple([z.number(), z.number(), z.number()]),
  uncertaintyStops: z.number().gt(0),
});

/** Response of a camera: its departure from a curve with a name, natural log at 22 codes, one list a channel. */
export const keptResponseSchema = z.object({
  curve: namedCurveSchema,
  departures: z.tuple([channelDepartures, channelDepartures, channelDepartures]),
});

export const rigSchema = z
  .object({
    projection: z.enum(PROJECTIONS),
    fovDeg: z
      .number()
      .gt(1, 'The field of view must be more than 1 degree')
      .max(360, 'The field of view must be at most 360 degrees'),
    fovAcross: z.enum(['longSide', 'width', 'height', 'diagonal', 'circle']).optional(),
    views: z.number().int('Views are counted in whole numbers').min(1, 'At least one view').max(60, 'At most 60 views'),
    ndStops: bounded('ND on the rig', 0, 30, ' stops').optional(),
    transmission: z.number().min(0.05).max(1).optional(),
    curve: namedCurveSchema.optional(),
    tiltDeg: bounded('Tilt', -90, 90, ' degrees').optional(),
    anticlockwise: z.boolean().optional(),
    /** Tilt rows, each all around; zenith and nadir are rows of one. Left out: one row of `views` at `tiltDeg`. */
    rows: z
      .array(
        z.object({
          tiltDeg: bounded('Tilt', -90, 90, ' degrees'),
          views: z
            .number()
            .int('Views are counted in whole numbers')
            .min(1, 'At least one view a row')
            .max(60, 'At most 60 views a row'),
        }),
      )
      .max(9, 'At most 9 rows')
      .optional(),
    /** Two image circles side by side in every frame, as one-shot cameras with two lenses write them. */
    twoCircles: z.boolean().optional(),
    /** What earlier rounds taught of the lens: its departure from the projection, and how well its focal length is known (95 %, share). */
    learned: z
      .object({
        poly: z.tuple([z.number().min(-1).max(1), z.number().min(-1).max(1)]),
        focalUncertainty: z.number().gt(0).lt(1),
        falloff: falloffSchema.nullable().optional(),
        pupilMmPerM: bounded('Entrance pupil', -200, 200, ' mm per m').optional(),
        response: keptResponseSchema.optional(),
      })
      .optional(),
    /** Measured veiling glare: light that a source throws to an angle from itself, as a share of its energy, per steradian. */
    glare: z
      .object({
        curve: z
          .array(
            z.object({
              angleDeg: bounded('Angle', 0, 180, ' degrees'),
              perSr: z.number().min(0, 'Glare is not negative').max(100),
            }),
          )
          .min(2)
          .max(64),
        measuredOn: calendarDate.nullable(),
      })
      .optional(),
    /** What its exposures are worth against nominal sensitivity, as instruments told it in one round: positive is brighter. 95 %. */
    sensitivity: z
      .object({
        stops: bounded('Sensitivity', -6, 6, ' stops'),
        uncertaintyStops: z.number().gt(0).max(6),
        measuredOn: calendarDate.nullable(),
        /** In which round: it is no witness of itself. */
        roundId: uuid.optional(),
      })
      .optional(),
  })
  .refine((r) => !r.rows || r.rows.reduce((n, row) => n + row.views, 0) === r.views, {
    path: ['rows'],
    message: 'The rows must add up to the number of views',
  });
export type RigStatement = z.infer<typeof rigSchema>;

const rigFields = {
  name: title('Name'),
  serial,
  kind: z.enum(['bodyAndLens', 'oneShot']),
  bodyId: uuid.nullable().default(null),
  lensId: uuid.nullable().default(null),
  statement: rigSchema,
};
export const panoramaRigSchema = record(rigFields);
export const panoramaRigInput = recordInput(rigFields).refine((r) => r.kind === 'oneShot' || (r.bodyId && r.lensId), {
  path: ['bodyId'],
  message: 'A rig of body and lens names both',
});
export type PanoramaRig = z.infer<typeof panoramaRigSchema>;

const density = z
  .number({ error: 'Density must be a number' })
  .min(0, 'Density is not negative')
  .max(9, 'Density must be at most 9');
const filterFields = {
  name: title('Name'),
  serial,
  kind: z.enum(['nd', 'polariser', 'diffusion', 'colour']),
  /** Engraved optical density; 0.3 is one stop. */
  density,
  /** Measured density of red, green and blue; null while only the engraving is known. */
  measuredDensity: z.tuple([density, density, density]).nullable().default(null),
  measuredOn: calendarDate.nullable().default(null),
};
export const filterSchema = record(filterFields);
export const filterInput = recordInput(filterFields);
export type FilterRecord = z.infer<typeof filterSchema>;

/** Instruments and the unit that each kind reads. */
export const INSTRUMENT_UNITS = {
  luxMeter: 'lux',
  spotMeter: 'cd/m²',
  colourMeter: 'K',
  compass: '°',
  inclinometer: '°',
  tape: 'm',
  laser: 'm',
  positioning: 'm',
} as const;
export type InstrumentKind = keyof typeof INSTRUMENT_UNITS;

const instrumentFields = {
  name: title('Name'),
  serial,
  kind: z.enum(Object.keys(INSTRUMENT_UNITS) as [InstrumentKind, ...InstrumentKind[]]),
  /** Excess of this instrument's reading, in its unit. */
  bias: z.number({ error: 'Bias must be a number' }).default(0),
  /** One-sigma uncertainty: a share of the reading for light, in its unit otherwise. */
  sigma: z.number({ error: 'Uncertainty must be a number' }).gt(0, 'Uncertainty must be more than 0'),
  /** C or K of a light meter, see CONVENTIONS.md section 3. */
  constant: z.number().positive().nullable().default(null),
  receptor: z.enum(['flat', 'dome']).nullable().default(null),
  calibratedOn: calendarDate.nullable().default(null),
};
export const instrumentSchema = record(instrumentFields);
export const instrumentInput = recordInput(instrumentFields);
export type InstrumentRecord = z.infer<typeof instrumentSchema>;

const reflectance = z
  .number({ error: 'Reflectance must be a number' })
  .gt(0, 'Reflectance must be more than 0')
  .max(1, 'Reflectance must be at most 1');
const referenceObjectFields = {
  name: title('Name'),
  serial,
  kind: z.enum(['greyCard', 'chart', 'greyBall', 'chromeBall', 'lensGrid', 'stick']),
  reflectance: reflectance.nullable().default(null),
  diameterMm: positive('Diameter', 2000, ' mm').nullable().default(null),
  heightM: positive('Height', 20, ' m').nullable().default(null),
  /** Chart patches in reading order: linear Rec. 709 reflectance. */
  patches: z
    .array(z.tuple([z.number(), z.number(), z.number()]))
    .max(48)
    .default([]),
  measuredOn: calendarDate.nullable().default(null),
};
export const referenceObjectSchema = record(referenceObjectFields);
export const referenceObjectInput = recordInput(referenceObjectFields)
  .refine((o) => o.kind !== 'greyCard' || o.reflectance !== null, {
    path: ['reflectance'],
    message: 'A grey card needs its reflectance (0.18 when it was never measured)',
  })
  .refine((o) => (o.kind !== 'greyBall' && o.kind !== 'chromeBall') || o.diameterMm !== null, {
    path: ['diameterMm'],
    message: 'A ball needs its diameter',
  })
  .refine((o) => o.kind !== 'chart' || o.patches.length === 24, {
    path: ['patches'],
    message: 'A chart has 24 patches',
  });
export type ReferenceObject = z.infer<typeof referenceObjectSchema>;
