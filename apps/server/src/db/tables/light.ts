import type { Calibration, Frame, LightRound, Panorama, Station } from '@tawny/contract';
import { table } from '../table';

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
