import { randomUUID } from 'node:crypto';
import { DateTime } from 'luxon';
import { parseLengthM } from '@tawny/core';
import {
  takeFaults,
  takeInput,
  TAKE_STATUS,
  type CameraBody,
  type ImportResult,
  type LensRecord,
  type Location,
  type Setup,
  type TakeInput,
} from '@tawny/contract';
import { TIMES_FROM } from '@tawny/contract/common';
import { readTable, FileProblem, type ReadTable } from '@tawny/formats';

type Cell = { value: unknown } | { fault: string };

interface Column {
  /** Names under which the field is known, compared without case, spaces and marks. */
  names: string[];
  read: (text: string, context: Context) => Cell;
}

interface Context {
  decimalComma: boolean;
  setup: Setup;
  location: Location;
  date: string;
  bodies: readonly CameraBody[];
  lenses: readonly LensRecord[];
  /** The heading of the column, where a unit may stand. */
  heading: string;
}

const plain = (text: string) => text.toLowerCase().replace(/[^a-z0-9]/g, '');

function toNumber(text: string, decimalComma: boolean): number | null {
  const t = decimalComma ? text.replace(/\./g, '').replace(',', '.') : text;
  return /^[+-]?\d+(\.\d+)?$/.test(t.trim()) ? Number(t) : null;
}

/** A number with an optional unit of the given spellings; anything else is named. */
const number =
  (units: Record<string, number> = {}): Column['read'] =>
  (text, { decimalComma, heading }) => {
    const m = text.match(/^\s*([+-]?[\d.,]+)\s*([a-zA-Z°%²/]*)\s*$/);
    const value = m && toNumber(m[1], decimalComma);
    if (!m || value === null || value === undefined) return { fault: `"${text}" is no number` };
    const unit = m[2].toLowerCase();
    if (unit !== '' && !(unit in units))
      return {
        fault: `the unit "${m[2]}" of "${text}" is not known here${Object.keys(units).length > 0 ? ` (known: ${Object.keys(units).join(', ')})` : ''}`,
      };
    const headed =
      unit === '' ? Object.keys(units).find((u) => new RegExp(`[_ (\\[]${u}[)\\]]?$`, 'i').test(heading)) : unit;
    return { value: value * (headed ? units[headed] : 1) };
  };

const text: Column['read'] = (t) => ({ value: t });

const stop: Column['read'] = (t, c) => number()(t.replace(/^\s*[tTfF]\s*\/?\s*/, ''), c);

const length: Column['read'] = (t, c) => {
  const plainNumber = number({ m: 1, cm: 0.01, mm: 0.001, ft: 0.3048, in: 0.0254 })(t, c);
  if ('value' in plainNumber) return plainNumber;
  try {
    return { value: parseLengthM(c.decimalComma ? t.replace(',', '.') : t) };
  } catch (error) {
    return { fault: (error as Error).message };
  }
};

/** Local times belong to the shoot day; full ones may be in any ISO form. */
const instant: Column['read'] = (t, { location, date }) => {
  const clean = t.trim();
  const time = /^\d{1,2}:\d{2}(:\d{2})?$/.test(clean)
    ? DateTime.fromISO(
        `${date}T${clean.padStart(clean.length === 4 || clean.length === 7 ? clean.length + 1 : clean.length, '0')}`,
        { zone: location.zone },
      )
    : DateTime.fromISO(clean.replace(' ', 'T').replace(/ [A-Z]{3,4}$/, ''), { zone: location.zone });
  if (!time.isValid) return { fault: `"${t}" is no time: write 15:42, or 2026-10-14T15:42:00Z` };
  return { value: time.toUTC().toISO() };
};

const named =
  <T extends { id: string; name: string }>(list: (c: Context) => readonly T[], noun: string): Column['read'] =>
  (t, c) => {
    const found = list(c).find((x) => x.id === t.trim().toLowerCase() || plain(x.name) === plain(t));
    return found ? { value: found.id } : { fault: `the kit has no ${noun} "${t}"` };
  };

const status: Column['read'] = (t) => {
  const words: Record<string, (typeof TAKE_STATUS)[number]> = {
    good: 'good',
    ok: 'good',
    circled: 'circled',
    circle: 'circled',
    print: 'circled',
    ng: 'ng',
    nogood: 'ng',
    bad: 'ng',
    wild: 'wild',
  };
  const found = words[plain(t)];
  return found ? { value: found } : { fault: `"${t}" is no status: good, circled, no good or wild` };
};

const timeFrom = (t: string): Cell => {
  const known = TIMES_FROM.find((k) => k === plain(t));
  if (known) return { value: known };
  // The table names the file; the cell's own mark stays with the log that it was exported from.
  return plain(t).startsWith('file') ? { value: 'logged' } : { fault: `"${t}" is none of ${TIMES_FROM.join(', ')}` };
};

/** What goes without saying because there is one alone. */
const only = <T>(list: readonly T[]): T | undefined => (list.length === 1 ? list[0] : undefined);

/** Fields that a table may hold, and how their cells are read. */
const COLUMNS: Partial<Record<keyof TakeInput, Column>> = {
  slate: { names: ['slate', 'scene'], read: text },
  take: { names: ['take', 'tk'], read: number() },
  camera: { names: ['camera', 'cam'], read: (t) => ({ value: t.trim().toUpperCase() }) },
  status: { names: ['status', 'rating'], read: status },
  shotAt: { names: ['shotatutc', 'shotat', 'utc', 'time', 'localtime', 'shotatlocal'], read: instant },
  shotAtFrom: { names: ['shotatfrom', 'timefrom'], read: timeFrom },
  bodyId: { names: ['camerabody', 'body', 'bodyid'], read: named((c) => c.bodies, 'camera body') },
  formatName: { names: ['recordingformat', 'format'], read: text },
  lensId: { names: ['lens', 'lensname', 'lensid'], read: named((c) => c.lenses, 'lens') },
  focalLengthMm: { names: ['focallengthmm', 'focallength', 'focal', 'mm'], read: number({ mm: 1, cm: 10 }) },
  tStop: { names: ['tstop', 'stop', 'iris', 'aperture'], read: stop },
  ei: { names: ['ei', 'iso', 'asa'], read: number() },
  shutterAngleDeg: { names: ['shutterangledeg', 'shutterangle', 'shutter'], read: number({ '°': 1, deg: 1 }) },
  fps: { names: ['fps', 'framerate', 'speed'], read: number({ fps: 1 }) },
  whiteBalanceK: { names: ['whitebalancek', 'whitebalance', 'wb', 'cct'], read: number({ k: 1 }) },
  ndStops: { names: ['ndstops', 'nd'], read: number({ stops: 1, stop: 1 }) },
  focusM: { names: ['focusdistancem', 'focusdistance', 'focus', 'focusm'], read: length },
  heightM: { names: ['lensheightm', 'heightm', 'height', 'lensheight'], read: length },
  tiltDeg: { names: ['tiltdeg', 'tilt'], read: number({ '°': 1, deg: 1 }) },
  headingDeg: { names: ['headingdeg', 'heading', 'headingtruedeg', 'bearing'], read: number({ '°': 1, deg: 1 }) },
  headingNorth: { names: ['headingnorth'], read: (t) => ({ value: t.trim().toLowerCase() }) },
  eastM: { names: ['eastm', 'east'], read: length },
  northM: { names: ['northm', 'north'], read: length },
  lightCondition: { names: ['lightcondition', 'light'], read: text },
  clip: { names: ['clip', 'clipname'], read: text },
  roll: { names: ['roll', 'mag', 'card'], read: text },
  timecodeIn: { names: ['timecodein', 'tcin'], read: text },
  timecodeOut: { names: ['timecodeout', 'tcout'], read: text },
  timecodeRate: { names: ['timecoderate', 'tcrate'], read: number({ fps: 1 }) },
  flopped: {
    names: ['flopped'],
    read: (t) =>
      /^(yes|no|true|false)$/i.test(t) ? { value: /^(yes|true)$/i.test(t) } : { fault: `"${t}" is neither yes nor no` },
  },
  notes: { names: ['notes', 'comment', 'comments'], read: text },
};

/** Field to column, from the columns' own names. */
export function guessMapping(columns: readonly string[]): Record<string, string> {
  const out: Record<string, string> = {};
  for (const [field, { names }] of Object.entries(COLUMNS)) {
    for (const name of names) {
      const column = columns.find((c) => plain(c) === name || plain(c.replace(/[[(].*$/, '')) === name);
      if (column && !Object.values(out).includes(column)) {
        out[field] = column;
        break;
      }
    }
  }
  return out;
}

export interface ImportContext {
  setup: Setup;
  location: Location;
  /** The shoot day's date. */
  date: string;
  bodies: readonly CameraBody[];
  lenses: readonly LensRecord[];
  /** `slate/take/camera` of takes that are there. */
  existing: ReadonlySet<string>;
  /** What a cell that the table leaves empty is copied from. */
  model: TakeInput | null;
}

export interface ReadTakes {
  result: Omit<ImportResult, 'imported' | 'dryRun'>;
  takes: TakeInput[];
}

export const takeKey = (t: Pick<TakeInput, 'slate' | 'take' | 'camera'>) =>
  `${t.slate}/${t.take}/${t.camera}`.toUpperCase();

/** A table whose cells may also say that there is no value. */
type TakeTable = Omit<ReadTable, 'rows'> & { rows: { line: number; cells: Record<string, string | null> }[] };

function fromJson(bytes: Uint8Array, name: string): TakeTable {
  let value: unknown;
  try {
    value = JSON.parse(new TextDecoder().decode(bytes));
  } catch {
    throw new FileProblem('unsupported', name, 'is not JSON');
  }
  const list = Array.isArray(value) ? value : (value as { takes?: unknown } | null)?.takes;
  if (!Array.isArray(list) || list.some((v) => typeof v !== 'object' || v === null))
    throw new FileProblem('unsupported', name, 'holds no list of takes');
  const columns = [...new Set(list.flatMap((v: object) => Object.keys(v)))];
  return {
    columns,
    delimiter: '',
    encoding: 'utf-8',
    decimalComma: false,
    rows: list.map((v: Record<string, unknown>, i) => ({
      line: i + 1,
      cells: Object.fromEntries(
        columns.map((c) => [
          c,
          v[c] === null ? null : v[c] === undefined || typeof v[c] === 'object' ? '' : String(v[c]),
        ]),
      ),
    })),
  };
}

/**
 * Reads takes from a CSV or JSON file. Every row is read on its own and what is wrong in it is named by field; nothing is stored here.
 * @throws FileProblem when the file is no table
 */
export function readTakes(
  bytes: Uint8Array,
  fileName: string,
  context: ImportContext,
  mapping?: Record<string, string>,
): ReadTakes {
  const table: TakeTable = /\.json$/i.test(fileName) ? fromJson(bytes, fileName) : readTable(bytes, fileName);
  const used = mapping ?? guessMapping(table.columns);
  const missing = Object.values(used).find((c) => !table.columns.includes(c));
  if (missing) throw new FileProblem('unsupported', fileName, `has no column "${missing}"`);
  const seen = new Set<string>();
  const takes: TakeInput[] = [];
  const rows = table.rows.map(({ line, cells }) => {
    const faults: { field: string; message: string }[] = [];
    const fields: Record<string, unknown> = {};
    for (const [field, column] of Object.entries(used)) {
      const reader = COLUMNS[field as keyof TakeInput];
      if (!reader) {
        faults.push({ field, message: `there is no field "${field}"` });
        continue;
      }
      const written = cells[column];
      // Said to be unknown, which is not the same as left out.
      if (written === null && takeInput.shape[field as keyof TakeInput].safeParse(null).success) fields[field] = null;
      if (!written) continue;
      const cell = reader.read(written, { ...context, decimalComma: table.decimalComma, heading: column });
      if ('fault' in cell) faults.push({ field, message: cell.fault });
      else fields[field] = cell.value;
    }
    const body = context.bodies.find((b) => b.id === (fields.bodyId ?? context.model?.bodyId)) ?? only(context.bodies);
    const lens =
      context.lenses.find((l) => l.id === (fields.lensId ?? context.model?.lensId)) ??
      only(context.lenses.filter((l) => l.kind !== 'fisheye'));
    for (const [field, found, noun] of [
      ['bodyId', body, 'camera body'],
      ['lensId', lens, 'lens'],
    ] as const)
      if (!found && !faults.some((x) => x.field === field))
        faults.push({ field, message: `the ${noun} is not stated, and there is no take to copy it from` });
    const base: Partial<TakeInput> = context.model
      ? { ...context.model, clip: '', notes: '', timecodeIn: null, timecodeOut: null, changes: [], fromFile: {} }
      : {
          camera: 'A',
          status: 'good',
          bodyId: body?.id,
          formatName: body?.formats[0].name,
          lensId: lens?.id,
          focalLengthMm: lens?.focalMinMm,
          tStop: lens ? Math.max(5.6, lens.tMin) : undefined,
          ei: body?.baseEi,
          shutterAngleDeg: 180,
          fps: 24,
          whiteBalanceK: 5600,
          ndStops: 0,
          heightM: null,
          tiltDeg: null,
          headingDeg: null,
          focusM: null,
          eastM: null,
          northM: null,
          notes: '',
          shotAt: context.setup.lightAt ?? undefined,
        };
    // Another lens than the copied take's does not keep its focal length.
    if (
      lens &&
      base.focalLengthMm !== undefined &&
      (base.focalLengthMm < lens.focalMinMm || base.focalLengthMm > lens.focalMaxMm)
    )
      base.focalLengthMm = lens.focalMinMm;
    const required = (['slate', 'take'] as const).filter(
      (f) => fields[f] === undefined && !faults.some((x) => x.field === f),
    );
    for (const f of required) faults.push({ field: f, message: `the ${f} is empty` });
    const parsed = takeInput.safeParse({
      ...base,
      lightCondition: context.setup.lightCondition,
      // A row without a time has that of the take before it, or the setup's: nobody said it of this one.
      shotAtFrom: fields.shotAt === undefined ? 'assumed' : 'entered',
      ...fields,
      id: randomUUID(),
      setupId: context.setup.id,
    });
    if (!parsed.success) {
      // What would follow from a kit that is not stated is not said again.
      const follows = [...(lens ? [] : ['focalLengthMm', 'tStop']), ...(body ? [] : ['formatName', 'ei'])];
      for (const i of parsed.error.issues) {
        const field = String(i.path[0]);
        if (!faults.some((f) => f.field === field) && !(follows.includes(field) && fields[field] === undefined))
          faults.push({ field, message: i.message });
      }
    } else {
      if (body && lens) faults.push(...takeFaults(parsed.data, body, lens));
      const key = takeKey(parsed.data);
      if (context.existing.has(key))
        faults.push({
          field: 'slate',
          message: `${parsed.data.slate} take ${parsed.data.take} camera ${parsed.data.camera} is already logged`,
        });
      else if (seen.has(key))
        faults.push({
          field: 'slate',
          message: `${parsed.data.slate} take ${parsed.data.take} camera ${parsed.data.camera} stands twice in this file`,
        });
      else if (faults.length === 0) takes.push(parsed.data);
      seen.add(key);
    }
    return {
      row: line,
      label: [fields.slate, fields.take, fields.camera].filter((v) => v !== undefined).join(' / '),
      faults,
    };
  });
  return {
    result: {
      columns: table.columns,
      mapping: used,
      delimiter: table.delimiter,
      encoding: table.encoding,
      decimalComma: table.decimalComma,
      rows,
    },
    takes,
  };
}
