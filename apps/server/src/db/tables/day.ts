import type { CameraClock, Location, Production, Setup, ShootDay } from '@tawny/contract';
import { table } from '../table';

/** Productions, and where and when they shoot. */
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
  rigId: 'uuid?',
  offsetS: 'float8',
  uncertaintyS: 'float8',
  source: 'text',
  referenceId: 'uuid?',
});
