import { randomUUID } from 'node:crypto';
import type { KitImport } from '@tawny/contract';
import { readTable } from '@tawny/formats';
import type { Queries } from '../db/dataSource';
import type { Owned } from '../db/entities';
import { ApiProblem } from '../problems';
import { bare } from '../records/bare';
import { KINDS, type KitThing } from './kinds';

export const fieldsOf = (record: Owned<KitThing>): Record<string, unknown> => {
  const { version: _v, createdAt: _c, updatedAt: _u, ...rest } = bare(record) as unknown as Record<string, unknown>;
  return rest;
};

/** One entry of a file or of another production's kit, before it is checked. */
export interface OfferedItem {
  kind: string;
  row: number;
  value: Record<string, unknown>;
}

export interface Offered {
  kind: string;
  row: number;
  label: string;
  record: Record<string, unknown> | null;
  faults: { field: string; message: string }[];
}

/** A cell of a CSV: JSON where it is a structure, a number where it is one, else text. */
function cellValue(text: string, decimalComma: boolean): unknown {
  const number = decimalComma ? text.replace(',', '.') : text;
  if (/^-?\d+(\.\d+)?$/.test(number)) return Number(number);
  if (/^[[{]/.test(text)) {
    try {
      return JSON.parse(text);
    } catch {
      return text;
    }
  }
  return text;
}

export function offered(bytes: Buffer, fileName: string, kind: string | undefined): OfferedItem[] {
  if (/\.json$/i.test(fileName)) {
    let value: unknown;
    try {
      value = JSON.parse(bytes.toString('utf8'));
    } catch {
      throw new ApiProblem(422, 'unsupported', `${fileName}: is not JSON`, {
        errors: [{ file: fileName, message: 'is not JSON' }],
      });
    }
    const kit = (value as { kit?: Record<string, unknown> }).kit;
    if (typeof kit !== 'object' || kit === null)
      throw new ApiProblem(422, 'unsupported', `${fileName}: holds no kit`, {
        errors: [{ file: fileName, message: 'holds no "kit" with lists of bodies, lenses and so on' }],
      });
    return KINDS.flatMap((k) =>
      (Array.isArray(kit[k.name]) ? (kit[k.name] as unknown[]) : []).map((v, i) => ({
        kind: k.name,
        row: i + 1,
        value: typeof v === 'object' && v !== null ? (v as Record<string, unknown>) : {},
      })),
    );
  }
  if (!kind)
    throw new ApiProblem(422, 'no-kind', 'A CSV holds one kind of kit: say which', {
      errors: [{ field: 'kind', message: `one of ${KINDS.map((k) => k.name).join(', ')}` }],
    });
  const table = readTable(bytes, fileName);
  return table.rows.map((r) => ({
    kind,
    row: r.line,
    value: Object.fromEntries(
      Object.entries(r.cells)
        .filter(([, v]) => v !== '')
        .map(([k, v]) => [k, k === 'name' || k === 'serial' ? v : cellValue(v, table.decimalComma)]),
    ),
  }));
}

/** Things of the same kind, name and serial number count as the same. */
const same = (r: { name?: unknown; serial?: unknown }) =>
  `${String(r.name).trim().toLowerCase()}|${String(r.serial ?? '')
    .trim()
    .toLowerCase()}`;

/** All things of a kind, by name. */
export function kitOf(db: Queries, productionId: string, kind: (typeof KINDS)[number]): Promise<Owned<KitThing>[]> {
  return db.getRepository(kind.entity).find({ where: { productionId } as never, order: { name: 'ASC' } as never });
}

/** Reads and checks what is offered; references between kinds are carried over to the new ids. */
export async function checkOffered(db: Queries, productionId: string, items: OfferedItem[]): Promise<Offered[]> {
  const known = new Map<string, Map<string, string>>();
  for (const k of KINDS) known.set(k.name, new Map((await kitOf(db, productionId, k)).map((r) => [same(r), r.id])));
  const ids = new Map<string, string>();
  return items.map(({ kind, row, value }) => {
    const k = KINDS.find((x) => x.name === kind)!;
    const label = String(value.name ?? `row ${row}`);
    const there = known.get(kind)!.get(same(value));
    if (there) {
      if (typeof value.id === 'string') ids.set(value.id, there);
      return {
        kind,
        row,
        label,
        record: null,
        faults: [{ field: 'name', message: `${label} is in the kit already` }],
      };
    }
    const id = randomUUID();
    const moved = Object.fromEntries(
      Object.entries(value).map(([f, v]) => [
        f,
        (f === 'bodyId' || f === 'lensId') && typeof v === 'string' ? (ids.get(v) ?? null) : v,
      ]),
    );
    const parsed = k.input.safeParse({ ...moved, id });
    if (!parsed.success)
      return {
        kind,
        row,
        label,
        record: null,
        faults: parsed.error.issues.map((i) => ({ field: i.path.join('.'), message: i.message })),
      };
    if (typeof value.id === 'string') ids.set(value.id, id);
    known.get(kind)!.set(same(value), id);
    return { kind, row, label, record: parsed.data as Record<string, unknown>, faults: [] };
  });
}

/** Takes in what was checked; returns how many. */
async function storeOffered(db: Queries, productionId: string, rows: readonly Offered[]): Promise<number> {
  const good = rows.filter((r) => r.record);
  for (const r of good) {
    const { entity } = KINDS.find((k) => k.name === r.kind)!;
    await db.getRepository(entity).insert({ ...r.record, productionId, version: 1 } as never);
  }
  return good.length;
}

/**
 * Checks entries of kit and takes them in, unless it is only a trial.
 * @throws ApiProblem naming every fault when some are wrong and the rest is not accepted; nothing is taken in then
 */
export async function importKit(
  db: Queries,
  productionId: string,
  items: OfferedItem[],
  { dryRun, acceptRest }: { dryRun: boolean; acceptRest: boolean },
): Promise<KitImport> {
  const rows = await checkOffered(db, productionId, items);
  const report = rows.map(({ kind, row, label, faults }) => ({ kind, row, label, faults }));
  if (dryRun) return { rows: report, imported: 0, dryRun: true };
  const wrong = rows.filter((r) => r.faults.length > 0);
  if (wrong.length > 0 && !acceptRest) {
    throw new ApiProblem(
      422,
      'rows-with-faults',
      `${wrong.length} of ${rows.length} entries cannot be taken in, so nothing was imported. Mend them, or accept the rest.`,
      {
        errors: wrong.flatMap((r) =>
          r.faults.map((f) => ({ field: `${r.kind} row ${r.row}: ${f.field}`, message: f.message })),
        ),
      },
    );
  }
  return { rows: report, imported: await storeOffered(db, productionId, rows), dryRun: false };
}

/** Takes the kit of another production along; what is there already stays as it is. */
export async function copyKit(db: Queries, from: string, to: string): Promise<KitImport> {
  const items = await Promise.all(
    KINDS.map(async (k) =>
      (await kitOf(db, from, k)).map((r, i) => ({ kind: k.name, row: i + 1, value: fieldsOf(r) })),
    ),
  );
  // Curves first: recording formats name them.
  await db.query(
    `INSERT INTO curves (id, production_id, name, file_name, hash, input, output)
     SELECT gen_random_uuid(), $2, name, file_name, hash, input, output FROM curves
     WHERE production_id = $1 AND removed_at IS NULL ON CONFLICT DO NOTHING`,
    [from, to],
  );
  return importKit(db, to, items.flat(), { dryRun: false, acceptRest: true });
}
