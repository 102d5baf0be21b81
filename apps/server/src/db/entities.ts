import { EntitySchema, type EntitySchemaColumnOptions } from 'typeorm';
import type {
  Calibration,
  CameraBody,
  CameraClock,
  Clip,
  EyeLine,
  FilterRecord,
  Frame,
  Handoff,
  InstrumentRecord,
  Job,
  KitCurve,
  LampRecord,
  LensRecord,
  LightRound,
  Location,
  Panorama,
  PanoramaRig,
  PictureDecoding,
  PlanMark,
  PlanMeasure,
  Plate,
  Production,
  Reading,
  Reference,
  ReferenceObject,
  Setup,
  ShootDay,
  Station,
  Take,
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

function table<T extends { id: string }>(
  name: string,
  columns: Columns<T>,
  options: { owned?: boolean; versioned?: boolean } = {},
): EntitySchema<Owned<T>> {
  const { owned = true, versioned = true } = options;
  const all: Record<string, EntitySchemaColumnOptions> = { id: { type: 'uuid', primary: true } };
  if (owned) all.productionId = { type: 'uuid', name: 'production_id' };
  for (const [property, kind] of Object.entries(columns) as [string, string][]) {
    const type = kind.replace('?', '') as Kind;
    all[property] = {
      type,
      name: columnName(property),
      nullable: kind.endsWith('?'),
      ...(type === 'bigint' ? { transformer: numberFromText } : {}),
    };
  }
  if (versioned) {
    all.version = { type: 'integer', default: 1 };
    all.updatedAt = { type: 'timestamptz', name: 'updated_at', updateDate: true };
    // Removed records stay: removing can be undone, and what refers to them keeps its meaning.
    all.removedAt = { type: 'timestamptz', name: 'removed_at', nullable: true, deleteDate: true, select: false };
  }
  all.createdAt = { type: 'timestamptz', name: 'created_at', createDate: true };
  return new EntitySchema<Owned<T>>({ name, tableName: name, columns: all as never });
}

export const Productions = table<Production>(
  'productions',
  { code: 'text', title: 'text', workingSpace: 'text' },
  { owned: false },
);
export const Locations = table<Location>('locations', {
  name: 'text',
  latitudeDeg: 'float8',
  longitudeDeg: 'float8',
  altitudeM: 'float8',
  zone: 'text',
  skyline: 'jsonb',
});
export const Days = table<ShootDay>('shoot_days', {
  locationId: 'uuid',
  number: 'integer',
  date: 'date',
  unit: 'text',
  callLocal: 'text',
  wrapLocal: 'text',
  weather: 'text',
});
export const Setups = table<Setup>('setups', {
  dayId: 'uuid',
  name: 'text',
  slate: 'text',
  kind: 'text',
  lightCondition: 'text',
  lightConditions: 'jsonb',
  plannedCg: 'text',
  cgEastM: 'float8?',
  cgNorthM: 'float8?',
  cgHeightM: 'float8?',
  needs: 'jsonb',
  driftLimitDeg: 'float8',
  ageLimitMin: 'float8',
  done: 'boolean',
  lightAt: 'timestamptz?',
});
export const CameraClocks = table<CameraClock>('camera_clocks', {
  dayId: 'uuid',
  camera: 'text',
  offsetS: 'float8',
  uncertaintyS: 'float8',
  source: 'text',
  referenceId: 'uuid?',
});
export const Bodies = table<CameraBody>('camera_bodies', {
  name: 'text',
  serial: 'text',
  baseEi: 'integer',
  formats: 'jsonb',
});
export const Lenses = table<LensRecord>('lenses', {
  name: 'text',
  serial: 'text',
  kind: 'text',
  focalMinMm: 'float8',
  focalMaxMm: 'float8',
  tMin: 'float8',
  tMax: 'float8',
  closeFocusM: 'float8',
  squeeze: 'float8',
  transmission: 'float8',
  projection: 'text',
  fovDeg: 'float8?',
  entrancePupil: 'jsonb',
  distortion: 'jsonb?',
});
export const Rigs = table<PanoramaRig>('panorama_rigs', {
  name: 'text',
  serial: 'text',
  kind: 'text',
  bodyId: 'uuid?',
  lensId: 'uuid?',
  statement: 'jsonb',
});
export const Curves = table<KitCurve>('curves', {
  name: 'text',
  fileName: 'text',
  hash: 'text',
  input: 'text?',
  output: 'text?',
});
export const Filters = table<FilterRecord>('filters', {
  name: 'text',
  serial: 'text',
  kind: 'text',
  density: 'float8',
  measuredDensity: 'jsonb?',
  measuredOn: 'date?',
});
export const Instruments = table<InstrumentRecord>('instruments', {
  name: 'text',
  serial: 'text',
  kind: 'text',
  bias: 'float8',
  sigma: 'float8',
  constant: 'float8?',
  receptor: 'text?',
  calibratedOn: 'date?',
});
export const ReferenceObjects = table<ReferenceObject>('reference_objects', {
  name: 'text',
  serial: 'text',
  kind: 'text',
  reflectance: 'float8?',
  diameterMm: 'float8?',
  heightM: 'float8?',
  patches: 'jsonb',
  measuredOn: 'date?',
});
export const Takes = table<Take>('takes', {
  setupId: 'uuid',
  slate: 'text',
  take: 'integer',
  camera: 'text',
  status: 'text',
  bodyId: 'uuid',
  formatName: 'text',
  lensId: 'uuid',
  focalLengthMm: 'float8',
  focalMeasured: 'boolean',
  tStop: 'float8',
  ei: 'integer',
  shutterAngleDeg: 'float8',
  fps: 'float8',
  whiteBalanceK: 'float8',
  ndStops: 'float8',
  heightM: 'float8?',
  tiltDeg: 'float8?',
  headingDeg: 'float8?',
  headingNorth: 'text',
  focusM: 'float8?',
  eastM: 'float8',
  northM: 'float8',
  lightCondition: 'text',
  clip: 'text',
  roll: 'text',
  timecodeIn: 'text?',
  timecodeOut: 'text?',
  timecodeRate: 'float8?',
  filterIds: 'jsonb',
  support: 'text',
  flopped: 'boolean',
  changes: 'jsonb',
  fromFile: 'jsonb',
  shotAt: 'timestamptz',
  notes: 'text',
});
export const Readings = table<Reading>('readings', {
  setupId: 'uuid',
  stationId: 'uuid?',
  takeId: 'uuid?',
  referenceId: 'uuid?',
  kind: 'text',
  shown: 'float8',
  duv: 'float8?',
  instrumentId: 'uuid?',
  receptor: 'text?',
  planeAzimuthDeg: 'float8?',
  planeElevationDeg: 'float8?',
  lightCondition: 'text',
  takenAt: 'timestamptz',
  source: 'text',
  notes: 'text',
});
/** What is known of the meaning of code values: by the file, and by a person. */
export interface StoredDecoding {
  fileDecoding: PictureDecoding | null;
  fileDecodingSource: string;
  enteredDecoding: PictureDecoding | null;
}
const DECODING = { fileDecoding: 'jsonb?', fileDecodingSource: 'text', enteredDecoding: 'jsonb?' } as const;

export type StoredReference = Omit<Reference, 'lacks' | 'decoding'> & StoredDecoding & { previewHash: string };
export const References = table<StoredReference>('set_references', {
  setupId: 'uuid',
  takeId: 'uuid?',
  lensId: 'uuid?',
  objectId: 'uuid?',
  kind: 'text',
  lightCondition: 'text',
  name: 'text',
  hash: 'text',
  previewHash: 'text',
  widthPx: 'integer',
  heightPx: 'integer',
  shutterS: 'float8?',
  fNumber: 'float8?',
  iso: 'float8?',
  takenAt: 'timestamptz',
  takenAtFrom: 'text',
  ...DECODING,
});
export const Lamps = table<LampRecord>('lamp_records', {
  setupId: 'uuid',
  name: 'text',
  kind: 'text',
  role: 'text',
  eastM: 'float8?',
  northM: 'float8?',
  heightM: 'float8?',
  aimAzimuthDeg: 'float8?',
  aimElevationDeg: 'float8?',
  beamDeg: 'float8?',
  filter: 'text',
  dimmerPercent: 'float8',
  onIn: 'jsonb',
  side: 'text?',
});
export const EyeLines = table<EyeLine>('eye_lines', {
  setupId: 'uuid',
  takeId: 'uuid?',
  who: 'text',
  eye: 'jsonb',
  target: 'jsonb',
  standInHeightM: 'float8?',
});
export const PlanMarks = table<PlanMark>('plan_marks', {
  setupId: 'uuid',
  name: 'text',
  kind: 'text',
  fixed: 'boolean',
  eastM: 'float8',
  northM: 'float8',
});
export const PlanMeasures = table<PlanMeasure>('plan_measures', {
  setupId: 'uuid',
  fromMarkId: 'uuid',
  toMarkId: 'uuid',
  kind: 'text',
  value: 'float8',
  sigma: 'float8',
});
export const Stations = table<Station>('stations', {
  setupId: 'uuid',
  name: 'text',
  eastM: 'float8',
  northM: 'float8',
  heightM: 'float8',
});
export const Rounds = table<LightRound>('rounds', {
  stationId: 'uuid',
  name: 'text',
  lightCondition: 'text',
  shotAt: 'timestamptz',
  shotAtFrom: 'text',
  shotAtUncertaintyS: 'float8?',
  shotAtSource: 'text',
  rigId: 'uuid?',
  northUnknown: 'boolean',
  rig: 'jsonb',
  manualViews: 'jsonb?',
  viewChecks: 'jsonb?',
});
export type StoredFrame = Frame & { createdAt: string };
export const Frames = table<StoredFrame>(
  'frames',
  {
    roundId: 'uuid',
    name: 'text',
    hash: 'text',
    widthPx: 'integer',
    heightPx: 'integer',
    bits: 'integer',
    shutterS: 'float8?',
    fNumber: 'float8?',
    iso: 'float8?',
    exposure: 'float8',
    takenAt: 'timestamptz?',
    zoneFrom: 'text?',
    fileDecoding: 'jsonb?',
    fileDecodingSource: 'text',
    look: 'jsonb?',
    headingDeg: 'float8?',
    tiltDeg: 'float8?',
    rollDeg: 'float8?',
  },
  { versioned: false },
);
export type StoredPanorama = Omit<Panorama, 'basis'> & { floatHash: string; previewHash: string };
export const Panoramas = table<StoredPanorama>('panoramas', {
  roundId: 'uuid',
  number: 'integer',
  space: 'text',
  widthPx: 'integer',
  heightPx: 'integer',
  exrHash: 'text',
  measureHash: 'text?',
  floatHash: 'text',
  previewHash: 'text',
  dynamicRangeStops: 'float8',
  clippedSr: 'float8',
  uncoveredSr: 'float8',
  seamStops: 'float8?',
  illuminanceHorizontal: 'float8',
  meanLuminance: 'float8',
  framesPerView: 'integer',
  histogram: 'jsonb',
  sun: 'jsonb?',
  sunFrameId: 'uuid?',
  warnings: 'jsonb',
  checks: 'jsonb',
  options: 'jsonb',
  moved: 'jsonb',
  levelDeg: 'float8?',
  learned: 'jsonb?',
  log: 'jsonb',
  buildSeconds: 'float8',
});
export type StoredCalibration = Omit<Calibration, 'basis'>;
export const Calibrations = table<StoredCalibration>('calibrations', {
  panoramaId: 'uuid',
  number: 'integer',
  orientation: 'jsonb?',
  scale: 'jsonb?',
  colour: 'jsonb?',
  reason: 'text',
});
/** Shutter and ISO as the file states them; null where the log decides. */
export type StoredPlate = Omit<Plate, 'decoding'> &
  StoredDecoding & { previewHash: string; shutterS: number | null; iso: number | null };
export const Plates = table<StoredPlate>('plates', {
  takeId: 'uuid',
  name: 'text',
  hash: 'text',
  previewHash: 'text',
  widthPx: 'integer',
  heightPx: 'integer',
  bits: 'integer',
  shutterS: 'float8?',
  iso: 'float8?',
  exposure: 'float8',
  exposureSource: 'text',
  ...DECODING,
});
export type StoredClip = Omit<Clip, 'decoding'> & StoredDecoding;
export const Clips = table<StoredClip>('clips', {
  takeId: 'uuid',
  name: 'text',
  kind: 'text',
  hash: 'text?',
  widthPx: 'integer',
  heightPx: 'integer',
  fps: 'float8',
  frames: 'integer',
  startTimecode: 'text?',
  stripFrames: 'jsonb',
  ...DECODING,
});
/** Frames of a clip: of a sequence all, of a video those that are looked through. */
export type ClipFrame = {
  id: string;
  createdAt: string;
  clipId: string;
  number: number;
  hash: string | null;
  previewHash: string;
};
export const ClipFrames = table<ClipFrame>(
  'clip_frames',
  { clipId: 'uuid', number: 'integer', hash: 'text?', previewHash: 'text' },
  { versioned: false },
);
export type StoredHandoff = Omit<Handoff, 'basis'>;
export const Handoffs = table<StoredHandoff>('handoffs', {
  setupId: 'uuid',
  panoramaId: 'uuid',
  takeId: 'uuid',
  number: 'integer',
  fileName: 'text',
  sizeBytes: 'bigint',
  hash: 'text',
  files: 'jsonb',
  missing: 'jsonb',
});
export type StoredJob = Omit<Job, 'ahead'> & {
  input: unknown;
  worker: string | null;
  leaseUntil: string | null;
  background: boolean;
  cancelRequested: boolean;
};
export const Jobs = table<StoredJob>(
  'jobs',
  {
    kind: 'text',
    subjectId: 'uuid',
    state: 'text',
    stage: 'text',
    progress: 'float8',
    log: 'jsonb',
    error: 'jsonb?',
    resultId: 'uuid?',
    finishedAt: 'timestamptz?',
    input: 'jsonb',
    worker: 'text?',
    leaseUntil: 'timestamptz?',
    attempt: 'integer',
    background: 'boolean',
    cancelRequested: 'boolean',
  },
  { versioned: false },
);

export const ENTITIES = [
  Productions,
  Locations,
  Days,
  Setups,
  CameraClocks,
  Bodies,
  Lenses,
  Rigs,
  Curves,
  Filters,
  Instruments,
  ReferenceObjects,
  Takes,
  Readings,
  References,
  Lamps,
  EyeLines,
  PlanMarks,
  PlanMeasures,
  Stations,
  Rounds,
  Frames,
  Panoramas,
  Calibrations,
  Plates,
  Clips,
  ClipFrames,
  Handoffs,
  Jobs,
];
