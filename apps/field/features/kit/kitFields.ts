import type {
  CameraBody,
  FilterRecord,
  InstrumentRecord,
  LensRecord,
  PanoramaRig,
  RecordingFormat,
  ReferenceObject,
  KitKind as ResourceName,
} from '@tawny/contract';
import {
  bodyInput,
  filterInput,
  INSTRUMENT_UNITS,
  instrumentInput,
  lensInput,
  panoramaRigInput,
  PROJECTIONS,
  referenceObjectInput,
} from '@tawny/contract/kit';
import { fieldOfViewDeg } from '@tawny/core/camera/fieldOfView';
import { DENSITY_PER_STOP } from '@tawny/core/photometry/exposure';
import type { z } from 'zod';
import type { FieldSpec } from '../../ui/RecordForm';

/** Any piece of kit, as the screens handle it. */
export interface KitItem {
  id: string;
  name: string;
  serial: string;
  version?: number;
}

export interface KitKind {
  /** Resource of the API, and path of the address. */
  path: ResourceName;
  title: string;
  noun: string;
  input: z.ZodType;
  fields: FieldSpec<never>[];
  /** A new one, ready to be changed. */
  fresh: (name: string) => KitItem;
  /** Numbers of a new one that only its owner knows, in the order of the form: what it begins with is no knowledge. */
  unstated: readonly string[];
  /** What matters of it, in one line. */
  line: (item: never) => string;
}

/** Of the first recording format of a body. */
type FormatNumber = `formats.${keyof RecordingFormat}`;

const id = () => crypto.randomUUID();
const kind = <T extends KitItem>(
  k: Omit<KitKind, 'fields' | 'fresh' | 'line'> & {
    fields: FieldSpec<T>[];
    unstated: readonly (FormatNumber | (keyof T & string))[];
    fresh: (name: string) => Omit<T, 'version' | 'createdAt' | 'updatedAt'>;
    line: (item: T) => string;
  },
): KitKind => k as unknown as KitKind;

const NAME = [
  { kind: 'text', name: 'name', label: 'Name' },
  { kind: 'text', name: 'serial', label: 'Serial number' },
] as const;
const DATE = <N extends string>(name: N, label: string) => ({ kind: 'text', name, label }) as const;
const words = (o: readonly string[], titles: Record<string, string> = {}) =>
  o.map((value) => ({
    value,
    title:
      titles[value] ??
      value
        .replace(/([A-Z])/g, ' $1')
        .toLowerCase()
        .replace(/^./, (c) => c.toUpperCase()),
  }));

export const KIT: readonly KitKind[] = [
  kind<CameraBody>({
    path: 'bodies',
    title: 'Camera bodies',
    noun: 'camera body',
    input: bodyInput,
    unstated: [
      'baseEi',
      'formats.gateWidthMm',
      'formats.gateHeightMm',
      'formats.widthPx',
      'formats.heightPx',
      'formats.maxFps',
    ],
    fields: [...NAME, { kind: 'number', name: 'baseEi', label: 'Base EI', step: 100, digits: 0 }],
    fresh: (name) => ({
      id: id(),
      name,
      serial: '',
      baseEi: 800,
      formats: [
        {
          name: 'Full',
          gateWidthMm: 24.89,
          gateHeightMm: 14,
          widthPx: 1920,
          heightPx: 1080,
          maxFps: 60,
          squeeze: 1,
          circleOfConfusionMm: 0.025,
          decoding: null,
        },
      ],
    }),
    line: (b) => `base EI ${b.baseEi} · ${b.formats.map((f) => f.name).join(', ')}`,
  }),
  kind<LensRecord>({
    path: 'lenses',
    title: 'Lenses',
    noun: 'lens',
    input: lensInput,
    unstated: ['focalMinMm', 'focalMaxMm', 'tMin', 'tMax', 'closeFocusM'],
    fields: [
      ...NAME,
      { kind: 'choice', name: 'kind', label: 'Type', options: words(['prime', 'zoom', 'fisheye']) },
      { kind: 'number', name: 'focalMinMm', label: 'Focal length from', unit: 'mm', step: 1 },
      { kind: 'number', name: 'focalMaxMm', label: 'Focal length to', unit: 'mm', step: 1 },
      { kind: 'number', name: 'tMin', label: 'Widest stop', unit: 'T', step: 0.1 },
      { kind: 'number', name: 'tMax', label: 'Smallest stop', unit: 'T', step: 1 },
      { kind: 'number', name: 'closeFocusM', label: 'Close focus', unit: 'm', step: 0.05 },
      { kind: 'number', name: 'squeeze', label: 'Squeeze', unit: '×', step: 0.1 },
      { kind: 'number', name: 'transmission', label: 'Transmission', step: 0.01, start: 0.8 },
      { kind: 'number', name: 'fovDeg', label: 'Fisheye field of view', unit: '°', step: 1, start: 185 },
      { kind: 'choice', name: 'projection', label: 'Projection', options: words(PROJECTIONS) },
    ],
    fresh: (name) => ({
      id: id(),
      name,
      serial: '',
      kind: 'prime',
      focalMinMm: 35,
      focalMaxMm: 35,
      tMin: 2,
      tMax: 22,
      closeFocusM: 0.4,
      squeeze: 1,
      transmission: null,
      projection: 'rectilinear',
      fovDeg: null,
      entrancePupil: [],
      distortion: null,
    }),
    line: (l) =>
      `${l.focalMinMm === l.focalMaxMm ? l.focalMinMm : `${l.focalMinMm}–${l.focalMaxMm}`} mm · T${l.tMin} to T${l.tMax} · from ${l.closeFocusM} m${l.kind === 'fisheye' ? ` · ${l.projection} ${l.fovDeg ?? '?'}°` : ` · ${fieldOfViewDeg(24.89, l.focalMinMm, l.squeeze).toFixed(0)}° on a 24.89 mm gate`}${l.entrancePupil.length > 0 ? ` · entrance pupil ${l.entrancePupil.map((e) => e.distanceMm).join('–')} mm` : ''}${l.distortion ? ` · distortion solved at ${l.distortion.focalMm} mm` : ''}`,
  }),
  kind<PanoramaRig>({
    path: 'rigs',
    title: 'Panorama rigs',
    noun: 'panorama rig',
    input: panoramaRigInput,
    unstated: [],
    fields: [
      ...NAME,
      {
        kind: 'choice',
        name: 'kind',
        label: 'Type',
        options: words(['bodyAndLens', 'oneShot'], { bodyAndLens: 'Body and lens', oneShot: 'One-shot 360° camera' }),
      },
    ],
    fresh: (name) => ({
      id: id(),
      name,
      serial: '',
      kind: 'oneShot',
      bodyId: null,
      lensId: null,
      statement: { projection: 'latlong', fovDeg: 360, views: 1 },
    }),
    line: (r) =>
      `${r.statement.views} view${r.statement.views === 1 ? '' : 's'} · ${r.statement.projection} ${r.statement.fovDeg}°${r.statement.tiltDeg ? ` · tilted ${r.statement.tiltDeg}°` : ''}`,
  }),
  kind<FilterRecord>({
    path: 'filters',
    title: 'Filters',
    noun: 'filter',
    input: filterInput,
    unstated: ['density'],
    fields: [
      ...NAME,
      {
        kind: 'choice',
        name: 'kind',
        label: 'Type',
        options: words(['nd', 'polariser', 'diffusion', 'colour'], { nd: 'ND' }),
      },
      { kind: 'number', name: 'density', label: 'Density', step: 0.3 },
      DATE('measuredOn', 'Measured on (YYYY-MM-DD)'),
    ],
    fresh: (name) => ({
      id: id(),
      name,
      serial: '',
      kind: 'nd',
      density: 0.6,
      measuredDensity: null,
      measuredOn: null,
    }),
    line: (f) =>
      `${(f.density / DENSITY_PER_STOP).toFixed(1)} stops${f.measuredDensity ? ` · measured R ${f.measuredDensity[0]}, G ${f.measuredDensity[1]}, B ${f.measuredDensity[2]}` : ' · engraved, not measured'}`,
  }),
  kind<InstrumentRecord>({
    path: 'instruments',
    title: 'Instruments',
    noun: 'instrument',
    input: instrumentInput,
    unstated: [],
    fields: [
      ...NAME,
      { kind: 'choice', name: 'kind', label: 'Type', options: words(Object.keys(INSTRUMENT_UNITS)) },
      { kind: 'number', name: 'bias', label: 'Bias (excess)', step: 0.1 },
      { kind: 'number', name: 'sigma', label: 'Uncertainty, one sigma', step: 0.01, digits: 3 },
      { kind: 'number', name: 'constant', label: 'Constant C or K', step: 1, start: 250 },
      { kind: 'choice', name: 'receptor', label: 'Receptor', options: words(['flat', 'dome']), optional: true },
      DATE('calibratedOn', 'Last calibrated (YYYY-MM-DD)'),
    ],
    fresh: (name) => ({
      id: id(),
      name,
      serial: '',
      kind: 'luxMeter',
      bias: 0,
      sigma: 0.05,
      constant: null,
      receptor: 'flat',
      calibratedOn: null,
    }),
    line: (i) =>
      `reads ${INSTRUMENT_UNITS[i.kind]} · bias ${i.bias} · ± ${i.sigma} (one sigma${i.kind === 'luxMeter' || i.kind === 'spotMeter' ? ', share' : ''})${i.calibratedOn ? ` · calibrated ${i.calibratedOn}` : ' · never calibrated'}`,
  }),
  kind<ReferenceObject>({
    path: 'objects',
    title: 'Reference objects',
    noun: 'reference object',
    input: referenceObjectInput,
    unstated: [],
    fields: [
      ...NAME,
      {
        kind: 'choice',
        name: 'kind',
        label: 'Type',
        options: words(['greyCard', 'chart', 'greyBall', 'chromeBall', 'lensGrid', 'stick']),
      },
      { kind: 'number', name: 'reflectance', label: 'Reflectance', step: 0.01, digits: 3, start: 0.18 },
      { kind: 'number', name: 'diameterMm', label: 'Diameter', unit: 'mm', step: 10, start: 220 },
      { kind: 'number', name: 'heightM', label: 'Height', unit: 'm', step: 0.1, start: 1 },
      DATE('measuredOn', 'Measured on (YYYY-MM-DD)'),
    ],
    fresh: (name) => ({
      id: id(),
      name,
      serial: '',
      kind: 'greyCard',
      reflectance: 0.18,
      diameterMm: null,
      heightM: null,
      patches: [],
      measuredOn: null,
    }),
    line: (o) =>
      [
        o.reflectance ? `reflectance ${o.reflectance}` : '',
        o.diameterMm ? `${o.diameterMm} mm across` : '',
        o.patches.length > 0 ? `${o.patches.length} patches` : '',
        o.measuredOn ? `measured ${o.measuredOn}` : 'never measured',
      ]
        .filter(Boolean)
        .join(' · '),
  }),
];
