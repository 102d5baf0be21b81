import type {
  CameraBody,
  FilterRecord,
  InstrumentRecord,
  KitCurve,
  LensRecord,
  PanoramaRig,
  ReferenceObject,
} from '@tawny/contract';
import { table } from '../table';

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
  transmission: 'float8?',
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
