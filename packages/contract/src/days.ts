import { z } from 'zod';
import { NEEDS, type Need } from './needs';
import {
  altitudeM,
  bounded,
  calendarDate,
  instant,
  latitudeDeg,
  longitudeDeg,
  positive,
  timeZone,
  title,
  uuid,
} from './common';
import { record, recordInput } from './record';

const productionFields = {
  code: z.string().regex(/^[A-Z0-9]{2,8}$/, 'A production code is 2 to 8 capitals or digits'),
  title: title('Title'),
  workingSpace: z.enum(['rec709', 'acescg']),
};
export const productionSchema = record(productionFields);
export const productionInput = recordInput({
  ...productionFields,
  /** Code of a production whose kit comes along. */
  kitFrom: z.string().min(1).max(20).optional(),
});
export type Production = z.infer<typeof productionSchema>;
export type NewProduction = z.input<typeof productionInput>;

/** A code that a title suggests: the initials of its words, or the beginning of its only one. */
export function codeOf(title: string): string {
  const words = title
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toUpperCase()
    .split(/[^A-Z0-9]+/)
    .filter((w) => w !== '' && !['THE', 'A', 'AN', 'OF', 'AND'].includes(w));
  if (words.length === 0) return '';
  const last = words[words.length - 1];
  return (words.length === 1 ? last : words.map((w) => w[0]).join('') + last.slice(1, 3)).slice(0, 8);
}

/** What stands before the sun: elevation of the horizon at bearings, linear between. */
export const skylineSchema = z
  .array(
    z.object({
      bearingDeg: bounded('Bearing', 0, 360, ' degrees'),
      elevationDeg: bounded('Elevation', -10, 90, ' degrees'),
    }),
  )
  .max(360)
  .default([]);

const locationFields = {
  name: title('Name'),
  latitudeDeg,
  longitudeDeg,
  altitudeM,
  skyline: skylineSchema,
  /** IANA zone; found from the coordinates when left out. */
  zone: z.string().min(1).max(64),
};
export const locationSchema = record(locationFields);
export const locationInput = recordInput({ ...locationFields, zone: timeZone.optional() });
export type Location = z.infer<typeof locationSchema>;

const localTime = (name: string) => z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, `${name} is a time such as 07:30`);
const dayFields = {
  locationId: uuid,
  number: z.number().int().min(1, 'Days count from 1').max(400),
  date: calendarDate,
  unit: title('Unit', 40),
  callLocal: localTime('Call'),
  wrapLocal: localTime('Wrap'),
  weather: z.string().max(200).default(''),
};
export const daySchema = record(dayFields);
export const dayInput = recordInput(dayFields);
export type ShootDay = z.infer<typeof daySchema>;

export const needSchema = z.enum(Object.keys(NEEDS) as [Need, ...Need[]]);

export const SETUP_KINDS = ['exterior', 'interior', 'driving', 'greenScreen'] as const;
export type SetupKind = (typeof SETUP_KINDS)[number];

/** What each kind of setup needs unless somebody says otherwise. */
export const NEEDS_OF_KIND: Record<SetupKind, readonly Need[]> = {
  exterior: ['round', 'greyCard', 'chart', 'greyBall', 'chromeBall', 'cleanPlate', 'lensGrid', 'cameraHeight'],
  interior: [
    'round',
    'greyCard',
    'chart',
    'greyBall',
    'chromeBall',
    'cleanPlate',
    'lensGrid',
    'cameraHeight',
    'lampPositions',
    'luxReading',
  ],
  driving: ['round', 'greyCard', 'chart', 'cameraHeight', 'setPhoto'],
  greenScreen: [
    'round',
    'greyCard',
    'chart',
    'greyBall',
    'chromeBall',
    'lensGrid',
    'cameraHeight',
    'lampPositions',
    'eyeLine',
  ],
};

const setupFields = {
  dayId: uuid,
  name: title('Name'),
  slate: title('Slate', 12),
  kind: z.enum(SETUP_KINDS),
  /** The condition that a new take or round gets. */
  lightCondition: title('Light condition', 40),
  /** Every named condition with the time it held, when known. */
  lightConditions: z
    .array(z.object({ name: title('Light condition', 40), from: instant.nullable(), to: instant.nullable() }))
    .max(20)
    .default([]),
  plannedCg: z.string().max(300),
  cgEastM: bounded('East', -10000, 10000, ' m').nullable().default(null),
  cgNorthM: bounded('North', -10000, 10000, ' m').nullable().default(null),
  cgHeightM: positive('Height', 500, ' m').nullable().default(null),
  needs: z.array(needSchema).default([]),
  /** A round is stale when the sun moved farther, or more time passed, than this. */
  driftLimitDeg: positive('Sun drift limit', 180, ' degrees').default(2),
  ageLimitMin: positive('Age limit', 1440, ' minutes').default(45),
  done: z.boolean().default(false),
  /** When its light is wanted. */
  lightAt: instant.nullable(),
};
export const setupSchema = record(setupFields);
export const setupInput = recordInput(setupFields);
export type Setup = z.infer<typeof setupSchema>;

/** A take or a round on the line of a day; takes of one minute are one mark. */
export const dayMarkSchema = z.object({ kind: z.enum(['take', 'round']), at: instant });
export type DayMark = z.infer<typeof dayMarkSchema>;

/** The clock of the panorama rig among the cameras' letters. */
export const RIG_CLOCK = 'Rig';

const clockFields = {
  dayId: uuid,
  camera: z.string().regex(/^([A-Z]|Rig)$/, 'The camera is one letter, A to Z, or Rig'),
  /** Which rig of the kit; null for a camera's letter, and for a rig that nobody named. */
  rigId: uuid.nullable().default(null),
  /** Camera clock minus true time, seconds. */
  offsetS: bounded('Clock offset', -86400, 86400, ' s'),
  uncertaintyS: positive('Uncertainty', 3600, ' s').default(1),
  source: z.enum(['photographed clock', 'entered']),
  /** The photograph that it was read from. */
  referenceId: uuid.nullable().default(null),
};
export const cameraClockSchema = record(clockFields);
export const cameraClockInput = recordInput(clockFields).refine((c) => c.rigId === null || c.camera === RIG_CLOCK, {
  path: ['rigId'],
  message: `A clock of a rig is one of camera ${RIG_CLOCK}`,
});
export type CameraClock = z.infer<typeof cameraClockSchema>;

/**
 * The clock of a round's rig among those of its day: the rig's own; else one that was logged for no rig by name, as long as none of that day
 * was. Null when nobody looked at it.
 */
export function clockOfRig<C extends Pick<CameraClock, 'camera' | 'rigId'>>(
  clocks: readonly C[],
  rigId: string | null,
): C | null {
  const rigs = clocks.filter((c) => c.camera === RIG_CLOCK);
  const own = rigs.find((c) => c.rigId === rigId);
  return own ?? (rigs.every((c) => c.rigId === null) ? (rigs[0] ?? null) : null);
}

/** Whose clock it is: "camera B", or the rig by its name in the kit. */
export const clockOwner = (
  { camera, rigId }: Pick<CameraClock, 'camera' | 'rigId'>,
  rigs: readonly { id: string; name: string }[],
): string =>
  camera === RIG_CLOCK
    ? `panorama rig${rigId === null ? '' : ` ${rigs.find((r) => r.id === rigId)?.name ?? 'that is no longer in the kit'}`}`
    : `camera ${camera}`;
