import { randomUUID } from 'node:crypto';
import { Router } from 'express';
import type { DataSource, EntitySchema } from 'typeorm';
import { z } from 'zod';
import {
  bodyInput,
  filterInput,
  instrumentInput,
  lensInput,
  panoramaRigInput,
  referenceObjectInput,
} from '@tawny/contract';
import { readTable, writeCsv } from '@tawny/formats';
import { Bodies, Filters, Instruments, Lenses, Productions, ReferenceObjects, Rigs, type Owned } from '../db/entities';
import { mayDo } from '../access/authorise';
import { bare } from '../http/records';
import { ApiProblem, notFound } from '../problems';

interface Stored {
  id: string;
  name: string;
  serial: string;
  version: number;
}

/** Kinds of kit in the order in which they refer to each other. */
const KINDS: { name: string; entity: EntitySchema<Owned<Stored>>; input: z.ZodObject }[] = [
  { name: 'bodies', entity: Bodies as never, input: bodyInput },
  { name: 'lenses', entity: Lenses as never, input: lensInput },
  { name: 'rigs', entity: Rigs as never, input: panoramaRigInput },
  { name: 'filters', entity: Filters as never, input: filterInput },
  { name: 'instruments', entity: Instruments as never, input: instrumentInput },
  { name: 'objects', entity: ReferenceObjects as never, input: referenceObjectInput },
];

const importInput = z.object({
  kind: z.enum(KINDS.map((k) => k.name) as [string, ...string[]]).optional(),
  fileName: z.string().max(200),
  contentBase64: z.string().max(14_000_000, 'The file is larger than 10 MB'),
  dryRun: z.boolean(),
  acceptRest: z.boolean().default(false),
});

const fieldsOf = (record: Owned<Stored>): Record<string, unknown> => {
  const { version: _v, createdAt: _c, updatedAt: _u, ...rest } = bare(record) as unknown as Record<string, unknown>;
  return rest;
};

interface Offered {
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

function offered(
  bytes: Buffer,
  fileName: string,
  kind: string | undefined,
): { kind: string; row: number; value: Record<string, unknown> }[] {
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

/** Kit in and out, and from another production. Things of the same kind, name and serial number count as the same. */
export function kitRoutes(db: DataSource): Router {
  const router = Router({ mergeParams: true });
  const all = (productionId: string, k: (typeof KINDS)[number]) =>
    db.getRepository(k.entity).find({ where: { productionId } as never, order: { name: 'ASC' } as never });
  const same = (r: { name?: unknown; serial?: unknown }) =>
    `${String(r.name).trim().toLowerCase()}|${String(r.serial ?? '')
      .trim()
      .toLowerCase()}`;

  /** Reads and checks what is offered; references between kinds are carried over to the new ids. */
  const check = async (
    productionId: string,
    items: { kind: string; row: number; value: Record<string, unknown> }[],
  ): Promise<Offered[]> => {
    const known = new Map<string, Map<string, string>>();
    for (const k of KINDS) known.set(k.name, new Map((await all(productionId, k)).map((r) => [same(r), r.id])));
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
  };
  const store = async (productionId: string, rows: Offered[]) => {
    const good = rows.filter((r) => r.record);
    await db.transaction(async (tx) => {
      for (const r of good)
        await tx
          .getRepository(KINDS.find((k) => k.name === r.kind)!.entity)
          .insert({ ...r.record, productionId, version: 1 } as never);
    });
    return good.length;
  };

  router.get('/export.json', async (req, res) => {
    const kit = Object.fromEntries(
      await Promise.all(KINDS.map(async (k) => [k.name, (await all(req.production.id, k)).map(fieldsOf)] as const)),
    );
    res.attachment(`${req.production.code.toLowerCase()}_kit.json`).json({ production: req.production.code, kit });
  });
  router.get('/:kind.csv', async (req, res) => {
    const k = KINDS.find((x) => x.name === req.params.kind);
    if (!k) throw notFound('kind of kit');
    const rows = (await all(req.production.id, k)).map(fieldsOf);
    const columns = Object.keys(k.input.shape).filter((c) => c !== 'id');
    const cell = (v: unknown) =>
      v === null || v === undefined ? null : typeof v === 'object' ? JSON.stringify(v) : (v as string | number);
    res
      .attachment(`${req.production.code.toLowerCase()}_${k.name}.csv`)
      .type('text/csv')
      .send(
        writeCsv(
          columns,
          rows.map((r) => columns.map((c) => cell(r[c]))),
        ),
      );
  });
  router.post('/import', async (req, res) => {
    const input = importInput.parse(req.body);
    const rows = await check(
      req.production.id,
      offered(Buffer.from(input.contentBase64, 'base64'), input.fileName, input.kind),
    );
    const wrong = rows.filter((r) => r.faults.length > 0);
    const report = rows.map(({ kind, row, label, faults }) => ({ kind, row, label, faults }));
    if (input.dryRun) {
      res.json({ rows: report, imported: 0, dryRun: true });
      return;
    }
    if (wrong.length > 0 && !input.acceptRest) {
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
    res.status(201).json({ rows: report, imported: await store(req.production.id, rows), dryRun: false });
  });
  router.post('/copy', async (req, res) => {
    const { from } = z.object({ from: z.string().min(1, 'Name the production to copy from') }).parse(req.body);
    const source = await db.getRepository(Productions).findOneBy({ code: from.toUpperCase() });
    if (!source || !mayDo(req.user, 'read', source)) throw notFound('production');
    const items = (
      await Promise.all(
        KINDS.map(async (k) =>
          (await all(source.id, k)).map((r, i) => ({ kind: k.name, row: i + 1, value: fieldsOf(r) })),
        ),
      )
    ).flat();
    const rows = await check(req.production.id, items);
    res.status(201).json({
      rows: rows.map(({ kind, row, label, faults }) => ({ kind, row, label, faults })),
      imported: await store(req.production.id, rows),
      dryRun: false,
    });
  });
  return router;
}
