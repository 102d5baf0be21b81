import { arcDeg } from '@tawny/core/sphere/direction';
import { sunPosition } from '@tawny/core/sun/ephemeris';
import type { Take, CameraBody, LensRecord, LightRound, Location } from '@tawny/contract';
import { takeTimeFrom } from '@tawny/contract/takeRules';
import { TAKE_STATUS } from '@tawny/contract/takes';
import { clock } from '../../data/time';

/** What a column of the table shows, and how a typed text becomes its value. */
export interface TakeColumn {
  id: string;
  title: string;
  width: number;
  /** Text in the cell. */
  show: (t: Take) => string;
  /** What sorting compares. */
  sort: (t: Take) => string | number;
  /** Takes may be put together by it. */
  groups?: boolean;
  edit?: {
    text: (t: Take) => string;
    /** The change, or words about what is wrong. */
    parse: (text: string) => Partial<Take> | string;
  };
}

export interface ColumnContext {
  location: Location;
  bodies: readonly CameraBody[];
  lenses: readonly LensRecord[];
  round: LightRound | undefined;
}

const STATUS_WORDS: Record<Take['status'], string> = { circled: 'Circled', good: 'Good', ng: 'No good', wild: 'Wild' };

/** Sun drift of a take against the newest round, degrees of arc. */
function drift(take: Take, round: LightRound | undefined, location: Location): number | null {
  return round
    ? arcDeg(
        sunPosition(location, new Date(take.shotAt)).direction,
        sunPosition(location, new Date(round.shotAt)).direction,
      )
    : null;
}

export function takeColumns({ location, bodies, lenses, round }: ColumnContext): TakeColumn[] {
  const number = (
    id: keyof Take & string,
    title: string,
    width: number,
    unit: string,
    extra: { optional?: boolean; whole?: boolean; prefix?: string } = {},
  ): TakeColumn => ({
    id,
    title,
    width,
    show: (t) => (t[id] === null ? '–' : `${extra.prefix ?? ''}${String(t[id])}${unit}`),
    sort: (t) => (t[id] as number | null) ?? -Infinity,
    edit: {
      text: (t) => (t[id] === null ? '' : String(t[id])),
      parse: (text) => {
        const clean = text
          .trim()
          .replace(',', '.')
          .replace(/^[tTfF]/, '');
        if (clean === '') return extra.optional ? ({ [id]: null } as Partial<Take>) : `${title} must not be empty`;
        const v = Number(clean);
        if (!Number.isFinite(v)) return `"${text}" is no number`;
        return { [id]: extra.whole ? Math.round(v) : v } as Partial<Take>;
      },
    },
  });
  const text = (id: keyof Take & string, title: string, width: number, groups = false): TakeColumn => ({
    id,
    title,
    width,
    groups,
    show: (t) => String(t[id] ?? ''),
    sort: (t) => String(t[id] ?? ''),
    edit: { text: (t) => String(t[id] ?? ''), parse: (v) => ({ [id]: v.trim() }) as Partial<Take> },
  });
  const lensName = (t: Take) => lenses.find((l) => l.id === t.lensId)?.name ?? '';
  return [
    {
      id: 'slate',
      title: 'Take',
      width: 92,
      show: (t) => `${t.slate} / ${t.take}`,
      sort: (t) => `${t.slate.padStart(6)}${String(t.take).padStart(4, '0')}`,
      groups: true,
    },
    { ...text('camera', 'Cam', 48, true), edit: undefined },
    {
      id: 'shotAt',
      title: 'Time',
      width: 106,
      show: (t) => `${clock(t.shotAt, location.zone)}${takeTimeFrom(t).kind === 'assumed' ? ' ?' : ''}`,
      sort: (t) => Date.parse(t.shotAt),
    },
    {
      id: 'status',
      title: 'Status',
      width: 92,
      groups: true,
      show: (t) => STATUS_WORDS[t.status],
      sort: (t) => t.status,
      edit: {
        text: (t) => STATUS_WORDS[t.status],
        parse: (v) => {
          const found = TAKE_STATUS.find(
            (s) => STATUS_WORDS[s].toLowerCase().startsWith(v.trim().toLowerCase()) && v.trim() !== '',
          );
          return found ? { status: found } : 'Status is good, circled, no good or wild';
        },
      },
    },
    {
      id: 'lens',
      title: 'Lens',
      width: 148,
      groups: true,
      show: lensName,
      sort: lensName,
      edit: {
        text: lensName,
        parse: (v) => {
          const found = lenses.filter((l) => l.name.toLowerCase().includes(v.trim().toLowerCase()) && v.trim() !== '');
          return found.length === 1
            ? {
                lensId: found[0].id,
                ...(found[0].focalMinMm === found[0].focalMaxMm ? { focalLengthMm: found[0].focalMinMm } : {}),
              }
            : `"${v}" fits ${found.length === 0 ? 'no lens' : 'several lenses'} of the kit`;
        },
      },
    },
    number('focalLengthMm', 'Focal', 76, ' mm'),
    number('tStop', 'Stop', 62, '', { prefix: 'T' }),
    number('ei', 'EI', 58, '', { whole: true }),
    number('shutterAngleDeg', 'Shutter', 72, '°'),
    number('fps', 'fps', 62, ''),
    number('ndStops', 'ND', 74, ' stops'),
    number('heightM', 'Height', 74, ' m', { optional: true }),
    number('tiltDeg', 'Tilt', 58, '°', { optional: true }),
    number('headingDeg', 'Heading', 78, '°', { optional: true }),
    text('lightCondition', 'Light', 104, true),
    text('clip', 'Clip', 104),
    {
      id: 'body',
      title: 'Body',
      width: 104,
      groups: true,
      show: (t) => bodies.find((b) => b.id === t.bodyId)?.name ?? '',
      sort: (t) => bodies.find((b) => b.id === t.bodyId)?.name ?? '',
    },
    {
      id: 'sun',
      title: 'Sun el.',
      width: 70,
      show: (t) => `${sunPosition(location, new Date(t.shotAt)).elevationDeg.toFixed(1)}°`,
      sort: (t) => sunPosition(location, new Date(t.shotAt)).elevationDeg,
    },
    {
      id: 'drift',
      title: 'Sun drift',
      width: 84,
      show: (t) => {
        const d = drift(t, round, location);
        return d === null ? 'no round' : `${d.toFixed(2)}°`;
      },
      sort: (t) => drift(t, round, location) ?? -1,
    },
    text('notes', 'Notes', 200),
  ];
}
