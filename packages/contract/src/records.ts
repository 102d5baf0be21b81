import { z } from 'zod';
import { altitudeM, bounded, instant, latitudeDeg, longitudeDeg, positive, recordFields, title, uuid } from './common';

const record = <S extends z.ZodRawShape>(shape: S) => z.object({ ...recordFields, ...shape });

export const productionSchema = record({
  code: z.string().regex(/^[A-Z0-9]{2,8}$/, 'A production code is 2 to 8 capitals or digits'),
  title: title('Title'),
  workingSpace: z.enum(['rec709', 'acescg']),
});
export type Production = z.infer<typeof productionSchema>;

const locationFields = {
  name: title('Name'),
  latitudeDeg,
  longitudeDeg,
  altitudeM,
  /** IANA zone; found from the coordinates when left out. */
  zone: z.string().min(1).max(64),
};
export const locationSchema = record(locationFields);
export const locationInput = z.object({ id: uuid, ...locationFields, zone: locationFields.zone.optional() });
export type Location = z.infer<typeof locationSchema>;

const dayFields = {
  locationId: uuid,
  number: z.number().int().min(1).max(400),
  date: z.iso.date('A date is written YYYY-MM-DD'),
  unit: title('Unit', 40),
  callLocal: z.string().regex(/^\d\d:\d\d$/, 'Call is a time such as 07:30'),
  wrapLocal: z.string().regex(/^\d\d:\d\d$/, 'Wrap is a time such as 18:00'),
};
export const daySchema = record(dayFields);
export const dayInput = z.object({ id: uuid, ...dayFields });
export type ShootDay = z.infer<typeof daySchema>;

const setupFields = {
  dayId: uuid,
  name: title('Name'),
  slate: title('Slate', 12),
  kind: z.enum(['exterior', 'interior']),
  lightCondition: title('Light condition', 40),
  plannedCg: z.string().max(300),
  /** When its light is wanted. */
  lightAt: instant.nullable(),
};
export const setupSchema = record(setupFields);
export const setupInput = z.object({ id: uuid, ...setupFields });
export type Setup = z.infer<typeof setupSchema>;

const formatSchema = z.object({
  name: title('Format', 60),
  gateWidthMm: positive('Gate width', 100, ' mm'),
  gateHeightMm: positive('Gate height', 100, ' mm'),
  widthPx: z.number().int().min(16).max(20000),
  heightPx: z.number().int().min(16).max(20000),
  maxFps: positive('Maximum fps', 2000),
});
export type RecordingFormat = z.infer<typeof formatSchema>;

const bodyFields = { name: title('Name'), baseEi: z.number().int().min(25).max(102400), formats: z.array(formatSchema).min(1) };
export const bodySchema = record(bodyFields);
export const bodyInput = z.object({ id: uuid, ...bodyFields });
export type CameraBody = z.infer<typeof bodySchema>;

const lensFields = {
  name: title('Name'),
  focalMinMm: positive('Focal length', 2000, ' mm'),
  focalMaxMm: positive('Focal length', 2000, ' mm'),
  tMin: positive('Widest T-stop', 64),
  tMax: positive('Smallest T-stop', 64),
  closeFocusM: positive('Close focus', 100, ' m'),
};
export const lensSchema = record(lensFields);
export const lensInput = z.object({ id: uuid, ...lensFields });
export type LensRecord = z.infer<typeof lensSchema>;

const takeFields = {
  setupId: uuid,
  slate: title('Slate', 12),
  take: z.number().int().min(1, 'Takes count from 1').max(999),
  camera: z.string().regex(/^[A-Z]$/, 'The camera is one letter, A to Z'),
  status: z.enum(['good', 'circled', 'ng', 'wild']),
  bodyId: uuid,
  formatName: title('Recording format', 60),
  lensId: uuid,
  focalLengthMm: positive('Focal length', 2000, ' mm'),
  tStop: positive('T-stop', 64),
  ei: z.number().int().min(25, 'EI must be at least 25').max(409600),
  shutterAngleDeg: positive('Shutter angle', 360, ' degrees'),
  fps: positive('Frame rate', 2000, ' fps'),
  whiteBalanceK: bounded('White balance', 1500, 20000, ' K'),
  ndStops: bounded('ND', 0, 30, ' stops'),
  heightM: bounded('Lens height', -50, 500, ' m'),
  tiltDeg: bounded('Tilt', -90, 90, ' degrees'),
  headingDeg: bounded('Heading', 0, 360, ' degrees'),
  focusM: positive('Focus distance', 100000, ' m').nullable(),
  eastM: bounded('East', -10000, 10000, ' m'),
  northM: bounded('North', -10000, 10000, ' m'),
  shotAt: instant,
  notes: z.string().max(2000),
};
export const takeSchema = record(takeFields);
export const takeInput = z.object({ id: uuid, ...takeFields });
export type Take = z.infer<typeof takeSchema>;
export type TakeInput = z.infer<typeof takeInput>;

const stationFields = {
  setupId: uuid,
  name: title('Name', 60),
  eastM: bounded('East', -10000, 10000, ' m'),
  northM: bounded('North', -10000, 10000, ' m'),
  heightM: bounded('Height', -50, 500, ' m'),
};
export const stationSchema = record(stationFields);
export const stationInput = z.object({ id: uuid, ...stationFields });
export type Station = z.infer<typeof stationSchema>;

export const rigSchema = z.object({
  projection: z.enum(['equidistant', 'equisolid', 'stereographic', 'orthographic', 'rectilinear', 'latlong']),
  fovDeg: z.number().gt(1, 'The field of view must be more than 1 degree').max(360, 'The field of view must be at most 360 degrees'),
  fovAcross: z.enum(['longSide', 'width', 'height', 'diagonal', 'circle']).optional(),
  views: z.number().int('Views are counted in whole numbers').min(1, 'At least one view').max(60, 'At most 60 views'),
  ndStops: bounded('ND on the rig', 0, 30, ' stops').optional(),
  transmission: z.number().min(0.05).max(1).optional(),
  curve: z.enum(['srgb', 'linear', 'gamma22']).optional(),
  tiltDeg: bounded('Tilt', -90, 90, ' degrees').optional(),
  anticlockwise: z.boolean().optional(),
});
export type RigStatement = z.infer<typeof rigSchema>;

const roundFields = {
  stationId: uuid,
  name: title('Name', 60),
  lightCondition: title('Light condition', 40),
  /** Middle of the round. */
  shotAt: instant,
  rig: rigSchema,
};
export const roundSchema = record(roundFields);
export const roundInput = z.object({ id: uuid, ...roundFields });
export type LightRound = z.infer<typeof roundSchema>;

/** Partial change of a record: any of its fields and the version that was seen. */
export const changeOf = <S extends z.ZodObject>(input: S) => input.omit({ id: true } as never).partial().extend({ version: z.number().int().positive() });
