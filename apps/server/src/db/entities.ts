import { EntitySchema, type EntitySchemaColumnOptions } from 'typeorm';
import type {
  Calibration, CameraBody, Frame, Handoff, Job, LensRecord, LightRound, Location, Panorama, Plate, Production, Setup, ShootDay, Station, Take,
} from '@tawny/contract';

/** Every record belongs to a production. */
export type Owned<T> = T & { productionId: string };

type Kind = 'text' | 'integer' | 'float8' | 'uuid' | 'timestamptz' | 'date' | 'jsonb' | 'boolean' | 'bigint';
type Columns<T> = { [K in Exclude<keyof T, 'id' | 'version' | 'createdAt' | 'updatedAt'>]: Kind | `${Kind}?` };

/** `heightM` is the column `height_m`. */
export function columnName(property: string): string {
  return property.replace(/[A-Z]/g, (c) => `_${c.toLowerCase()}`);
}

const numberFromText = { to: (v: unknown) => v, from: (v: string | null) => (v === null ? null : Number(v)) };

function table<T extends { id: string }>(name: string, columns: Columns<T>, options: { owned?: boolean; versioned?: boolean } = {}): EntitySchema<Owned<T>> {
  const { owned = true, versioned = true } = options;
  const all: Record<string, EntitySchemaColumnOptions> = { id: { type: 'uuid', primary: true } };
  if (owned) all.productionId = { type: 'uuid', name: 'production_id' };
  for (const [property, kind] of Object.entries(columns) as [string, string][]) {
    const type = kind.replace('?', '') as Kind;
    all[property] = { type, name: columnName(property), nullable: kind.endsWith('?'), ...(type === 'bigint' ? { transformer: numberFromText } : {}) };
  }
  if (versioned) {
    all.version = { type: 'integer', default: 1 };
    all.updatedAt = { type: 'timestamptz', name: 'updated_at', updateDate: true };
  }
  all.createdAt = { type: 'timestamptz', name: 'created_at', createDate: true };
  return new EntitySchema<Owned<T>>({ name, tableName: name, columns: all as never });
}

export const Productions = table<Production>('productions', { code: 'text', title: 'text', workingSpace: 'text' }, { owned: false });
export const Locations = table<Location>('locations', { name: 'text', latitudeDeg: 'float8', longitudeDeg: 'float8', altitudeM: 'float8', zone: 'text' });
export const Days = table<ShootDay>('shoot_days', { locationId: 'uuid', number: 'integer', date: 'date', unit: 'text', callLocal: 'text', wrapLocal: 'text' });
export const Setups = table<Setup>('setups', { dayId: 'uuid', name: 'text', slate: 'text', kind: 'text', lightCondition: 'text', plannedCg: 'text', lightAt: 'timestamptz?' });
export const Bodies = table<CameraBody>('camera_bodies', { name: 'text', baseEi: 'integer', formats: 'jsonb' });
export const Lenses = table<LensRecord>('lenses', { name: 'text', focalMinMm: 'float8', focalMaxMm: 'float8', tMin: 'float8', tMax: 'float8', closeFocusM: 'float8' });
export const Takes = table<Take>('takes', {
  setupId: 'uuid', slate: 'text', take: 'integer', camera: 'text', status: 'text', bodyId: 'uuid', formatName: 'text', lensId: 'uuid', focalLengthMm: 'float8',
  tStop: 'float8', ei: 'integer', shutterAngleDeg: 'float8', fps: 'float8', whiteBalanceK: 'float8', ndStops: 'float8', heightM: 'float8', tiltDeg: 'float8',
  headingDeg: 'float8', focusM: 'float8?', eastM: 'float8', northM: 'float8', shotAt: 'timestamptz', notes: 'text',
});
export const Stations = table<Station>('stations', { setupId: 'uuid', name: 'text', eastM: 'float8', northM: 'float8', heightM: 'float8' });
export const Rounds = table<LightRound>('rounds', { stationId: 'uuid', name: 'text', lightCondition: 'text', shotAt: 'timestamptz', rig: 'jsonb' });
export type StoredFrame = Frame & { createdAt: string };
export const Frames = table<StoredFrame>('frames', {
  roundId: 'uuid', name: 'text', hash: 'text', widthPx: 'integer', heightPx: 'integer', bits: 'integer', shutterS: 'float8', fNumber: 'float8?', iso: 'float8?',
  exposure: 'float8', takenAt: 'timestamptz?',
}, { versioned: false });
export type StoredPanorama = Panorama & { floatHash: string; previewHash: string; log: string[] };
export const Panoramas = table<StoredPanorama>('panoramas', {
  roundId: 'uuid', number: 'integer', widthPx: 'integer', heightPx: 'integer', exrHash: 'text', floatHash: 'text', previewHash: 'text', dynamicRangeStops: 'float8',
  clippedSr: 'float8', uncoveredSr: 'float8', seamStops: 'float8?', illuminanceHorizontal: 'float8', meanLuminance: 'float8', framesPerView: 'integer',
  histogram: 'jsonb', sun: 'jsonb?', warnings: 'jsonb', log: 'jsonb', buildSeconds: 'float8',
});
export const Calibrations = table<Calibration>('calibrations', { panoramaId: 'uuid', number: 'integer', north: 'jsonb?', gain: 'jsonb?' });
export type StoredPlate = Plate & { previewHash: string };
export const Plates = table<StoredPlate>('plates', {
  takeId: 'uuid', name: 'text', hash: 'text', previewHash: 'text', widthPx: 'integer', heightPx: 'integer', bits: 'integer', exposure: 'float8', exposureSource: 'text',
});
export const Handoffs = table<Handoff>('handoffs', {
  setupId: 'uuid', panoramaId: 'uuid', takeId: 'uuid', number: 'integer', fileName: 'text', sizeBytes: 'bigint', hash: 'text', files: 'jsonb', missing: 'jsonb',
});
export type StoredJob = Job & { input: unknown; heartbeatAt: string | null; cancelRequested: boolean };
export const Jobs = table<StoredJob>('jobs', {
  kind: 'text', subjectId: 'uuid', state: 'text', stage: 'text', progress: 'float8', log: 'jsonb', error: 'jsonb?', resultId: 'uuid?', finishedAt: 'timestamptz?',
  input: 'jsonb', heartbeatAt: 'timestamptz?', cancelRequested: 'boolean',
}, { versioned: false });

export const ENTITIES = [Productions, Locations, Days, Setups, Bodies, Lenses, Takes, Stations, Rounds, Frames, Panoramas, Calibrations, Plates, Handoffs, Jobs];
