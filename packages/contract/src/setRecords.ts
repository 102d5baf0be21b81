import { z } from 'zod';
import { bounded, instant, positive, TIMES_FROM, title, uuid } from './common';
import { decodingSchema, statedDecodingSchema } from './decoding';
import { record, recordInput } from './record';

export const READING_KINDS = {
  lux: { title: 'Illuminance', unit: 'lux', low: 0, high: 200000 },
  spot: { title: 'Luminance', unit: 'cd/m²', low: 0, high: 2e9 },
  colourTemperature: { title: 'Colour temperature', unit: 'K', low: 1000, high: 40000 },
  compass: { title: 'Compass bearing', unit: '°', low: 0, high: 360 },
  tilt: { title: 'Tilt', unit: '°', low: -90, high: 90 },
  distance: { title: 'Distance', unit: 'm', low: 0, high: 10000 },
  height: { title: 'Height', unit: 'm', low: -50, high: 500 },
  east: { title: 'East of origin', unit: 'm', low: -10000, high: 10000 },
  north: { title: 'North of origin', unit: 'm', low: -10000, high: 10000 },
} as const;
export type ReadingKind = keyof typeof READING_KINDS;

const readingFields = {
  setupId: uuid,
  stationId: uuid.nullable().default(null),
  takeId: uuid.nullable().default(null),
  referenceId: uuid.nullable().default(null),
  kind: z.enum(Object.keys(READING_KINDS) as [ReadingKind, ...ReadingKind[]]),
  /** As the instrument showed it, in the unit of its kind; bias and declination are not yet taken off. */
  shown: z.number({ error: 'The reading must be a number' }),
  /** Distance of the colour from the Planckian locus, for colour temperatures. */
  duv: bounded('Duv', -0.1, 0.1, '').nullable().default(null),
  instrumentId: uuid.nullable().default(null),
  receptor: z.enum(['flat', 'dome']).nullable().default(null),
  /** Direction that the receptor's plane faces, for lux. */
  planeAzimuthDeg: bounded('Plane azimuth', 0, 360, ' degrees').nullable().default(null),
  planeElevationDeg: bounded('Plane elevation', -90, 90, ' degrees').nullable().default(null),
  lightCondition: z.string().trim().max(40).default(''),
  takenAt: instant,
  takenAtFrom: z.enum(TIMES_FROM).default('logged'),
  source: z.enum(['entered', 'device', 'simulated']).default('entered'),
  notes: z.string().max(500).default(''),
};
export const readingSchema = record(readingFields);
export const readingInput = recordInput(readingFields).superRefine((r, c) => {
  const { title: name, unit, low, high } = READING_KINDS[r.kind];
  if (r.shown < low || r.shown > high)
    c.addIssue({
      code: 'custom',
      path: ['shown'],
      message: `${name} is between ${low} and ${high} ${unit}, not ${r.shown}`,
    });
});
export type Reading = z.infer<typeof readingSchema>;

/** Whether it is known where a plane faced or a meter was pointed: straight up and down need no azimuth. */
export const facingKnown = (r: Pick<Reading, 'planeAzimuthDeg' | 'planeElevationDeg'>): boolean =>
  r.planeElevationDeg !== null && (r.planeAzimuthDeg !== null || Math.abs(r.planeElevationDeg) === 90);

export const REFERENCE_KINDS = {
  greyCard: 'Grey card',
  chart: 'Colour chart',
  greyBall: 'Grey ball',
  chromeBall: 'Chrome ball',
  cleanPlate: 'Clean plate',
  lensGrid: 'Lens grid',
  setPhoto: 'Set photo',
  clock: 'Clock',
} as const;
export type ReferenceKind = keyof typeof REFERENCE_KINDS;
export const referenceKind = z.enum(Object.keys(REFERENCE_KINDS) as [ReferenceKind, ...ReferenceKind[]]);

const referenceFields = {
  setupId: uuid,
  takeId: uuid.nullable(),
  lensId: uuid.nullable(),
  objectId: uuid.nullable(),
  kind: referenceKind,
  lightCondition: z.string(),
  name: z.string(),
  hash: z.string(),
  widthPx: z.number(),
  heightPx: z.number(),
  shutterS: z.number().nullable(),
  fNumber: z.number().nullable(),
  iso: z.number().nullable(),
  takenAt: z.string(),
  /** Whether `takenAt` is the camera's own clock or when the file arrived. */
  takenAtFrom: z.enum(['file', 'arrival']),
};
/** A photograph made to be measured. */
export const referenceSchema = record({
  ...referenceFields,
  decoding: statedDecodingSchema,
  lacks: z.array(z.string()),
});
export type Reference = z.infer<typeof referenceSchema>;
export const referenceChange = z
  .object({
    takeId: uuid.nullable(),
    lensId: uuid.nullable(),
    objectId: uuid.nullable(),
    kind: referenceKind,
    lightCondition: z.string().trim().max(40),
    /** As of a plate. */
    decoding: decodingSchema.nullable(),
  })
  .partial()
  .extend({ version: z.number().int().positive() });
/** Query of an upload of references. */
export const referenceUpload = z.object({
  setupId: uuid,
  kind: referenceKind,
  takeId: uuid.optional(),
  lensId: uuid.optional(),
  objectId: uuid.optional(),
  lightCondition: z.string().max(40).optional(),
  takenAt: instant.optional(),
});

/** A clean plate or repeat against its take. */
export const comparisonSchema = z.object({
  shiftXPx: z.number(),
  shiftYPx: z.number(),
  shiftPx: z.number(),
  shiftUncertaintyPx: z.number(),
  exposureStops: z.number(),
  exposureUncertaintyStops: z.number(),
  moved: z.boolean(),
  widthPx: z.number(),
  againstPlateId: uuid,
});
export type Comparison = z.infer<typeof comparisonSchema>;

const lampFields = {
  setupId: uuid,
  name: title('Name', 60),
  kind: z.enum(['fresnel', 'openFace', 'softbox', 'panel', 'tube', 'practical', 'bounce', 'window']),
  role: z.enum(['key', 'fill', 'back', 'practical']),
  eastM: bounded('East', -10000, 10000, ' m').nullable().default(null),
  northM: bounded('North', -10000, 10000, ' m').nullable().default(null),
  heightM: bounded('Height', -50, 500, ' m').nullable().default(null),
  aimAzimuthDeg: bounded('Aim azimuth', 0, 360, ' degrees').nullable().default(null),
  aimElevationDeg: bounded('Aim elevation', -90, 90, ' degrees').nullable().default(null),
  beamDeg: bounded('Beam angle', 1, 180, ' degrees').nullable().default(null),
  filter: z.string().max(80).default(''),
  dimmerPercent: bounded('Dimmer', 0, 100, ' %').default(100),
  /** Light conditions in which it burns. */
  onIn: z.array(z.string().max(40)).max(20).default([]),
  side: z.enum(['left', 'right', 'behind', 'ahead', 'above']).nullable().default(null),
};
export const lampSchema = record(lampFields);
export const lampInput = recordInput(lampFields);
export type LampRecord = z.infer<typeof lampSchema>;

const point = {
  eastM: bounded('East', -10000, 10000, ' m'),
  northM: bounded('North', -10000, 10000, ' m'),
  heightM: bounded('Height', -50, 500, ' m'),
};
const eyeLineFields = {
  setupId: uuid,
  takeId: uuid.nullable().default(null),
  who: title('Who', 60),
  eye: z.object(point),
  target: z.object(point),
  standInHeightM: positive('Stand-in height', 20, ' m').nullable().default(null),
};
export const eyeLineSchema = record(eyeLineFields);
export const eyeLineInput = recordInput(eyeLineFields);
export type EyeLine = z.infer<typeof eyeLineSchema>;

const markFields = {
  setupId: uuid,
  name: title('Name', 40),
  kind: z.enum(['mark', 'camera', 'station', 'lamp', 'cg']),
  /** Known beforehand: the solution holds it. */
  fixed: z.boolean().default(false),
  eastM: bounded('East', -10000, 10000, ' m'),
  northM: bounded('North', -10000, 10000, ' m'),
};
export const planMarkSchema = record(markFields);
export const planMarkInput = recordInput(markFields);
export type PlanMark = z.infer<typeof planMarkSchema>;

const measureFields = {
  setupId: uuid,
  fromMarkId: uuid,
  toMarkId: uuid,
  kind: z.enum(['distance', 'bearing']),
  /** Metres on the level, or degrees from true north. */
  value: z.number({ error: 'The measurement must be a number' }),
  sigma: z.number({ error: 'Uncertainty must be a number' }).gt(0, 'Uncertainty must be more than 0'),
};
export const planMeasureSchema = record(measureFields);
export const planMeasureInput = recordInput(measureFields)
  .refine((m) => m.fromMarkId !== m.toMarkId, {
    path: ['toMarkId'],
    message: 'A measurement goes from one mark to another',
  })
  .refine((m) => (m.kind === 'distance' ? m.value > 0 && m.value < 10000 : m.value >= 0 && m.value <= 360), {
    path: ['value'],
    message: 'A distance is 0 to 10000 m, a bearing 0 to 360 degrees',
  });
export type PlanMeasure = z.infer<typeof planMeasureSchema>;

/** What a simulated instrument is pointed at. */
export const simulatedReadingInput = z.object({
  setupId: uuid,
  kind: z.enum(Object.keys(READING_KINDS) as [ReadingKind, ...ReadingKind[]]),
  instrumentId: uuid.nullable(),
  stationId: uuid.nullable(),
  takeId: uuid.nullable(),
  at: instant,
  lightCondition: z.string().max(40),
  planeAzimuthDeg: z.number().min(0).max(360).default(0),
  planeElevationDeg: z.number().min(-90).max(90).default(90),
});
