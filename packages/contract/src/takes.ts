import { z } from 'zod';
import { bounded, instant, positive, TIMES_FROM, title, uuid } from './common';
import { pictureCameraSchema } from './plateCamera';
import { record, recordInput } from './record';

const timecode = z
  .string()
  .regex(
    /^([01]\d|2[0-3]):[0-5]\d:[0-5]\d[:;]\d\d\d?$/,
    'Timecode is written hh:mm:ss:ff, with ; before the frames when drop-frame',
  )
  .nullable()
  .default(null);

/** What may change while the camera runs. */
export const KEYED_FIELDS = [
  'focusM',
  'focalLengthMm',
  'tStop',
  'headingDeg',
  'tiltDeg',
  'heightM',
  'eastM',
  'northM',
] as const;
const changeSchema = z.object({
  field: z.enum(KEYED_FIELDS),
  /** Seconds from the start of the take; 'end' is its end. */
  at: z.union([z.literal('start'), z.literal('end'), z.number().min(0, 'A key is at 0 s or later').max(86400)]),
  value: z.number({ error: 'A key needs a value' }),
});
export type TakeChange = z.infer<typeof changeSchema>;

export const SUPPORTS = ['lockedOff', 'handheld', 'dolly', 'crane', 'car'] as const;
export const TAKE_STATUS = ['good', 'circled', 'ng', 'wild'] as const;

const takeFields = {
  setupId: uuid,
  slate: title('Slate', 12).regex(
    /^[0-9A-Za-z][0-9A-Za-z ./-]*$/,
    'A slate is made of letters and digits, such as 14A',
  ),
  take: z
    .number({ error: 'Take must be a number' })
    .int('Takes are whole numbers')
    .min(1, 'Takes count from 1')
    .max(999, 'Takes end at 999'),
  camera: z.string().regex(/^[A-Z]$/, 'The camera is one letter, A to Z'),
  status: z.enum(TAKE_STATUS),
  bodyId: uuid,
  formatName: title('Recording format', 60),
  lensId: uuid,
  focalLengthMm: positive('Focal length', 2000, ' mm'),
  /** Measured or from lens data, not read off the barrel. */
  focalMeasured: z.boolean().default(false),
  tStop: positive('T-stop', 64),
  ei: z
    .number({ error: 'EI must be a number' })
    .int('EI is a whole number')
    .min(25, 'EI must be at least 25')
    .max(409600, 'EI must be at most 409600'),
  shutterAngleDeg: positive('Shutter angle', 360, ' degrees'),
  fps: positive('Frame rate', 2000, ' fps'),
  whiteBalanceK: bounded('White balance', 1500, 20000, ' K'),
  ndStops: bounded('ND', 0, 30, ' stops'),
  /** Null when nobody measured it: the gap list asks for it. */
  heightM: bounded('Lens height', -50, 500, ' m').nullable(),
  tiltDeg: bounded('Tilt', -90, 90, ' degrees').nullable(),
  headingDeg: bounded('Heading', 0, 360, ' degrees').nullable(),
  /** A magnetic heading is turned to true by bias and declination where it is used. */
  headingNorth: z.enum(['true', 'magnetic']).default('true'),
  focusM: positive('Focus distance', 100000, ' m').nullable(),
  /** On the plan of the set; null when nobody placed the camera. */
  eastM: bounded('East', -10000, 10000, ' m').nullable().default(null),
  northM: bounded('North', -10000, 10000, ' m').nullable().default(null),
  /** Where the panorama's station lay from the lens, along the camera's heading: paced, taped or guessed beside it. Null when nobody did. */
  stationOffset: z
    .object({
      stationId: uuid,
      aheadM: bounded('Ahead', -1000, 1000, ' m'),
      rightM: bounded('To the right', -1000, 1000, ' m'),
      upM: bounded('Up', -100, 100, ' m'),
      withinM: z.number().gt(0, 'Within more than 0 m').max(100, 'Within at most 100 m'),
    })
    .nullable()
    .default(null),
  lightCondition: z.string().trim().max(40).default(''),
  clip: z.string().trim().max(80, 'The clip name is longer than 80 characters').default(''),
  roll: z.string().trim().max(40, 'The roll name is longer than 40 characters').default(''),
  timecodeIn: timecode,
  timecodeOut: timecode,
  timecodeRate: z
    .number()
    .min(12, 'A timecode rate is 12 to 120')
    .max(120, 'A timecode rate is 12 to 120')
    .nullable()
    .default(null),
  filterIds: z.array(uuid).max(8, 'At most 8 filters').default([]),
  support: z.enum(SUPPORTS).default('lockedOff'),
  /** The plate is mirrored left to right. */
  flopped: z.boolean().default(false),
  changes: z.array(changeSchema).max(200, 'At most 200 keys').default([]),
  /** Cells whose value came from a file: field to file name. */
  fromFile: z
    .record(z.string().max(60), z.string().max(300))
    .refine((cells) => Object.keys(cells).length <= 60, 'A file fills at most 60 cells')
    .default({}),
  shotAt: instant,
  /** Of a time that a file told `fromFile` names the file. */
  shotAtFrom: z.enum(TIMES_FROM).default('logged'),
  notes: z.string().max(2000),
};
export const takeSchema = record({
  ...takeFields,
  /** What its picture told of its camera, where that was adopted: it stands before what is logged. */
  pictureCamera: pictureCameraSchema.nullable(),
});
export const takeInput = recordInput(takeFields);
export type Take = z.infer<typeof takeSchema>;
export type TakeInput = z.infer<typeof takeInput>;
