import type { Location, ShootDay } from '@tawny/contract';
import type { FieldSpec } from '../../ui/RecordForm';

export const DAY_FIELDS: FieldSpec<Pick<ShootDay, 'unit' | 'date' | 'callLocal' | 'wrapLocal' | 'weather'>>[] = [
  { kind: 'date', name: 'date', label: 'Date' },
  { kind: 'time', name: 'callLocal', label: 'Call' },
  { kind: 'time', name: 'wrapLocal', label: 'Wrap' },
  { kind: 'text', name: 'unit', label: 'Unit' },
  { kind: 'text', name: 'weather', label: 'Weather' },
];
export const PLACE_FIELDS: FieldSpec<Pick<Location, 'name' | 'latitudeDeg' | 'longitudeDeg' | 'altitudeM'>>[] = [
  { kind: 'text', name: 'name', label: 'Name' },
  {
    kind: 'number',
    name: 'latitudeDeg',
    label: 'Latitude, north positive',
    unit: '°',
    step: 0.001,
    digits: 5,
    signed: true,
  },
  {
    kind: 'number',
    name: 'longitudeDeg',
    label: 'Longitude, east positive',
    unit: '°',
    step: 0.001,
    digits: 5,
    signed: true,
  },
  { kind: 'number', name: 'altitudeM', label: 'Altitude', unit: 'm', step: 1, digits: 0, signed: true },
];
